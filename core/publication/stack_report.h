#pragma once
#include "publication/report.h"
#include "results/stack_files.h"
#include <nlohmann/json.hpp>

namespace ampletie {

/// Velocities of a stack as `ample stack --json` prints them.
nlohmann::ordered_json stack_rows(const StackFiles &files, const Stack &stack);

/// The jump that nobody said, in a sentence with what to do; empty: none shows.
std::string suspected_words(const StackFiles &files, const Stack &stack);

/// Which given coordinates do not agree with the days, in a sentence; empty: all do, or none were given.
std::string given_words(const StackFiles &files, const Stack &stack);

/// The jump as a step is said, "MARK@2021-07-01"; empty: none shows.
std::string suspected_step_text(const StackFiles &files, const Stack &stack);

/// The whole as a report: what was done, a table of velocities, a picture of every mark over time.
Report stack_report(const StackFiles &files, const Stack &stack);

/// A control list with coordinates at the epoch and velocities, as a job takes it. Of a stack without given coordinates
/// there is none: neither are in a frame.
std::string stack_control_csv(const StackFiles &files, const Stack &stack);

/// Every mark on every day: where it was, residual, whether it was used.
std::string stack_series_csv(const StackFiles &files, const Stack &stack);

} // namespace ampletie
