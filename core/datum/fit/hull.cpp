#include "datum/fit/hull.h"
#include <algorithm>
#include <cmath>

namespace ampletie {
namespace {
using Eigen::Vector2d;
double turn(const Vector2d &a, const Vector2d &b, const Vector2d &c) {
  return (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x());
}
} // namespace

std::vector<Vector2d> convex_hull(std::vector<Vector2d> points) {
  const auto before = [](const Vector2d &a, const Vector2d &b) {
    return a.x() < b.x() || (a.x() == b.x() && a.y() < b.y());
  };
  std::sort(points.begin(), points.end(), before);
  points.erase(std::unique(points.begin(), points.end()), points.end());
  if (points.size() < 3) return points;
  std::vector<Vector2d> out;
  for (int side = 0; side < 2; ++side) {
    const std::size_t first = out.size();
    for (const Vector2d &p : points) {
      while (out.size() >= first + 2 && turn(out[out.size() - 2], out.back(), p) <= 0) out.pop_back();
      out.push_back(p);
    }
    out.pop_back();
    std::reverse(points.begin(), points.end());
  }
  return out;
}

double distance_outside(const std::vector<Vector2d> &hull, const Vector2d &p) {
  if (hull.empty()) return HUGE_VAL;
  bool inside = hull.size() > 2;
  double nearest = HUGE_VAL;
  for (std::size_t i = 0; i < hull.size(); ++i) {
    const Vector2d &a = hull[i], &b = hull[(i + 1) % hull.size()];
    if (turn(a, b, p) < 0) inside = false;
    const Vector2d d = b - a;
    const double along = d.squaredNorm() > 0 ? std::clamp((p - a).dot(d) / d.squaredNorm(), 0.0, 1.0) : 0;
    nearest = std::min(nearest, (p - a - along * d).norm());
  }
  return inside ? 0 : nearest;
}

} // namespace ampletie
