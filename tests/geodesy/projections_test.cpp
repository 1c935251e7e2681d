// Published grid examples, through the systems of the register that they belong to.
#include "base/angle.h"
#include "geodesy/operation.h"
#include "support/angles.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using ampletie::testing::dms;

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
