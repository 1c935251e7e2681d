#include "sky/route.h"
#include <algorithm>
#include <cmath>

namespace ampletie::sky {
namespace {
constexpr double turn = 6.283185307179586;

std::size_t leg(const std::vector<Route::Point> &p, double t) {
  const auto it = std::upper_bound(p.begin(), p.end(), t, [](double x, const Route::Point &q) { return x < q.t; });
  return it == p.begin() ? 0 : std::min(static_cast<std::size_t>(it - p.begin()) - 1, p.size() - 2);
}
bool same(const Route::Point &a, const Route::Point &b) { return (a.enu - b.enu).norm() < 1e-9; }

/// Velocity in a point: at rest on either side of a standstill and at the ends.
Vec3 tangent(const std::vector<Route::Point> &p, std::size_t i) {
  if (i == 0 || i + 1 == p.size() || same(p[i], p[i - 1]) || same(p[i], p[i + 1])) return Vec3::Zero();
  return (p[i + 1].enu - p[i - 1].enu) / (p[i + 1].t - p[i - 1].t);
}
} // namespace

bool Route::rests(double t) const {
  if (points.size() < 2) return true;
  const std::size_t i = leg(points, t);
  return same(points[i], points[i + 1]) || t < points.front().t || t > points.back().t;
}

Vec3 Route::at(double t) const {
  Vec3 out;
  if (points.size() == 1 || t <= points.front().t)
    out = points.front().enu;
  else if (t >= points.back().t)
    out = points.back().enu;
  else {
    const std::size_t i = leg(points, t);
    const Point &a = points[i], &b = points[i + 1];
    const double T = b.t - a.t, u = (t - a.t) / T, u2 = u * u, u3 = u2 * u;
    out = (2 * u3 - 3 * u2 + 1) * a.enu + (u3 - 2 * u2 + u) * T * tangent(points, i) + (3 * u2 - 2 * u3) * b.enu +
          (u3 - u2) * T * tangent(points, i + 1);
  }
  const double a = (rests(t) ? 0.1 : 1) * sway;
  return out + a * Vec3(std::sin(turn * t / sway_period), std::sin(turn * t / (1.31 * sway_period) + 1),
                        0.7 * std::sin(2 * turn * t / sway_period + 2));
}

double Route::lowest() const {
  return std::min_element(points.begin(), points.end(), [](auto &a, auto &b) { return a.enu.z() < b.enu.z(); })
      ->enu.z();
}
double Route::highest() const {
  return std::max_element(points.begin(), points.end(), [](auto &a, auto &b) { return a.enu.z() < b.enu.z(); })
      ->enu.z();
}

} // namespace ampletie::sky
