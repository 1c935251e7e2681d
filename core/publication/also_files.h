#pragma once
#include "publication/issue.h"
#include "results/also_systems.h"
#include <set>

namespace ampletie {

/// Further systems of an issue as its record holds them; of the marks those that are issued.
nlohmann::ordered_json also_rows(const std::vector<AlsoSystem> &systems, const std::set<std::string> &issued);

/// A list of coordinates for each of them, "also-NAME.csv". Systems that could not be computed give none.
std::vector<std::pair<std::string, std::string>> also_files(const nlohmann::json &record);

/// The section of the control sheet about one of them.
ReportSection also_section(const nlohmann::json &system);

} // namespace ampletie
