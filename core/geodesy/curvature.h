#pragma once
#include "geodesy/ellipsoid.h"
#include <cmath>

namespace ampletie {

/// Radius of curvature (m) of the normal section at an azimuth (radians), by Euler's theorem.
inline double radius_along(double lat, double azimuth) {
  return 1 / (std::pow(std::cos(azimuth), 2) / meridian_radius(lat) +
              std::pow(std::sin(azimuth), 2) / prime_vertical_radius(lat));
}

} // namespace ampletie
