#pragma once
#include "publication/report.h"
#include <nlohmann/json.hpp>

namespace ampletie {

/// What was measured between two marks of an issue record.
struct RecordTie {
  std::string from, to;
  bool vectors = false, levels = false, sights = false;
};
/// Every pair once, in order of names.
std::vector<RecordTie> ties_of(const nlohmann::json &record);

/// The marks of a record in their grid with what ties them and their 95 % ellipses (network accuracy), drawn larger by
/// the factor that its caption names; empty where no mark has a place. `only`: a mark with its neighbours.
ReportDrawing network_drawing(const nlohmann::json &record, double width, double height, const std::string &only = {});

/// The same, followed by crowds whose names found no room, each drawn larger by itself and framed in the first by its
/// letter (at most six; crowds inside of crowds too).
std::vector<ReportDrawing> network_drawings(const nlohmann::json &record, double width, double height);

} // namespace ampletie
