#pragma once
#include "publication/report.h"
#include "results/job_results.h"
#include <nlohmann/json.hpp>

namespace ampletie {

/// The levels and total stations whose work is used: with what, from which day to which, the last day of the
/// certificate (null: none is stated) and whether it covers the work. Books that name no instrument stand under "".
nlohmann::ordered_json instrument_rows(const JobSnapshot &s);
/// The same as sentences about certificates, soonest to end first.
ReportTable instrument_table(const nlohmann::json &rows);

} // namespace ampletie
