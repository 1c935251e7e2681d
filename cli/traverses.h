#pragma once
#include "job/job.h"
#include <nlohmann/json.hpp>

namespace ampletie::cli {

/// `set setup …`, `set pointing …`, `set route …`. Throws `InputError` in words.
void set_traverses(Job &job, const std::vector<std::string> &words, const std::string &because);
/// Ids of set-ups or pointings that a word names: an id, a mark with one set-up, FILE:LINE. Empty: none of them.
std::vector<std::string> field_items(const Job &job, const std::string &word);

nlohmann::ordered_json traverse_rows(const Job &job);
nlohmann::ordered_json setup_rows(const Job &job);

} // namespace ampletie::cli
