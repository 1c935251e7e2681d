#include "adjustment/statistics.h"
#include "base/angle.h"
#include <algorithm>
#include <array>
#include <boost/math/distributions/chi_squared.hpp>
#include <boost/math/distributions/fisher_f.hpp>
#include <boost/math/distributions/non_central_chi_squared.hpp>
#include <boost/math/distributions/normal.hpp>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <map>
#include <tuple>

namespace ampletie {
namespace bm = boost::math;

double chi_squared_quantile(double p, double n) { return bm::quantile(bm::chi_squared(n), p); }
double chi_squared_cdf(double v, double n) { return v <= 0 ? 0 : bm::cdf(bm::chi_squared(n), v); }
double normal_quantile(double p) { return bm::quantile(bm::normal(), p); }
double student_quantile(double p, double n) { return bm::quantile(bm::students_t(n), p); }
double fisher_quantile(double p, double a, double b) { return bm::quantile(bm::fisher_f(a, b), p); }

double noncentrality(double alpha, double power, int q) {
  // A few combinations are asked for again and again, once per block of a network.
  thread_local std::map<std::tuple<double, double, int>, double> known;
  if (const auto it = known.find({alpha, power, q}); it != known.end()) return it->second;
  const double critical = chi_squared_quantile(1 - alpha, q);
  double low = 1e-6, high = 200;
  for (int i = 0; i < 100; ++i) {
    const double mid = (low + high) / 2;
    (bm::cdf(bm::complement(bm::non_central_chi_squared(q, mid), critical)) < power ? low : high) = mid;
  }
  return known[{alpha, power, q}] = (low + high) / 2;
}

double factor95(int d, int degrees) {
  if (degrees > 0) {
    // One network asks for the same ones at every mark and neighbour.
    thread_local std::map<std::pair<int, int>, double> estimated;
    const auto [it, fresh] = estimated.try_emplace({d, degrees});
    if (fresh) it->second = std::sqrt(d * fisher_quantile(0.95, d, degrees));
    return it->second;
  }
  const auto of = [](int n) { return std::sqrt(chi_squared_quantile(0.95, n)); };
  // Asked for once per row of every table.
  static const std::array<double, 3> usual{of(1), of(2), of(3)};
  return d >= 1 && d <= 3 ? usual[static_cast<std::size_t>(d - 1)] : of(d);
}

Ellipse ellipse(const Eigen::Matrix2d &c) {
  const double mean = (c(0, 0) + c(1, 1)) / 2, diff = (c(1, 1) - c(0, 0)) / 2, cross = (c(0, 1) + c(1, 0)) / 2;
  const double root = std::hypot(diff, cross);
  Ellipse e;
  e.major = std::sqrt(std::max(0.0, mean + root));
  e.minor = std::sqrt(std::max(0.0, mean - root));
  // tan 2t = 2 q_en / (q_nn − q_ee), quadrant from both signs.
  e.azimuth = std::atan2(cross, diff) / 2;
  if (e.azimuth < 0) e.azimuth += pi;
  return e;
}

namespace {
/// Radius of the 95 % circle in major axes, of an ellipse whose minor axis is c of the major one: the root of
/// P(r) = (1/2π) ∫ (1 − exp(−k r²)) / (2 k c) dθ, k = (cos²θ + sin²θ/c²)/2, by Newton's method from `start`.
double circle_radius(double c, double start) {
  // The midpoint rule converges geometrically for a periodic integrand, once its peaks (of width c/r) are resolved.
  const int n = std::max(96, static_cast<int>(24 / c));
  double r = start;
  for (int i = 0; i < 20; ++i) {
    double sum = 0, slope = 0;
    for (int j = 0; j < n; ++j) {
      const double t = 2 * pi * (j + 0.5) / n, a = std::cos(t), b = std::sin(t);
      const double k = (a * a + b * b / (c * c)) / 2, e = std::exp(-k * r * r);
      sum += (1 - e) / (2 * k * c), slope += r * e / c;
    }
    const double step = (0.95 - sum / n) / (slope / n);
    r += step;
    if (std::abs(step) < 1e-12) break;
  }
  return r;
}

/// The same at equal steps of c from nought to one, for cubic interpolation: networks ask for it once for every mark
/// and neighbour.
struct CircleTable {
  static constexpr int steps = 256;
  std::array<double, steps + 1> radius;
  CircleTable() {
    radius[0] = normal_quantile(0.975);
    for (int i = 1; i <= steps; ++i)
      radius[static_cast<std::size_t>(i)] =
          circle_radius(static_cast<double>(i) / steps, radius[static_cast<std::size_t>(i - 1)]);
  }
};
} // namespace

double circle95(const Ellipse &e, int degrees) {
  if (e.major <= 0) return 0;
  static const CircleTable table;
  const double at = std::clamp(e.minor / e.major, 0.0, 1.0) * CircleTable::steps;
  // Lagrange's polynomial through the four nodes around it.
  const int first = std::clamp(static_cast<int>(at) - 1, 0, CircleTable::steps - 3);
  const double x = at - first;
  const double *y = &table.radius[static_cast<std::size_t>(first)];
  const double r = -y[0] * (x - 1) * (x - 2) * (x - 3) / 6 + y[1] * x * (x - 2) * (x - 3) / 2 -
                   y[2] * x * (x - 1) * (x - 3) / 2 + y[3] * x * (x - 1) * (x - 2) / 6;
  return r * e.major * (degrees > 0 ? factor95(2, degrees) / factor95(2) : 1);
}

} // namespace ampletie
