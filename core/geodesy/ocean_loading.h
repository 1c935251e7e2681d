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

/// Displacement east, north, up, m. The eleven waves of the file stand for all others of their order: what the ocean
/// makes of a wave (its admittance) is interpolated linearly in frequency between them and taken as constant beyond
/// them (IERS Conventions 2010, 7.1.2; Munk and Cartwright 1966). The resonance of the core between P1 and K1, some per
/// cent of what lies between them, is not modelled. Within 1 % of the full series.
Vec3 ocean_displacement(const OceanLoading &c, GpsTime t);

} // namespace ampletie
