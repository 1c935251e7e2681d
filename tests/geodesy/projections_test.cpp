// Published grid examples, through the systems of the register that they belong to.
#include "base/angle.h"
#include "base/error.h"
#include "geodesy/projection.h"
#include "support/angles.h"
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using ampletie::testing::dms;
using Catch::Matchers::Contains;

namespace {
struct Case {
  const char *name, *code;
  double lat, lon, east, north, margin;
};
} // namespace

TEST_CASE("projections of the register against EPSG Guidance Note 7-2 and other manuals") {
  const Case cases[] = {
      // PRJ-03: Airy 1830, transverse Mercator; printed value rounded within 1 cm.
      {"transverse Mercator, British grid", "EPSG:27700", dms(50, 30, 0), dms(0, 30, 0), 577274.99, 69740.50, 0.011},
      // PRJ-11: Lambert azimuthal equal area, Europe.
      {"equal area, Europe", "EPSG:3035", dms(50, 0, 0), dms(5, 0, 0), 3962799.45, 2999718.85, 0.01},
      // PRJ-29: Geocentric Datum of Australia technical manual, zone 54 south.
      {"zone 54 south", "EPSG:28354", -dms(37, 39, 10.1561), dms(143, 55, 35.3839), 758173.797, 5828674.340, 0.001},
      // PRJ-28: the same manual, zone 55 south.
      {"zone 55 south", "EPSG:28355", -dms(37, 57, 3.7203), dms(144, 25, 29.5244), 273741.297, 5796489.777, 0.001},
      // PRJ-06: universal polar stereographic north.
      {"polar stereographic", "EPSG:32661", dms(73, 0, 0), dms(44, 0, 0), 3320416.75, 632668.43, 0.01},
  };
  for (const Case &c : cases) {
    INFO(c.name);
    const Projection p(c.code);
    const GridPoint g = p.project({c.lat, c.lon, 0});
    CHECK(g.east == Approx(c.east).margin(c.margin));
    CHECK(g.north == Approx(c.north).margin(c.margin));
    const Geodetic back = p.unproject(g.east, g.north, 12);
    CHECK(back.lat == Approx(c.lat).margin(1e-11));
    CHECK(back.lon == Approx(c.lon).margin(1e-11));
    CHECK(back.h == 12);
  }
}

TEST_CASE("scale factor and convergence do not depend on the order of a system's axes") {
  // The same projection twice in the register: EPSG:3035 and 3034 name north first, 25833 east first.
  const struct {
    const char *code;
    double lon;
  } grids[] = {{"EPSG:25833", 16.2}, {"EPSG:3035", 16.2}, {"EPSG:2180", 16.2}, {"EPSG:27700", -1.5}};
  for (const auto &g : grids) {
    INFO(g.code);
    const Projection p(g.code);
    const Geodetic at{radians(52.1), radians(g.lon), 0};
    const GridPoint a = p.project(at);
    CHECK(a.scale > 0.98);
    CHECK(a.scale < 1.02);
    // By a step of another size along the parallel: a meridian and a parallel meet at right angles in conformal grids.
    const GridPoint b = p.project({at.lat, at.lon + 1e-6, 0});
    if (std::string(g.code) != "EPSG:3035")
      CHECK(a.convergence_rad == Approx(std::atan2(b.north - a.north, b.east - a.east)).margin(1e-6));
    CHECK(std::abs(a.convergence_rad) < 0.2);
  }
}

// EPSG Guidance Note 7-2: examples whose systems count in feet, or to the west and the south.
TEST_CASE("a grid is computed in metres east and north, and shown in its own figures") {
  // PRJ-01: NAD27 / Texas South Central, US survey feet.
  const Projection texas("EPSG:32040");
  const GridPoint t = texas.project({dms(28, 30, 0), -dms(96, 0, 0), 0});
  constexpr double foot = 1200.0 / 3937;
  CHECK(t.east == Approx(2963503.91 * foot).margin(0.004));
  CHECK(t.north == Approx(254759.80 * foot).margin(0.004));
  CHECK(t.scale == Approx(1).margin(2e-3));
  CHECK(texas.axes()[0].unit == "US survey foot");
  CHECK(texas.native(t.east, t.north).x() == Approx(2963503.91).margin(0.01));
  CHECK_THAT(texas.axes_words(), Catch::Matchers::Contains("US survey foot"));
  // PRJ-16: westing and southing.
  const Projection lo("EPSG:2053");
  const GridPoint s = lo.project({-dms(25, 43, 55.302), dms(28, 16, 57.479), 0});
  CHECK(s.east == Approx(-71984.49).margin(0.015));
  CHECK(s.north == Approx(-2847342.74).margin(0.015));
  const Eigen::Vector2d own = lo.native(s.east, s.north);
  CHECK(own.x() == Approx(71984.49).margin(0.015)); // Y, to the west, stands first
  CHECK(own.y() == Approx(2847342.74).margin(0.015));
  CHECK(lo.axes_words() == "Westing Y to the west, Southing X to the south, in metres");
  // West of the central meridian grid north lies east of true north here too: the axes are east and north.
  CHECK(s.convergence_rad ==
        Approx((dms(28, 16, 57.479) - dms(29, 0, 0)) * std::sin(-dms(25, 43, 55.302))).margin(1e-5));
  // PRJ-13: Krovak, southing first.
  const Projection krovak("EPSG:5513");
  const GridPoint k = krovak.project({dms(50, 12, 32.442), dms(16, 50, 59.179), 0});
  CHECK(k.north == Approx(-1050538.64).margin(0.015));
  CHECK(k.east == Approx(-568991.00).margin(0.015));
  // Longitudes of the base system from Paris, in grads; the same place in a system of degrees from Greenwich.
  const Projection paris("EPSG:27572");
  const GridPoint p = paris.project({radians(46.8), radians(2.5969213), 0});
  CHECK(paris.unproject(p.east, p.north, 0).lon == Approx(radians(2.5969213)).margin(1e-11));
  CHECK(p.east > 600000);
  CHECK(p.east < 640000);
  for (const Projection *all : {&texas, &lo, &krovak, &paris}) {
    const Eigen::Vector2d there(123456.789, -654321.123);
    CHECK((all->from_native(all->native(there.x(), there.y())) - there).norm() < 1e-8);
  }
}

TEST_CASE("the area of a system that goes all around the pole or over the antimeridian") {
  const Projection antarctic("EPSG:3031"), fiji("EPSG:3460"), utm("EPSG:25833");
  for (double lon : {-179.0, -90.0, 0.0, 39.6, 179.0})
    CHECK(antarctic.outside({radians(-69), radians(lon), 0}).empty());
  CHECK_FALSE(antarctic.outside({radians(-50), 0, 0}).empty());
  CHECK(fiji.outside({radians(-17), radians(178), 0}).empty());
  CHECK(fiji.outside({radians(-17), radians(-179.5), 0}).empty());
  CHECK_FALSE(fiji.outside({radians(-17), radians(-170), 0}).empty());
  for (double lon : {2.0, 30.0, 100.0, -150.0}) CHECK_FALSE(utm.outside({radians(46), radians(lon), 0}).empty());
  for (double lon : {11.6, 12.0, 15.0, 18.0, 18.4}) CHECK(utm.outside({radians(46), radians(lon), 0}).empty());
}

TEST_CASE("what the projection library cannot do or does wrongly is refused when it is opened") {
  CHECK_THROWS_WITH(Projection("EPSG:31300"), Contains("Belgium") && Contains("700 m"));
  CHECK_THROWS_WITH(Projection("EPSG:2985"), Contains("cannot be used"));
  CHECK_THROWS_WITH(Projection("EPSG:4258"), Contains("not a projected system"));
}

// 200 systems of the register, drawn with a fixed seed: to the grid and back within 0.1 mm over their area, or refused.
TEST_CASE("systems of the register come back to where they started, or are refused in words") {
  std::mt19937 random(42);
  std::uniform_int_distribution<int> codes(2000, 32766);
  int opened = 0, refused = 0;
  for (int tries = 0; opened + refused < 200 && tries < 20000; ++tries) {
    const std::string code = "EPSG:" + std::to_string(codes(random));
    try {
      const Projection p(code);
      ++opened;
      const auto centre = p.middle();
      if (!centre) continue;
      for (double step : {-0.003, 0.0, 0.004}) {
        const Geodetic at{centre->lat + step, centre->lon + step, 0};
        const GridPoint g = p.project(at);
        const Geodetic back = p.unproject(g.east, g.north, 0);
        INFO(code << " " << p.name());
        CHECK(std::abs(back.lat - at.lat) * 6.4e6 < 1e-4);
        CHECK(std::abs(std::remainder(back.lon - at.lon, 2 * pi)) * 6.4e6 * std::cos(at.lat) < 1e-4);
        for (const GridAxis &a : p.axes()) CHECK(a.metres > 0);
      }
    } catch (const InputError &e) {
      if (e.reason().find("not a coordinate system") != std::string::npos ||
          e.reason().find("not a projected system") != std::string::npos)
        continue; // no grid
      ++refused;
      CHECK_THAT(e.reason(), Contains("cannot be used"));
    }
  }
  CHECK(opened > 150);
}
