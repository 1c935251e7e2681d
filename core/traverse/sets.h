#pragma once
#include "traverse/setup.h"
#include <Eigen/Core>

namespace ampletie {

/// One target in one set: the mean of its faces.
struct FaceMean {
  int set = 0;
  std::string target;
  double direction = NAN, zenith = NAN; ///< radians, reduced to face 1; NaN: not read
  double slope = NAN;                   ///< m, mean as shown
  double direction_sd = 0;              ///< as stated with reduced observations; 0: by the standard
  /// Half of what the faces differ by: of directions (line of sight, as it shows in the circle) and of zenith angles
  /// (index); NaN with one face only.
  double collimation = NAN, index = NAN;
  bool both_faces = false;
  std::vector<std::size_t> pointings; ///< indices into the set-up
  double residual = NAN;              ///< of the direction against the mean of sets, radians
  double zenith_residual = NAN, slope_residual = NAN;
};

/// A target over all sets.
struct TargetMean {
  std::string target;
  PointingKind kind = PointingKind::detail;
  double direction = NAN; ///< against the first target of the set-up, radians in [0, 2π)
  double zenith = NAN, slope = NAN;
  double horizontal = NAN, rise = NAN;   ///< m, of reduced observations
  double azimuth = NAN, azimuth_sd = 0;  ///< radians
  bool grid_bearing = false;             ///< the azimuth counts from grid north
  double horizontal_sd = 0, rise_sd = 0; ///< m; 0: not stated
  double target_height = 0, prism_constant = 0;
  int sets = 0, pointings = 0;
  bool both_faces = true;
  /// Largest less smallest set mean, and what it may be for the instrument, sight length and number of sets.
  double direction_spread = 0, direction_limit = 0, zenith_spread = 0, zenith_limit = 0, slope_spread = 0,
         slope_limit = 0;
  double direction_sd = 0, zenith_sd = 0, slope_sd = 0; ///< of the mean, from the instrument's standard
  bool within_limits() const {
    return direction_spread <= direction_limit && zenith_spread <= zenith_limit && slope_spread <= slope_limit;
  }
};

struct SetReduction {
  std::vector<FaceMean> faces;
  std::vector<TargetMean> targets;       ///< in the order in which they were first looked at
  double collimation = NAN, index = NAN; ///< means over all pairs of faces, radians
  int pairs = 0;
  /// Of the directions that are given, in the order of `targets`, up to a common turn of all of them: with one unknown
  /// orientation they weigh as the single sets do with an orientation each.
  Eigen::MatrixXd direction_covariance;
  struct Trouble {
    std::string what;
    bool one_face = false; ///< one face stands alone in its set
  };
  std::vector<Trouble> troubles; ///< face left alone, target height that changes, targets that no set joins
  const TargetMean *find(const std::string &target) const;
};

/// Reduces the used pointings of a set-up: means of faces, then of sets. Each set has an orientation of its own, so
/// that sets in which a target is missing count too: directions and orientations come from least squares, weighted by
/// the accuracy of each sight (for complete sets that is the plain mean of the reduced sets). A face-1 reading alone is
/// corrected by the set-up's mean collimation and index where there is one. Limits of spreads: α = 0.001 of the range
/// of n normal numbers (Bonferroni over the pairs), from the standard.
SetReduction reduce_sets(const StationSetup &s, const InstrumentStandard &standard);

/// Angle in [0, 2π).
double positive_angle(double a);
/// Angle in (−π, π].
double small_angle(double a);

} // namespace ampletie
