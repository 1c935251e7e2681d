#include "base/angle.h"
#include "geodesy/ocean_loading.h"
#include <catch2/catch.hpp>
#include <cmath>
extern "C" {
#include <erfa.h>
}

using namespace ampletie;

TEST_CASE("arguments of the waves against ERFA's fundamental arguments") {
  // s, h, p from the IERS 2003 expressions (eraFaf03, eraFad03, eraFal03, eraFaom03); the hour angle of the mean Sun
  // from UT. Phase conventions of the diurnal waves: K1 +90°, O1 P1 Q1 −90° (IERS Conventions 2010, table 7.4 layout).
  for (int day = 1; day < 360; day += 37) {
    const GpsTime t = gps_time(Calendar{2026, 1, 1, 0, 0, 0}) + 86400.0 * day + 3600.0 * (day % 24) + 18;
    const double jd = mjd(t) - 18.0 / 86400 + 2400000.5, T = (jd - 2451545.0) / 36525;
    const double l = eraFal03(T), f = eraFaf03(T), d = eraFad03(T), om = eraFaom03(T);
    const double s = f + om, h = s - d, p = s - l;
    const double ut = 2 * pi * (jd + 0.5 - std::floor(jd + 0.5)); // from midnight
    const double tau = ut + pi + h - s;                           // lunar time
    const double expected[11] = {2 * tau,
                                 2 * (tau + s - h),
                                 2 * tau - s + p,
                                 2 * (tau + s),
                                 tau + s + pi / 2 - pi,
                                 tau - s - pi / 2 + pi,
                                 tau + s - 2 * h - pi / 2 + pi,
                                 tau - 2 * s + p - pi / 2 + pi,
                                 2 * s,
                                 s - p,
                                 2 * h};
    const auto a = tidal_arguments(t);
    for (std::size_t k = 0; k < 11; ++k) {
      INFO("wave " << k << " day " << day);
      CHECK(std::abs(std::remainder(a[k] - expected[k], 2 * pi)) < 0.02);
    }
  }
}

TEST_CASE("displacement of a single wave goes once around in its period") {
  OceanLoading c;
  c.amplitude[0][0] = 0.010; // M2 up
  c.amplitude[1][0] = 0.002; // west
  c.amplitude[2][0] = 0.003; // south
  const GpsTime t = gps_time(Calendar{2026, 5, 12, 0, 0, 0});
  constexpr double period = 12.4206012 * 3600; // M2
  double highest = 0;
  for (int k = 0; k < 48; ++k) {
    const Vec3 d = ocean_displacement(c, t + period * k / 48);
    const Vec3 again = ocean_displacement(c, t + period * (k + 48) / 48);
    CHECK((d - again).norm() < 2e-4);
    CHECK(d.x() == Approx(-0.2 * d.z()).margin(1e-9));
    CHECK(d.y() == Approx(-0.3 * d.z()).margin(1e-9));
    highest = std::max(highest, d.z());
  }
  CHECK(highest == Approx(0.010 * nodal_factors(t)[0].factor).margin(1e-4));
}

TEST_CASE("the lunar node's modulation: the sidelines that it stands for, summed") {
  // A line of amplitude 1 with its nodal sideline of relative amplitude r (Cartwright and Edden 1973: M2 −0.0373 at
  // argument −N, O1 0.1886 at +N, K1 0.1356 and −0.0198 at ±N) beats as f cos(a + u).
  for (int year = 2015; year < 2034; ++year) {
    const GpsTime t = gps_time(Calendar{year, 7, 1, 0, 0, 0});
    const double T = (mjd(t) + 2400000.5 - 2451545.0) / 36525, n = eraFaom03(T);
    auto beat = [&](double plus, double minus) {
      const double re = 1 + (plus + minus) * std::cos(n), im = (plus - minus) * std::sin(n);
      return std::pair(std::hypot(re, im), std::atan2(im, re));
    };
    const auto f = nodal_factors(t);
    const auto [m2, um2] = beat(0, -0.0373);
    CHECK(f[0].factor == Approx(m2).margin(0.004));
    CHECK(std::abs(f[0].angle) == Approx(std::abs(um2)).margin(0.004));
    const auto [o1, uo1] = beat(0.1886, 0);
    CHECK(f[5].factor == Approx(o1).margin(0.02));
    CHECK(std::abs(f[5].angle) == Approx(std::abs(uo1)).margin(0.02));
    CHECK(f[4].factor == Approx(beat(0.1356, -0.0198).first).margin(0.02));
    CHECK(f[1].factor == 1);
    CHECK(f[5].angle * f[4].angle <= 1e-9); // O1 leads when K1 lags
  }
}
