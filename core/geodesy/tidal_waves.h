#pragma once
#include "time/gps_time.h"
#include <array>
#include <vector>

namespace ampletie {

/// Mean lunar time τ, mean longitudes s of the Moon, h of the Sun, p of the Moon's perigee, N' of its node counted
/// backwards and ps of the Sun's perigee, rad: IERS (2003) expressions of ERFA, with UT1 = UTC.
using TidalArguments = std::array<double, 6>;
TidalArguments tidal_arguments(GpsTime t);

/// A wave of the degree-2 tide-generating potential: amplitude · cos θ (order 1: sin θ) with
/// θ = order · τ + multiples of s, h, p, N', ps. Amplitudes are counted within one order.
struct TidalWave {
  int order;
  std::array<int, 5> multiples;
  double amplitude;
  /// The argument whose cosine this is, rad, without the amplitude's sign.
  double argument(const TidalArguments &t) const;
  double speed() const; ///< rad per day
};

/// Strongest first within each order; orders 2, 1, 0. Made by docs/methods/make-tidal-waves from ERFA's Moon and Sun:
/// within 1e-4 of the waves of Cartwright and Edden (1973); everything above 0.2 % of M2. The waves of order 0 have
/// the sign that makes Mf, Mm and Ssa positive, as the files of ocean loading count them.
const std::vector<TidalWave> &tidal_waves();

} // namespace ampletie
