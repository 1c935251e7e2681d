#pragma once
#include "base/vector.h"
#include "time/gps_time.h"
#include <array>
#include <optional>
#include <string>

namespace ampletie {

/// Amplitudes (m) and phases (rad, Greenwich, lags positive) of the displacement by ocean loading at one place: rows
/// up, west, south; columns M2 S2 N2 K2 K1 O1 P1 Q1 Mf Mm Ssa, as the common coefficient files have them.
struct OceanLoading {
  std::string station;
  std::optional<double> latitude, longitude; ///< rad, where the file tells
  std::array<std::array<double, 11>, 3> amplitude{}, phase{};
  long line = 0;
};

/// Arguments of the eleven waves, rad: IERS Conventions (2010), chapter 7, routine ARG2 (constants from memory, checked
/// against ERFA's fundamental arguments).
std::array<double, 11> tidal_arguments(GpsTime t);

/// What the lunar node does to a wave in its 18.6 years.
struct NodalFactor {
  double factor = 1, angle = 0; ///< of the amplitude; radians, added to the argument
};
/// In the order of the waves, by the classical series in the node's longitude (Doodson 1928, Pugh 1987; from memory).
std::array<NodalFactor, 11> nodal_factors(GpsTime t);

/// Displacement east, north, up, m. The eleven main waves with the modulation by the lunar node; the minor waves that
/// IERS Conventions 7.1.2 interpolates are left out: within about a tenth of the full series, 1.5 mm where the loading
/// reaches 15 mm.
Vec3 ocean_displacement(const OceanLoading &c, GpsTime t);

} // namespace ampletie
