#pragma once

namespace ampletie {

/// Mean radius that the closed forms on a sphere take, m; at a place use that of the ellipsoid.
inline constexpr double sphere_radius = 6371e3;

/// A slope distance between two points at ellipsoidal heights, brought down.
struct ReducedDistance {
  double chord = 0;           ///< at the ellipsoid, m: √((D² − Δh²) / ((1 + h₁/R)(1 + h₂/R)))
  double arc = 0;             ///< on the ellipsoid, m: 2R asin(chord/2R)
  double grid = 0;            ///< times the line's scale factor, m
  double combined_factor = 1; ///< grid over ground: scale · R/(R + mean height)
};
/// Closed forms on a sphere of radius R (textbooks). `slope`: between the points, atmosphere and constants applied;
/// `scale`: of the projection along the line. Throws `InputError` when the heights differ by more than the distance.
ReducedDistance reduce_slope(double slope, double h1, double h2, double scale = 1, double radius = sphere_radius);

/// Height difference between mark and target mark from one zenith angle.
struct ZenithSight {
  double zenith = 0;            ///< radians
  double instrument_height = 0; ///< m
  double target_height = 0;     ///< m
};
/// From a slope distance: D cos z + (1 − k)(D sin z)²/2R + i − t.
double trigonometric_height(const ZenithSight &s, double slope, double k, double radius = sphere_radius);
/// From an arc on the ellipsoid at a mean height: s(1 + hm/R) cot z + (1 − k)s²/2R + i − t.
double trigonometric_height_over_arc(const ZenithSight &s, double arc, double mean_height, double k,
                                     double radius = sphere_radius);

/// Both zenith angles at once: refraction falls out.
struct ReciprocalHeight {
  double difference = 0; ///< of the second above the first mark, m
  double k = 0;          ///< coefficient of refraction that the pair shows: 1 − (zA + zB − π) R/s
};
ReciprocalHeight reciprocal_height(const ZenithSight &there, const ZenithSight &back, double arc, double mean_height,
                                   double radius = sphere_radius);

} // namespace ampletie
