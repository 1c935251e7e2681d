#include "geodesy/normal_gravity.h"
#include <cmath>

namespace ampletie {
namespace {
constexpr double a = 6378137, f = 1 / 298.257222101, m = 0.00344978600308;
constexpr double gamma_e = 9.7803267715, k = 0.001931851353, e2 = 0.00669438002290;
} // namespace

double normal_gravity(double lat) {
  const double s2 = std::sin(lat) * std::sin(lat);
  return gamma_e * (1 + k * s2) / std::sqrt(1 - e2 * s2);
}
double normal_gravity(double lat, double h) {
  const double s2 = std::sin(lat) * std::sin(lat);
  return normal_gravity(lat) * (1 - 2 * (1 + f + m - 2 * f * s2) * h / a + 3 * h * h / (a * a));
}
double mean_normal_gravity(double lat, double h) {
  const double s2 = std::sin(lat) * std::sin(lat);
  return normal_gravity(lat) * (1 - (1 + f + m - 2 * f * s2) * h / a + h * h / (a * a));
}

} // namespace ampletie
