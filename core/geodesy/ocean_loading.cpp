#include "geodesy/ocean_loading.h"
#include "base/angle.h"
#include <cmath>

namespace ampletie {

std::array<double, 11> tidal_arguments(GpsTime t) {
  constexpr std::array<double, 11> speed{1.40519e-4, 1.45444e-4, 1.37880e-4,  1.45842e-4,  0.72921e-4, 0.67598e-4,
                                         0.72523e-4, 0.64959e-4, 0.053234e-4, 0.026392e-4, 0.003982e-4};
  constexpr double factor[11][4] = {{2, -2, 0, 0},   {0, 0, 0, 0},      {2, -3, 1, 0},     {2, 0, 0, 0},
                                    {1, 0, 0, 0.25}, {1, -2, 0, -0.25}, {-1, 0, 0, -0.25}, {1, -3, 1, -0.25},
                                    {0, 2, 0, 0},    {0, 1, -1, 0},     {2, 0, 0, 0}};
  const Calendar c = calendar(t + -static_cast<double>(gps_minus_utc(t)));
  const double second = c.hour * 3600.0 + c.minute * 60.0 + c.second;
  const double day = static_cast<double>(modified_julian_day(c.year, c.month, c.day) - 42412); // from 1974-12-31
  const double T = (27392.500528 + 1.000000035 * day) / 36525;
  const double h = radians(279.69668 + (36000.768930485 + 3.03e-4 * T) * T);
  const double s = radians(((1.9e-6 * T - 0.001133) * T + 481267.88314137) * T + 270.434358);
  const double p = radians(((-1.2e-5 * T - 0.010325) * T + 4069.0340329577) * T + 334.329653);
  std::array<double, 11> out{};
  for (std::size_t k = 0; k < 11; ++k) {
    const double a = speed[k] * second + factor[k][0] * h + factor[k][1] * s + factor[k][2] * p + factor[k][3] * 2 * pi;
    out[k] = a - 2 * pi * std::floor(a / (2 * pi));
  }
  return out;
}

std::array<NodalFactor, 11> nodal_factors(GpsTime t) {
  const double centuries = (static_cast<double>(mjd(t)) - 51544.5) / 36525;
  const double n = radians(125.04455501 - 1934.1361849 * centuries);
  const double c = std::cos(n), s = std::sin(n), c2 = std::cos(2 * n), s2 = std::sin(2 * n);
  const NodalFactor m2{1 - 0.037 * c, radians(-2.1 * s)},
      o1{1.009 + 0.187 * c - 0.015 * c2, radians(10.8 * s - 1.3 * s2)}, none{};
  return {m2,
          none,
          m2,
          {1.024 + 0.286 * c + 0.008 * c2, radians(-17.7 * s + 0.7 * s2)},
          {1.006 + 0.115 * c - 0.009 * c2, radians(-8.9 * s + 0.7 * s2)},
          o1,
          none,
          o1,
          {1.043 + 0.414 * c, radians(-23.7 * s + 2.7 * s2)},
          {1 - 0.130 * c, 0},
          none};
}

Vec3 ocean_displacement(const OceanLoading &c, GpsTime t) {
  const auto a = tidal_arguments(t);
  const auto node = nodal_factors(t);
  std::array<double, 3> sum{};
  for (std::size_t i = 0; i < 3; ++i)
    for (std::size_t k = 0; k < 11; ++k)
      sum[i] += node[k].factor * c.amplitude[i][k] * std::cos(a[k] + node[k].angle - c.phase[i][k]);
  return {-sum[1], -sum[2], sum[0]};
}

} // namespace ampletie
