#pragma once
#include "results/snapshot.h"
#include <set>
#include <string>

namespace ampletie {

/// What would make a shift such as this one (adjusted less published; east, north, up; m) that all `marks` have in
/// common, one of them at `at`: the geoid left out or applied twice, another frame, another epoch of a frame in which
/// the ground moves, in height alone the phase centre or another point of an antenna. A clause that begins with a
/// colon, or nothing.
std::string shift_reason(const JobSnapshot &s, const FullPosition &at, const std::set<std::string> &marks,
                         const Vec3 &shift);

} // namespace ampletie
