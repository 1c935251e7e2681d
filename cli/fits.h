#pragma once
#include "open_job/job.h"
#include <nlohmann/json.hpp>

namespace ampletie::cli {

/// `ample set JOB fit SYSTEM …` and `ample set JOB pair SYSTEM MARK …`. Throws `InputError` in words.
void set_fit(Job &job, const std::vector<std::string> &words, const std::string &because, bool ahead);

/// `ample set JOB also NAME crs=CODE [through=GRID]`. Throws `InputError` in words.
void set_also(Job &job, const std::vector<std::string> &words, const std::string &because);

nlohmann::ordered_json also_list(const Job &job);
nlohmann::ordered_json fit_rows(const Job &job);
nlohmann::ordered_json fit_pair_rows(const Job &job);

} // namespace ampletie::cli
