#pragma once
#include "open_job/job.h"
#include <nlohmann/json.hpp>

namespace ampletie::cli {

/// `ample set JOB run|reading|staff|instrument|mark …`: checks the words and decides. Throws `InputError` in words.
void set_levels(Job &job, const std::vector<std::string> &words, const std::string &because, bool ahead);

nlohmann::ordered_json run_rows(const Job &job);
nlohmann::ordered_json height_rows(const Job &job);

} // namespace ampletie::cli
