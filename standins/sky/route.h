#pragma once
#include "base/vector.h"
#include "time/gps_time.h"
#include <string>
#include <vector>

namespace ampletie::sky {

/// Where a moving antenna is, by seconds from the session's start: through timed points (east, north, up of its mark,
/// m) with a velocity that runs on, and at rest where two points in a row are the same.
struct Route {
  struct Point {
    double t;
    Vec3 enu;
  };
  /// A standstill with a name, as the crew noted it.
  struct Stop {
    std::string name, code;
    double from, to;
  };
  /// The sky is shut from an azimuth to another (degrees, clockwise) below an elevation, for a while.
  struct Shade {
    double from, to, azimuth_from, azimuth_to, elevation;
  };
  std::vector<Point> points;
  std::vector<Stop> stops;
  std::vector<Shade> shades;
  double sway = 0, sway_period = 1.7; ///< of the antenna while it moves, m and s; a tenth of it at rest
  bool empty() const { return points.empty(); }
  Vec3 at(double t) const;
  bool rests(double t) const;
  double lowest() const;
  double highest() const;
};

} // namespace ampletie::sky
