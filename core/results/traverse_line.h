#pragma once
#include "adjustment/statistics.h"
#include "results/traverse_grid.h"
#include "results/traverses.h"

namespace ampletie {

/// A route as a traverse: angles, lengths and heights reduced, closures, balances, limits. `end`: a last mark that is
/// not occupied. Never throws: what cannot be computed is a `problem`.
TraverseLine make_line(std::vector<const ReducedSetup *> row, const std::string &end, bool loop,
                       const KnownPlaces &known, const TraverseGrid &grid, const JobState &state);

/// Sets its marks against what vectors say of them.
void compare_line(TraverseLine &l, const KnownPlaces &known, const LevelHeights &levels, const TraverseSettings &set);

/// A class of a published standard: seconds times √n for angles, 1 : n for position.
struct TraverseClass {
  const char *name;
  double angle_s, ratio;
};
/// FGCC 1984, Standards and Specifications for Geodetic Control Networks (from memory); null for other names.
const TraverseClass *traverse_class(const std::string &name);

} // namespace ampletie
