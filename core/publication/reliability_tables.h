#pragma once
#include "network/constraints.h"
#include "publication/report.h"
#include "results/network_run.h"
#include <nlohmann/json.hpp>

namespace ampletie {

/// The network free, with the least constraints and held: `levels` with `mode observations redundancy variance_factor
/// lower upper passes problem`, `statistic limit degrees passes` of holding (degrees 0: nothing to test).
nlohmann::ordered_json constraint_record(const ConstraintTest &t);

/// Whether the network has more marks than external reliability is worked out for at once: then it is asked mark by mark.
bool too_many_undetected(const NetworkRun &run);
/// Of each computed mark what an error that no test finds would do to it: `mark external_m plan_m up_m by` of its
/// place, `height_m height_by` of its physical height; null where nothing bounds it, or it has none (`has_place
/// has_height`). Empty for networks of more than a thousand marks: there it is asked mark by mark.
nlohmann::ordered_json undetected_record(const JobSnapshot &s, const NetworkRun &run);

/// What the azimuths of instruments that find north by themselves turned out to miss.
nlohmann::ordered_json azimuth_constant_rows(const NetworkRun &run);
ReportTable azimuth_constant_table(const nlohmann::json &rows);

/// Groups of vectors that were let turn and stretch: `group rotation_ppm[e, n, u] rotation_sd_ppm[] scale_ppm
/// scale_sd_ppm`; what was not let is null.
nlohmann::ordered_json turn_rows(const NetworkRun &run);
ReportTable turn_table(const nlohmann::json &rows);

/// Both as tables of the control sheet, from a record; without rows where it has none.
ReportTable constraint_table(const nlohmann::json &record);
ReportTable undetected_table(const nlohmann::json &record);

} // namespace ampletie
