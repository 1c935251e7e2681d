#include "base/angle.h"
#include "geodesy/ellipsoid.h"
#include "geodesy/normal_gravity.h"
#include "support/angles.h"
#include <catch2/catch.hpp>
#include <erfa.h>
#include <random>

using namespace ampletie;
using ampletie::testing::dms;

// GEO-01: Moritz, Geodetic Reference System 1980.
TEST_CASE("GRS 80 derived constants") {
  CHECK(grs80.e2() == Approx(0.00669438002290).epsilon(1e-11));
  CHECK(grs80.b() == Approx(6356752.3141).margin(1e-4));
  CHECK(normal_gravity(0) == Approx(9.7803267715).margin(1e-10));
  CHECK(normal_gravity(pi / 2) == Approx(9.8321863685).margin(2e-9));
  CHECK(normal_gravity(pi / 4) == Approx(9.806199203).margin(1e-8));
}

// GEO-03, GEO-04: EPSG Guidance Note 7-2.
TEST_CASE("geodetic, geocentric and topocentric coordinates") {
  const Geodetic g{dms(53, 48, 33.820), dms(2, 7, 46.380), 73.0};
  const Vec3 x = to_cartesian(g, wgs84);
  CHECK((x - Vec3(3771793.968, 140253.342, 5124304.349)).norm() < 0.0015);
  const Geodetic back = to_geodetic(x, wgs84);
  CHECK(back.lat == Approx(g.lat).margin(1e-14));
  CHECK(back.h == Approx(73.0).margin(1e-8));
  const Vec3 enu = local_axes(radians(55), radians(5)) *
                   (Vec3(3771793.968, 140253.342, 5124304.349) - Vec3(3652755.3058, 319574.6799, 5201547.3536));
  CHECK((enu - Vec3(-189013.869, -128642.040, -4220.171)).cwiseAbs().maxCoeff() < 0.0011);
}

// GEO-05: IAU SOFA validation program.
TEST_CASE("SOFA geodetic conversions") {
  const Vec3 a = to_cartesian({-0.5, 3.1, 2500}, wgs84);
  CHECK((a - Vec3(-5599000.5577049947, 233011.67223479203, -3040909.4706983363)).norm() < 1e-6);
  const Geodetic b = to_geodetic({2e6, 3e6, 5.244e6}, wgs84);
  CHECK(b.lon == Approx(0.9827937232473290680).margin(1e-13));
  CHECK(b.lat == Approx(0.97160184819075459).margin(1e-13));
  CHECK(b.h == Approx(331.4172461426059892).margin(1e-7));
  const Geodetic c = to_geodetic({2e6, 3e6, 5.244e6}, grs80);
  CHECK(c.lat == Approx(0.97160184820607853).margin(1e-13));
  CHECK(c.h == Approx(331.41731754844348).margin(3e-6));
}

// GEO-07 (computed with PROJ).
TEST_CASE("a vector in the local frame") {
  const Vec3 s(1112189.660, -4842955.026, 3985352.284), d(1234.567, -2345.678, 890.123);
  const Vec3 enu = local_axes(to_geodetic(s)) * d;
  CHECK((enu - Vec3(678.2247, -917.2640, 2552.9038)).cwiseAbs().maxCoeff() < 1e-4);
  const Direction dir = direction_to(s, s + d);
  CHECK(degrees(dir.azimuth) == Approx(143 + 31 / 60.0 + 14.84 / 3600).margin(3e-6));
}

TEST_CASE("conversion is its own inverse everywhere a survey can be") {
  std::mt19937_64 random(7);
  std::uniform_real_distribution<double> lat(-pi / 2, pi / 2), lon(-pi, pi), h(-500, 9000);
  for (int i = 0; i < 2000; ++i) {
    const Geodetic g{lat(random), lon(random), h(random)};
    const Geodetic b = to_geodetic(to_cartesian(g));
    REQUIRE(std::abs(b.lat - g.lat) < 1e-14);
    REQUIRE(std::abs(b.h - g.h) < 5e-9);
  }
}

// ERFA: eraGc2gde (Fukushima 2006).
TEST_CASE("geodetic coordinates agree with those of ERFA") {
  std::mt19937_64 random(8);
  std::uniform_real_distribution<double> lat(-pi / 2, pi / 2), lon(-pi, pi), h(-5000, 20e3);
  for (int i = 0; i < 2000; ++i) {
    const Geodetic g{lat(random), lon(random), h(random)};
    Vec3 x = to_cartesian(g);
    double e = 0, p = 0, up = 0;
    REQUIRE(eraGc2gde(grs80.a, grs80.f, x.data(), &e, &p, &up) == 0);
    const Geodetic own = to_geodetic(x);
    REQUIRE(std::abs(own.lat - p) * grs80.a < 5e-8);
    REQUIRE(std::abs(std::remainder(own.lon - e, 2 * pi)) < 1e-14);
    REQUIRE(std::abs(own.h - up) < 5e-8);
  }
}
