// The job's systems together: what a control sheet shows must hang together for any place and grid.
#include "base/angle.h"
#include "datum/datum.h"
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;

TEST_CASE("coordinates, heights and factors hang together all over a grid's area") {
  std::mt19937_64 random(31);
  std::uniform_real_distribution<double> lat(45.5, 48.5), lon(12.5, 17.5), h(-20, 2800);
  const JobDatum d({"EPSG:25833", "EPSG:5773", "", 2026.36}, {radians(46.3), radians(13.9), 0});
  for (int i = 0; i < 200; ++i) {
    const Geodetic g{radians(lat(random)), radians(lon(random)), h(random)};
    const FullPosition p = d.describe({to_cartesian(g), d.frame(), 2026.36});
    REQUIRE(p.height);
    // h = H + N, and back through the grid.
    CHECK(*p.height + *p.undulation == Approx(g.h).margin(1e-8));
    CHECK((d.from_grid(p.grid.east, p.grid.north, *p.height).xyz - p.ecef.xyz).norm() < 1e-6);
    CHECK((d.from_geodetic(g.lat, g.lon, g.h).xyz - p.ecef.xyz).norm() < 1e-9);
    // Transverse Mercator: k = k0 (1 + x²/2R²) to fourth order; convergence = Δλ sin φ to third.
    const double x = (p.grid.east - 500000) / 0.9996;
    const double r = std::sqrt(meridian_radius(g.lat) * prime_vertical_radius(g.lat));
    CHECK(p.grid.scale == Approx(0.9996 * (1 + x * x / (2 * r * r))).margin(2e-7));
    const double dl = g.lon - radians(15);
    CHECK(p.grid.convergence_rad == Approx(dl * std::sin(g.lat)).margin(2e-5));
    CHECK(p.combined_factor == Approx(p.grid.scale * r / (r + g.h)).margin(1e-12));
  }
}

TEST_CASE("a small step on the ground is the grid step over the combined factor") {
  const JobDatum d({"EPSG:25833", "", "", 2026.36}, {radians(46.3), radians(13.9), 0});
  const Geodetic a{radians(46.3), radians(13.9), 1200}, b{radians(46.3) + 2e-6, radians(13.9) + 3e-6, 1200};
  const FullPosition p = d.describe({to_cartesian(a), d.frame(), 2026.36}),
                     q = d.describe({to_cartesian(b), d.frame(), 2026.36});
  const double ground = (q.ecef.xyz - p.ecef.xyz).norm(),
               grid = std::hypot(q.grid.east - p.grid.east, q.grid.north - p.grid.north);
  CHECK(grid / ground == Approx(p.combined_factor).margin(1e-6));
}
