#pragma once
#include "gnss/model/signals.h"
#include "time/gps_time.h"
#include <array>
#include <cmath>

namespace ampletie {

/// What the solution leaves of a satellite's carriers at an epoch.
struct ResidualSample {
  GpsTime time;
  SatId sat;
  std::array<float, band_count> residual{NAN, NAN, NAN}; ///< m, between receivers, ionosphere removed; NaN: none
  float elevation = 0, azimuth = 0;                      ///< rad, at the rover
};

} // namespace ampletie
