#include "geodesy/atmosphere.h"
#include "base/angle.h"
#include <array>
#include <cmath>

namespace ampletie {
namespace {

// Niell (1996), tables 3 and 4; columns are |latitude| 15, 30, 45, 60, 75 degrees, rows a, b, c.
using Table = std::array<std::array<double, 5>, 3>;
constexpr Table dry_mean{{{1.27699340e-03, 1.26832300e-03, 1.24653970e-03, 1.21960490e-03, 1.20459960e-03},
                          {2.91536950e-03, 2.91522990e-03, 2.92884450e-03, 2.90225650e-03, 2.90249120e-03},
                          {6.26105050e-02, 6.28373930e-02, 6.37217740e-02, 6.38242650e-02, 6.42584550e-02}}};
constexpr Table dry_amplitude{{{0, 1.27096260e-05, 2.65236620e-05, 3.40004520e-05, 4.12021910e-05},
                               {0, 2.14149790e-05, 3.01607790e-05, 7.25627220e-05, 1.17233750e-04},
                               {0, 9.01284000e-05, 4.34970370e-05, 8.47953480e-04, 1.70372060e-03}}};
constexpr Table wet_mean{{{5.80218970e-04, 5.67948470e-04, 5.81180190e-04, 5.97275420e-04, 6.16416930e-04},
                          {1.42752680e-03, 1.51386250e-03, 1.45727520e-03, 1.50074280e-03, 1.75990820e-03},
                          {4.34729610e-02, 4.67295100e-02, 4.39089310e-02, 4.46269820e-02, 5.47360380e-02}}};

double at_latitude(const std::array<double, 5> &row, double lat_deg) {
  const double x = (lat_deg - 15) / 15;
  if (x <= 0) return row[0];
  if (x >= 4) return row[4];
  const auto i = static_cast<std::size_t>(x);
  const double t = x - static_cast<double>(i);
  return row[i] * (1 - t) + row[i + 1] * t;
}

double continued_fraction(double s, double a, double b, double c) {
  return (1 + a / (1 + b / (1 + c))) / (s + a / (s + b / (s + c)));
}
} // namespace

double vapour_pressure(double temperature, double humidity) {
  const double t = temperature - 273.15;
  return humidity * 6.112 * std::exp(17.62 * t / (243.12 + t));
}

Meteorology standard_atmosphere(double z, double humidity) {
  constexpr double earth = 6356766, t0 = 288.15, lapse = 0.0065, g_over_rl = 5.2558797;
  const double h = earth * z / (earth + z); // geopotential height
  Meteorology m;
  m.temperature = t0 - lapse * h;
  m.pressure = 1013.25 * std::pow(m.temperature / t0, g_over_rl);
  m.vapour = vapour_pressure(m.temperature, humidity);
  return m;
}

double zenith_hydrostatic_delay(double p, double lat, double h) {
  return 0.0022768 * p / (1 - 0.00266 * std::cos(2 * lat) - 0.00000028 * h);
}

double zenith_wet_delay(const Meteorology &m) { return 0.002277 * (1255 / m.temperature + 0.05) * m.vapour; }

Mapping niell_mapping(double elevation, double lat, double height, double doy) {
  const double lat_deg = std::abs(degrees(lat));
  const double season = std::cos(2 * pi * (doy - 28 + (lat < 0 ? 182.625 : 0)) / 365.25);
  double d[3], w[3];
  for (std::size_t i = 0; i < 3; ++i) {
    d[i] = at_latitude(dry_mean[i], lat_deg) - at_latitude(dry_amplitude[i], lat_deg) * season;
    w[i] = at_latitude(wet_mean[i], lat_deg);
  }
  const double s = std::sin(elevation);
  const double lift = (1 / s - continued_fraction(s, 2.53e-5, 5.49e-3, 1.14e-3)) * height / 1000;
  return {continued_fraction(s, d[0], d[1], d[2]) + lift, continued_fraction(s, w[0], w[1], w[2])};
}

} // namespace ampletie
