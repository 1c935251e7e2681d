#pragma once
#include "traverse/plane.h"

namespace ampletie {

/// A look from the free station at a known mark, or from known marks at an unknown one.
struct StationSight {
  std::string mark;
  PlanePoint place;
  std::optional<double> direction, distance; ///< radians; m, reduced to the grid
  double direction_sd = 0, distance_sd = 0;
};

struct FreeStation {
  PlanePoint place;
  double orientation = 0;     ///< of the circle's zero, radians
  Eigen::Matrix2d covariance; ///< a priori, m²
  double semi_major = 0;      ///< of the standard ellipse, m
  /// How many times worse the geometry is than sights that come from all around: semi-major axis over what the same
  /// accuracies give then. Above 5 a warning.
  double weakness = 1;
  std::string danger; ///< a sentence when the station lies near the circle through three marks, or marks are too few
  AdjustmentResult adjustment;
  std::vector<std::string> observations; ///< of the tests: "direction to A"
  /// Another place that fits about as well (two distances, or two marks): where it is.
  std::optional<PlanePoint> other;
};
/// What is left over of one sight of a free station.
struct FreeResidual {
  std::string what;    ///< "distance to A"
  bool angle = false;  ///< radians, else m
  double residual = 0; ///< adjusted less observed
  double error = 0;    ///< of this sight alone that would explain it
  double w = 0, redundancy = 0;
  bool passes = true; ///< w within 3.29
};
std::vector<FreeResidual> residuals(const FreeStation &f);

/// Position and orientation from any mix of directions and distances to two or more marks, by least squares from
/// several beginnings. Throws `InputError` in words when the sights do not determine a place.
FreeStation free_station(const std::vector<StationSight> &sights, const Progress &progress = {});

/// Three-point resection in closed form (Tienstra; textbooks): clockwise angles from a to b and b to c at the station.
/// Throws `InputError` on the circle through the three marks.
PlanePoint three_point(const PlanePoint &a, const PlanePoint &b, const PlanePoint &c, double angle_ab, double angle_bc);

/// A mark seen from two known stations under known bearings. Throws `InputError` for sights that run alongside.
PlanePoint intersect(const PlanePoint &a, double bearing_a, const PlanePoint &b, double bearing_b);

} // namespace ampletie
