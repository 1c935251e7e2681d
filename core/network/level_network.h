#pragma once
#include "adjustment/adjustment.h"
#include <map>

namespace ampletie {

/// A levelled difference of physical heights between two marks.
struct NetworkLevel {
  std::string id, from, to, line; ///< `line`: the run it belongs to, for the question which line hurts
  double difference = 0, sd = 0;  ///< to − from, m
  double length = 0;              ///< m
};

/// Levels alone: heights of marks from differences and known heights.
struct LevelNetworkInput {
  std::vector<NetworkLevel> levels;
  std::map<std::string, std::pair<double, double>> held; ///< mark → height and its standard deviation, m
  bool minimal = false; ///< only one held mark per group: is the field work consistent?
  AdjustmentOptions options;
};

struct LevelNetworkMark {
  std::string name;
  double height = 0, sd = 0; ///< m; sd with the held marks' own uncertainty
  bool held = false;
  bool relative = false; ///< no held mark in its group: heights count from where its first line begins
  int sections = 0;
};

struct LevelNetworkResult {
  AdjustmentResult adjustment;
  std::vector<LevelNetworkMark> marks;
  std::vector<std::string> levels; ///< ids, in the order of the tests
  /// Standard error of a kilometre of a single run as the residuals show it, m per √km; 0 without redundancy.
  double sd_km = 0;
  const LevelNetworkMark *find(const std::string &mark) const;
};

/// Adjusts levels alone. Held marks are eliminated. Throws `InputError` when there is nothing to adjust.
LevelNetworkResult adjust_levels(const LevelNetworkInput &input, const Progress &progress);

} // namespace ampletie
