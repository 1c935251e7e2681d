#pragma once
#include "datum/datum.h"
#include "results/setups.h"
#include "traverse/plane.h"

namespace ampletie {

/// A sight in the grid: what is added to its direction to become a grid bearing (up to the orientation), its length
/// and how that came about.
struct GridSight {
  double correction = 0; ///< arc-to-chord and, where the grid is used, what the target's height turns; radians
  double arc_to_chord = 0;
  double turn = 0;      ///< grid bearing less geodetic azimuth, radians
  double length = NAN;  ///< m
  double length_sd = 0; ///< of the sight alone, with the zenith angle and the plumb line on steep ones, m
  double combined_factor = 1;
};

/// Brings sights to the job's grid, or leaves them on the ground.
class TraverseGrid {
public:
  /// `places`: of marks, Cartesian, where they are known roughly; `datum` null: ground only.
  TraverseGrid(const TraverseSettings &set, const JobDatum *datum, const std::map<std::string, Vec3> &places);
  /// `target`: place of the target where it is not among the others; without one the meridian's convergence at the
  /// station stands in for it.
  GridSight reduce(const ReducedSetup &setup, const TargetSight &s, const Vec3 *target = nullptr) const;
  /// A place in the grid at an ellipsoidal height; nothing without a datum.
  std::optional<Vec3> place(const PlanePoint &grid, double h) const;
  /// ξ, η of the plumb line by the geoid's grid, radians; zero where nothing tells.
  Eigen::Vector2d deflection(const std::string &mark) const;
  /// Standard deviation of what the grid does not know of it, radians.
  double plumb_sd() const;
  /// A measured azimuth as a bearing in the grid (on the ground: from north), radians.
  double bearing_of(const ReducedSetup &setup, const TargetSight &s) const;
  /// A measured azimuth freed of the grid: geodetic where it was a bearing in it, else as read.
  double azimuth_of(const ReducedSetup &setup, const TargetSight &s) const;
  double refraction() const { return set_.k; } ///< coefficient that sights are freed of
  bool on_grid() const { return datum_ && set_.grid; }

private:
  const GridPoint *point(const std::string &mark) const;
  TraverseSettings set_;
  const JobDatum *datum_;
  const std::map<std::string, Vec3> &places_;
  mutable std::map<std::string, std::pair<GridPoint, Geodetic>> projected_;
  mutable std::map<std::string, Eigen::Vector2d> deflections_;
};

} // namespace ampletie
