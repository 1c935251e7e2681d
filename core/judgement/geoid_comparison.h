#pragma once
#include "results/network_run.h"

namespace ampletie {

/// Two geoids at one mark.
struct GeoidsAt {
  std::string mark;
  double east = 0, north = 0;        ///< in the job's grid, m
  std::optional<double> used, other; ///< m; nothing where a grid has none there
  double left = 0;                   ///< other less used, less what all have in common, m
};

/// One more geoid of the job against the one that its heights go through.
struct GeoidComparison {
  std::string used, other, source; ///< names; source of the other, empty: the register's
  std::string problem;             ///< why they cannot be compared
  std::vector<GeoidsAt> marks;
  double mean = 0, tilt_east = 0, tilt_north = 0, spread = 0; ///< of other less used: m; m per m; m
  /// "0.124 m higher in the middle, rising by 3.1 mm/km to the north-east, ± 4 mm from that plane".
  std::string words() const;
};

/// Every grid of a geoid that the job holds, and the register's where another was chosen, against the one in use, at
/// the marks of the adjusted network. A plane is taken off from four marks on.
std::vector<GeoidComparison> compare_geoids(const JobSnapshot &s, const NetworkRun &run);

} // namespace ampletie
