#pragma once
#include "job/job.h"
#include <nlohmann/json.hpp>

namespace ampletie::cli {

/// `ample set JOB run|reading|source …`: checks the words and decides. Throws `InputError` in words.
void set_levels(Job &job, const std::vector<std::string> &words, const std::string &because);

/// What an item of leave-out and use means: "FILE:LINE" are the readings of that line, the name of a run its id,
/// anything else itself.
std::vector<std::string> level_items(const Job &job, const std::string &text);

nlohmann::ordered_json run_rows(const Job &job);
nlohmann::ordered_json height_rows(const Job &job);

} // namespace ampletie::cli
