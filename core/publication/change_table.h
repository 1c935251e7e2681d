#pragma once
#include "publication/report.h"
#include "results/changes.h"
#include <nlohmann/json.hpp>

namespace ampletie {

/// Changes against records among the sources, as an issue record and `ample show` hold them.
nlohmann::ordered_json change_rows(const std::vector<JobChange> &changes);

/// The section of the control sheet about one of them.
ReportSection change_section(const nlohmann::json &change);

/// "2 of 9 marks moved against the other 7" and the like.
std::string change_words(const JobChange &c);

} // namespace ampletie
