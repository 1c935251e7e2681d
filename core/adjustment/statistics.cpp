#include "adjustment/statistics.h"
#include "base/angle.h"
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

double factor95(int d) { return std::sqrt(chi_squared_quantile(0.95, d)); }

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

double circle95(const Ellipse &e) {
  if (e.major <= 0) return 0;
  const double c = e.minor / e.major;
  if (c < 1e-6) return normal_quantile(0.975) * e.major;
  // P(r) for unit major axis: (1/2π) ∫ (1 − exp(−r²/2 (cos² + sin²/c²)⁻¹ …)) dθ in polar form.
  auto probability = [c](double r) {
    // The midpoint rule converges geometrically for a periodic integrand; only needles want many points.
    const int n = c < 0.1 ? 720 : 96;
    double sum = 0;
    for (int i = 0; i < n; ++i) {
      const double t = 2 * pi * (i + 0.5) / n, a = std::cos(t), b = std::sin(t);
      const double k = (a * a + b * b / (c * c)) / 2;
      sum += (1 - std::exp(-k * r * r)) / (2 * k * c);
    }
    return sum / n;
  };
  double low = 1.9, high = 2.5;
  for (int i = 0; i < 36; ++i) {
    const double mid = (low + high) / 2;
    (probability(mid) < 0.95 ? low : high) = mid;
  }
  return (low + high) / 2 * e.major;
}

} // namespace ampletie
