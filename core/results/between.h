#pragma once
#include "results/network_run.h"

namespace ampletie {

/// From one adjusted mark to another.
struct Between {
  std::string from, to;
  double slope_m = 0;     ///< straight through space, marker to marker
  double ellipsoid_m = 0; ///< along the ellipsoid; of marks up to some 50 km apart to a millimetre
  double ground_m = 0;    ///< level at the mean of both heights
  double azimuth_rad = 0; ///< geodetic, at `from`
  double zenith_rad = 0;  ///< at `from`, from the ellipsoid's normal
  double east_m = 0, north_m = 0, grid_m = 0, bearing_rad = 0; ///< in the grid
  double up_m = 0;                                             ///< difference of ellipsoidal heights
  std::optional<double> height_m;                              ///< of physical heights
  Mat3 cov_enu = Mat3::Zero(); ///< of the difference, on the axes at `from`, m²; held marks errorless
  double slope_sd_m = 0;
};

/// What a mark's east, north and up are made of: unknowns × 3 on the unknowns of the adjustment, that of the geoid's
/// surface under a physical height that holds it included; nought where it is held. With N the normal equations, Wᵀ N⁻¹
/// V is what two marks share, m².
Eigen::MatrixXd place_weights(const NetworkRun &run, const std::string &mark);

/// Throws `InputError` where the network has no place of one of them, or they are the same.
Between between(const NetworkRun &run, const std::string &from, const std::string &to);

} // namespace ampletie
