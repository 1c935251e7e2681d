#pragma once
#include "publication/issue.h"
#include "results/control_record.h"
#include <nlohmann/json.hpp>

namespace ampletie {

/// From a mark to one of the nearest that are issued with it: what a crew checks before it sets out from it.
struct ControlDistance {
  std::string from, to;
  double bearing_rad = 0; ///< in the grid
  double grid_m = 0;
  double ground_m = 0; ///< level, at the mean height of both: the grid's by the mean combined factor
  double rise_m = 0;   ///< of physical heights where both have them, else of ellipsoidal ones
  bool physical = false;
};
ControlDistance control_distance(const ControlRecord &from, const ControlRecord &to);
/// The nearest `most` of every mark of an issue record that has a place, in the order of the record.
std::vector<ControlDistance> control_distances(const nlohmann::json &record, std::size_t most = 3);

/// The same with the marks' coordinates: a sheet for the crew, and a list.
Report setting_out_sheet(const nlohmann::json &record, LengthUnit unit);
std::string setting_out_csv(const nlohmann::json &record, LengthUnit unit);

} // namespace ampletie
