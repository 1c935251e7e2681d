#pragma once
#include "open_job/job.h"
#include <nlohmann/json.hpp>

namespace ampletie::cli {

/// `ample set JOB group NAME factor=X`. Throws `InputError` in words.
void set_group(Job &job, const std::vector<std::string> &words, const std::string &because);

/// Every grouping of the adjusted network: how accurate each group turns out, and what the network is without it.
nlohmann::ordered_json group_rows(const Job &job);

/// The adjusted network free, with the least constraints, and held; whether holding agrees with the observations.
nlohmann::ordered_json constraint_object(const Job &job);

/// What would make the adjusted network agree, best first; empty: all tests pass, or nothing explains them.
nlohmann::ordered_json cause_rows(const Job &job);
/// Residuals against what they should know nothing of.
nlohmann::ordered_json pattern_rows(const Job &job);

} // namespace ampletie::cli
