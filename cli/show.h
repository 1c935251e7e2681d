#pragma once
#include "open_job/job.h"
#include <nlohmann/json.hpp>

namespace ampletie {
struct Between;
}
namespace ampletie::cli {

/// What was measured between two marks, as `ample measure --json` prints it.
nlohmann::ordered_json between_row(const Between &b);

/// Rows of a list as the command line's contract names them (docs/formats.md, "JSON of the command line").
/// `in_job_frame` rotates vectors into the job's frame. Throws `InputError` for an unknown list.
nlohmann::ordered_json rows(const Job &job, const std::string &list, bool in_job_frame);
nlohmann::ordered_json doubt_row(const Doubt &d);
nlohmann::ordered_json trace_rows(const std::vector<TraceStep> &steps);

/// The same rows as an aligned table for people.
std::string table(const nlohmann::ordered_json &rows);

} // namespace ampletie::cli
