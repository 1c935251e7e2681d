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

/// Where a mark went in plan, and the 95 % ellipse of that (semi-axes m, azimuth of the longer one rad); 0: not known.
struct DrawnMovement {
  std::string name;
  double de_m = 0, dn_m = 0, a_m = 0, b_m = 0, azimuth = 0;
};
/// The marks of a record with an arrow for each movement, and its ellipse about where the mark was: an arrow inside
/// shows no movement. Empty where nothing moved by more than 0.05 mm.
ReportDrawing movement_drawing(const nlohmann::json &record, const std::vector<DrawnMovement> &movements, double width,
                               double height);

} // namespace ampletie
