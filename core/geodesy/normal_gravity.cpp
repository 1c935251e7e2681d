#include "geodesy/normal_gravity.h"
#include <cmath>

namespace ampletie {
namespace {
constexpr double axis = 6378137, flattening = 1 / 298.257222101, rotation = 0.00344978600308;
constexpr double gamma_e = 9.7803267715, k = 0.001931851353, e2 = 0.00669438002290;
} // namespace

double normal_gravity(double lat) {
  const double s2 = std::sin(lat) * std::sin(lat);
  return gamma_e * (1 + k * s2) / std::sqrt(1 - e2 * s2);
}
double normal_gravity(double lat, double h) {
  const double s2 = std::sin(lat) * std::sin(lat);
  return normal_gravity(lat) *
         (1 - 2 * (1 + flattening + rotation - 2 * flattening * s2) * h / axis + 3 * h * h / (axis * axis));
}
double mean_normal_gravity(double lat, double h) {
  const double s2 = std::sin(lat) * std::sin(lat);
  return normal_gravity(lat) *
         (1 - (1 + flattening + rotation - 2 * flattening * s2) * h / axis + h * h / (axis * axis));
}

} // namespace ampletie
