#pragma once
#include "results/vectors.h"

namespace ampletie {

/// A book whose numbers are in another unit than they were read in, or that no instrument can have read.
struct UnitDoubt {
  std::string section, source_id, about, sentence;
  std::vector<std::string> causes; ///< units with which everything would be as it should
  double effect_m = 0;
};

/// Staff readings that no staff shows (below −5 m and above 6 m, negative ones that are no inverted staff all along a
/// run, a whole book about less than three centimetres) and sights that no level takes; distances of total stations
/// that are in one proportion to those between known marks (feet, a factor of ten, a hundred or a thousand); zenith
/// angles that lie about 100 or 81 in place of 90 (gon and degrees mistaken for each other).
std::vector<UnitDoubt> unit_doubts(const JobSnapshot &s);

} // namespace ampletie
