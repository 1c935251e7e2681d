#pragma once
#include "results/network_run.h"

namespace ampletie {

/// What residuals are drawn against.
enum class PatternAxis { length, height_difference, bearing, hours };
std::string axis_name(PatternAxis a); ///< "length", "height difference", "bearing", "time"

/// Residuals of one kind of observation against something that they should know nothing of. Residuals are adjusted less
/// observed, in metres; angles as what they are across at the target.
struct ResidualPattern {
  std::string kind; ///< "vectors, east", "vectors, up", "levels", "distances", "directions", "zenith angles"
  PatternAxis against = PatternAxis::length;
  struct Point {
    double x = 0;   ///< m; radians, 0 to 2π; hours since the first observation
    double v = 0;   ///< m
    std::string id; ///< of the observation
  };
  std::vector<Point> points;
  /// Straight line through their mean, v per unit of x, with its deviation from their own scatter; against bearings v =
  /// mean + c sin(x) + d cos(x), its amplitude in `slope` and where it is largest in `phase`.
  double mean = 0, slope = 0, slope_sd = 0, phase = 0;
  double statistic = 0, limit = 0; ///< F of the line or the wave, and what chance reaches in one of a thousand
  bool shows() const { return limit > 0 && statistic > limit; }
  std::string words() const; ///< "grow by 12 ± 2 mm per kilometre: …"; empty where nothing shows
};

/// Line or wave through the points of a pattern, and its test; the limit stays 0 where x has no spread, and of bearings
/// that leave out half of the circle.
void fit_pattern(ResidualPattern &p);

/// All that have eight points at least and some spread in x, those that show something first, then one of every axis.
/// Residuals of a network are correlated and shared out: the test is of least squares with equal weights (Draper and
/// Smith 1998, chapters 1 and 2), a finger that points, no verdict.
std::vector<ResidualPattern> residual_patterns(const JobSnapshot &s, const NetworkRun &run);

} // namespace ampletie
