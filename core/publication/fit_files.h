#pragma once
#include "publication/issue.h"

namespace ampletie {

/// What is issued in systems that frame fits lead to, from an issue record: a list of coordinates and the
/// transformation for each ("control-SITE.csv", "fit-SITE.json", "fit-SITE.wkt"). Fits that could not be computed give
/// none.
std::vector<std::pair<std::string, std::string>> fit_files(const nlohmann::json &record, LengthUnit unit);

/// The section of the control sheet about one of them.
ReportSection fit_section(const nlohmann::json &fit, LengthUnit unit);

} // namespace ampletie
