#pragma once
#include "open_job/job.h"
#include <nlohmann/json.hpp>

namespace ampletie::cli {

/// `set setup …`, `set pointing …`, `set route …`, `set style …`. Throws `InputError` in words.
void set_traverses(Job &job, const std::vector<std::string> &words, const std::string &because, bool ahead);

nlohmann::ordered_json traverse_rows(const Job &job);
nlohmann::ordered_json setup_rows(const Job &job);

} // namespace ampletie::cli
