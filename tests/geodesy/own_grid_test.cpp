// Grids of one's own by typed parameters: those of the register's grids give their figures.
#include "base/angle.h"
#include "base/error.h"
#include "geodesy/own_grid.h"
#include "geodesy/projection.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using Catch::Matchers::Contains;

TEST_CASE("typed parameters of the register's grids give the register's coordinates") {
  struct Case {
    const char *typed, *code;
    double lat, lon;
  };
  // Parameters as EPSG's dataset has them.
  const Case all[] = {
      {"transverse-mercator lat=0 lon=15 scale=0.9996 east=500000", "EPSG:25833", 46.2, 13.8},
      {"Transverse-Mercator, lat=0, lon=-75, scale=0.9996, east=500000, north=10000000", "EPSG:31978", -12.3,
       -74.1}, // south
      {"lambert lat=46.5 lon=3 lat1=49 lat2=44 east=700000 north=6600000", "EPSG:2154", 48.1, 1.7},
      {"stereographic lat=46.5 lon=-66.5 scale=0.999912 east=2500000 north=7500000", "EPSG:2953", 46.1, -65.2},
      {"lambert lat=27d50'00\"N lon=99d00'00\"W lat1=28d23'00\"N lat2=30d17'00\"N east=1968500 north=13123333.3333333 "
       "unit=us-ft",
       "EPSG:6588", 29.2, -98.1}};
  for (const Case &c : all) {
    INFO(c.typed);
    REQUIRE(looks_like_own_grid(c.typed));
    const Projection own(own_grid_as_proj(c.typed)), known(c.code);
    const Geodetic g{radians(c.lat), radians(c.lon), 0};
    const GridPoint a = own.project(g), b = known.project(g);
    CHECK(a.east == Approx(b.east).margin(1e-4));
    CHECK(a.north == Approx(b.north).margin(1e-4));
    CHECK(a.scale == Approx(b.scale).epsilon(1e-9));
    own.check(g);
  }
}

TEST_CASE("a ground grid: lengths times the factor about a false origin that stays; an oblique line keeps its scale") {
  const Projection flat(own_grid_as_proj("transverse-mercator lat=46 lon=14 scale=1 east=1000 north=5000")),
      ground(own_grid_as_proj("transverse-mercator lat=46 lon=14 scale=1 east=1000 north=5000 factor=1.0001234"));
  const Geodetic middle{radians(46), radians(14), 0}, away{radians(46.01), radians(14.02), 0};
  CHECK(ground.project(middle).east == Approx(1000).margin(1e-6));
  CHECK(ground.project(middle).north == Approx(5000).margin(1e-6));
  CHECK(ground.project(away).east - 1000 == Approx(1.0001234 * (flat.project(away).east - 1000)).epsilon(1e-12));
  CHECK(ground.project(away).north - 5000 == Approx(1.0001234 * (flat.project(away).north - 5000)).epsilon(1e-12));
  const Projection oblique(
      own_grid_as_proj("oblique-mercator lat=46.3 lon=7.5 azimuth=53.3 scale=0.9998 east=1000 north=2000"));
  const GridPoint p = oblique.project({radians(46.3), radians(7.5), 0});
  CHECK(p.east == Approx(1000).margin(1e-4));
  CHECK(p.north == Approx(2000).margin(1e-4));
  CHECK(p.scale == Approx(0.9998).epsilon(1e-7));
}

TEST_CASE("what no grid can be is refused in words") {
  const auto refused = [](const char *text, const char *why) {
    INFO(text);
    CHECK_THROWS_WITH(own_grid_as_proj(text), Contains(why));
  };
  refused("mercator lat=3", "begins with its method");
  refused("", "begins with its method");
  refused("transverse-mercator lat=46", "needs lon");
  refused("transverse-mercator lat=46 lon=14 lat=47", "said twice");
  refused("transverse-mercator lat=146 lon=14", "no angle");
  refused("transverse-mercator lat=46 lon=14 scale=nan", "between");
  refused("transverse-mercator lat=46 lon=14 shift=3", "no parameter");
  refused("lambert lat=46 lon=14 lat2=44", "lat1 is missing");
  refused("transverse-mercator lat=46 lon=14 unit=cubit", "one of m, ft");
  refused("transverse-mercator lat=46 lon=14 ellipsoid=bessel", "GRS80 or WGS84");
  refused("transverse-mercator lat 46 lon 14", "no NAME=VALUE");
  CHECK_FALSE(looks_like_own_grid("EPSG:25833"));
  CHECK_FALSE(looks_like_own_grid("+proj=tmerc +lat_0=46"));
  CHECK_FALSE(looks_like_own_grid("local:46:14:300"));
}
