#pragma once
#include "traverse/plane.h"

namespace ampletie {

/// A station of a traverse as it was measured, reduced to the grid.
struct TraverseStation {
  std::string mark;
  double angle = 0; ///< clockwise from the mark before to the mark after, radians; of the first from the back sight
  double angle_sd = 0;
  bool has_angle = true;            ///< false at an end without a closing sight
  double length = 0, length_sd = 0; ///< to the next station, m; not read at the last
  double rise = 0, rise_sd = 0;     ///< to the next station, m
  bool has_rise = false;
};

struct TraverseInput {
  std::vector<TraverseStation> stations; ///< in the order of the route; a loop ends on its first mark
  PlanePoint start;
  /// Either the bearing of the first back sight, against which the first angle counts, or that of the first leg; then
  /// the first angle is not used.
  double start_bearing = 0;
  bool bearing_of_first_leg = false;
  std::optional<PlanePoint> end;     ///< held; absent: nothing closes the coordinates
  std::optional<double> end_bearing; ///< of the closing sight from the last station
  std::optional<double> start_height, end_height;
  /// How well what the route hangs on is known: of the end against the start (east, north), of the two bearings, and of
  /// the heights' difference.
  Eigen::Matrix2d known_covariance = Eigen::Matrix2d::Zero();
  double start_bearing_sd = 0, end_bearing_sd = 0, known_height_sd = 0;
};

enum class TraverseKind { loop, link, hanging };
std::string traverse_kind_name(TraverseKind k);

enum class AngleShare { none, equal, inverse_length };
enum class Balance { none, compass, transit, crandall, least_squares };
enum class HeightShare { none, equal, length };
const std::vector<Balance> &all_balances();
std::string balance_name(Balance b);
std::string angle_share_name(AngleShare a);
std::string height_share_name(HeightShare h);
/// Throw `InputError` for a name that is none.
Balance balance_by_name(std::string_view name);
AngleShare angle_share_by_name(std::string_view name);
HeightShare height_share_by_name(std::string_view name);

/// What does not close, before anything is shared out.
struct TraverseClosure {
  bool has_angular = false, has_linear = false, has_height = false;
  double angular = 0, angular_sd = 0;     ///< measured − known, radians; propagated
  double east = 0, north = 0, linear = 0; ///< with the angles as shared, m
  double linear_sd = 0;                   ///< propagated along its direction, m
  double length = 0;                      ///< of the legs, m
  double height = 0, height_sd = 0;
  /// χ² of everything that should close together, with its degrees and limit (α = 0.001).
  double statistic = 0, limit = 0;
  int degrees = 0;
  /// Length over misclosure; nothing where the misclosure is no more than rounding (0.5 mm).
  std::optional<double> ratio;
};

struct TraversePoint {
  std::string mark;
  PlanePoint place;
  std::optional<double> height;
  double moved = 0;    ///< against the unbalanced place, m
  double expected = 0; ///< standard deviation of that place along the move, m
  double sd = 0;       ///< of the place, each direction on the mean, when everything is adjusted, m
};

struct BalancedTraverse {
  Balance method = Balance::none;
  std::vector<TraversePoint> points;
  std::string warning; ///< when it moves a mark more than its accuracy explains, or has little to work on
};

/// A single gross error that would explain what does not close.
struct TraverseSuspect {
  std::string mark;
  bool angle = true;   ///< else the distance from this mark on
  double size = 0;     ///< measured − right, radians or m
  double left = 0;     ///< χ² that is left when it is put right
  bool clears = false; ///< what is left passes its test
};

struct TraverseResult {
  TraverseKind kind = TraverseKind::hanging;
  std::vector<double> bearings;     ///< of the legs, angles shared out, radians
  std::vector<double> angle_shares; ///< what each angle got, radians
  TraverseClosure closure;
  std::vector<TraversePoint> raw;         ///< angles shared, coordinates not
  std::vector<BalancedTraverse> balanced; ///< all methods, side by side
  std::vector<TraverseSuspect> suspects;  ///< best first; empty when everything closes
};

/// Angles, coordinates and heights along the route, what does not close, every balance side by side, and the single
/// mistakes that would explain it. Sources: docs/methods/traverse.md. Throws `InputError` for a route that is none.
TraverseResult compute_traverse(const TraverseInput &t, AngleShare angles, HeightShare heights);

} // namespace ampletie
