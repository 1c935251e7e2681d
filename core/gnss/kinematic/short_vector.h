#pragma once
#include "gnss/static/static_vector.h"

namespace ampletie {

/// Up to this many seconds in common a vector is solved as a standstill of a moving receiver: its codes and carriers
/// are as good as one epoch's, however many there are.
constexpr double longest_short_s = 180;
/// Seconds that two occupations have in common, epochs of either at its own rate.
double common_span(const OccupationModel &base, const OccupationModel &rover);

/// A vector from seconds of data (docs/methods/kinematic.md). Throws `InputError` when the two share less than two
/// epochs.
StaticVector solve_short(const OccupationModel &base, const OccupationModel &rover, const Orbits &orbits,
                         const StaticOptions &options, const std::vector<LeftOutSpan> &left_out,
                         const Progress &progress);

} // namespace ampletie
