#pragma once
#include "geodesy/ellipsoid.h"
#include <cmath>

namespace ampletie {

// What lies beyond these is a mistake of columns, units or typing, whatever wrote it (common practice).

/// Geocentric coordinates, m, between the deepest sea and the highest summit, with room.
inline bool near_surface(const Vec3 &xyz) { return xyz.norm() >= 6.3e6 && xyz.norm() <= 6.4e6; }
/// Any height of a mark, m.
inline bool plausible_height(double m) { return m >= -600 && m <= 9000; }
/// East and north of any grid, m, zone in front included.
inline bool plausible_grid(double east, double north) { return std::abs(east) <= 5e7 && std::abs(north) <= 5e7; }
/// A standard deviation of a mark, m.
inline bool plausible_sd(double m) { return m >= 0 && m <= 100; }

} // namespace ampletie
