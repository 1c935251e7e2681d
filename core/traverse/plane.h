#pragma once
#include "adjustment/adjustment.h"
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace ampletie {

/// A place in a grid or a local plane, m.
struct PlanePoint {
  double east = 0, north = 0;
};
/// Clockwise from north, radians in [0, 2π).
double bearing(const PlanePoint &from, const PlanePoint &to);
double distance(const PlanePoint &a, const PlanePoint &b);
PlanePoint polar(const PlanePoint &from, double bearing, double distance);

/// An observation in the plane. Angles in radians, lengths in m, reduced to the grid beforehand.
struct PlaneObservation {
  enum class Kind {
    direction, ///< at → to, against the orientation `set`
    angle,     ///< at: clockwise from `back` to `to`
    bearing,   ///< at → to
    distance   ///< at – to
  } kind = Kind::distance;
  std::string id, at, to, back, set;
  double value = 0, sd = 0;
};

/// A small network in the plane: for free stations, intersections and single traverses. The job's network is adjusted
/// in space; this is what a single line says by itself.
struct PlaneNetwork {
  std::map<std::string, PlanePoint> fixed, start; ///< held marks; places to begin from of the others
  std::vector<PlaneObservation> observations;
  AdjustmentOptions options;
};
struct PlaneResult {
  AdjustmentResult adjustment; ///< tests in the order of the observations
  std::map<std::string, PlanePoint> points;
  std::map<std::string, Eigen::Matrix2d> covariance; ///< east, north, m²; a priori
  std::map<std::string, double> orientations;        ///< set → circle's zero, radians
};
/// Least squares through the one adjustment core. Throws `InputError` when a mark has no place to begin from and
/// `SingularError` for a configuration that determines nothing.
PlaneResult adjust_plane(const PlaneNetwork &n, const Progress &progress = {});

} // namespace ampletie
