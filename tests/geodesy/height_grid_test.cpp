// Grids of geoid heights: interpolation against the polynomials that its author says it gives exactly, edges, gaps,
// the antimeridian, cut-outs.
#include "base/angle.h"
#include "base/error.h"
#include "geodesy/height_grid.h"
#include <catch2/catch.hpp>
#include <cmath>
#include <random>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
template <class F> HeightGrid filled(double south, double west, double step, int rows, int columns, F f) {
  HeightGrid g;
  g.name = "trial";
  g.south = south, g.west = west, g.step_lat = g.step_lon = step, g.rows = rows, g.columns = columns;
  for (int r = 0; r < rows; ++r)
    for (int c = 0; c < columns; ++c) g.values.push_back(static_cast<float>(f(south + r * step, west + c * step)));
  return g;
}
double quadratic(double lat, double lon) {
  const double y = lat - 46, x = lon - 8;
  return 48 + 1.5 * y - 2.25 * x + 0.75 * y * y - 0.5 * x * x + 0.25 * x * y;
}
Geodetic at(double lat, double lon) { return {radians(lat), radians(lon), 0}; }
} // namespace

TEST_CASE("bicubic reading gives surfaces of the second degree exactly, bilinear planes") {
  // Keys (1981): third-order convergence, "reproduces any second-degree polynomial".
  const HeightGrid g = filled(45, 7, 0.125, 17, 17, quadratic);
  const auto plane = [](double lat, double lon) { return 50 + 0.5 * lat - 0.25 * lon; };
  const HeightGrid flat = filled(45, 7, 0.125, 17, 17, plane);
  std::mt19937 random(7);
  std::uniform_real_distribution<double> u(0, 2);
  double worst_bilinear = 0;
  for (int i = 0; i < 500; ++i) {
    // Up to and on the edge.
    const double lat = 45 + (i % 10 == 0 ? 2.0 : u(random)), lon = 7 + (i % 15 == 0 ? 0.0 : u(random));
    const double truth = quadratic(lat, lon);
    CHECK(height_in_grid(g, at(lat, lon), GridInterpolation::bicubic) == Approx(truth).margin(2e-5));
    worst_bilinear =
        std::max(worst_bilinear, std::abs(height_in_grid(g, at(lat, lon), GridInterpolation::bilinear) - truth));
    for (auto how : {GridInterpolation::bilinear, GridInterpolation::bicubic})
      CHECK(height_in_grid(flat, at(lat, lon), how) == Approx(plane(lat, lon)).margin(1e-5));
  }
  // What bilinear reading misses: h²/8 of the second derivatives, here of opposite signs.
  CHECK(worst_bilinear > 0.125 * 0.125 / 8 * 1.5 * 0.9);
  CHECK(worst_bilinear < 0.125 * 0.125 / 8 * 1.5 * 1.05);
}

TEST_CASE("a grid is continuous over the antimeridian and all around the Earth") {
  const auto wave = [](double lat, double lon) { return 20 * std::sin(radians(lon)) + 0.1 * lat; };
  // Nodes from 0 to 359°, from −180 to 180° with the last column repeated, and a piece across the antimeridian.
  for (const HeightGrid &g : {filled(-90, 0, 1, 181, 360, wave), filled(-90, -180, 1, 181, 361, wave),
                              filled(-20, 170, 1, 41, 21, wave), filled(-20, -190, 1, 41, 21, wave)})
    for (double lon : {179.5, 180.0, -180.0, -179.25, 174.5})
      for (auto how : {GridInterpolation::bilinear, GridInterpolation::bicubic})
        CHECK(height_in_grid(g, at(-10.5, lon), how) == Approx(wave(-10.5, lon)).margin(0.001));
  const HeightGrid piece = filled(-20, 170, 1, 41, 21, wave);
  CHECK_THROWS_WITH(height_in_grid(piece, at(0, -169), GridInterpolation::bicubic), Contains("lies outside the grid"));
  CHECK_THROWS_WITH(height_in_grid(piece, at(21, 175), GridInterpolation::bicubic), Contains("lies outside the grid"));
  CHECK(distance_to_edge(piece, at(0, -170.5)) == Approx(0.5 * 111319.5).margin(200));
  CHECK(distance_to_edge(piece, at(0, -169)) == Approx(-111319.5).margin(500));
  CHECK(distance_to_edge(filled(-90, 0, 1, 181, 360, wave), at(89, 5)) == Approx(111694).margin(200));
}

TEST_CASE("a node without a value is not guessed") {
  HeightGrid g = filled(45, 7, 0.5, 5, 5, quadratic);
  g.values[2 * 5 + 2] = NAN;
  // In a cell of its own it is missing, elsewhere the other nodes do.
  CHECK_THROWS_WITH(height_in_grid(g, at(46.2, 8.2), GridInterpolation::bilinear), Contains("no value"));
  CHECK_THROWS_WITH(height_in_grid(g, at(46.2, 8.2), GridInterpolation::bicubic), Contains("no value"));
  const double beside = height_in_grid(g, at(46.75, 8.75), GridInterpolation::bicubic);
  CHECK(beside == height_in_grid(g, at(46.75, 8.75), GridInterpolation::bilinear));
  // On a line between two nodes that are there the third does not count.
  CHECK(std::isfinite(height_in_grid(g, at(45.5, 8.0), GridInterpolation::bilinear)));
}

TEST_CASE("a cut-out gives what the whole grid gives") {
  const HeightGrid whole = filled(-90, 0, 0.5, 361, 720, [](double lat, double lon) {
    return 20 * std::sin(radians(3 * lon)) * std::cos(radians(2 * lat)) + 0.1 * lat;
  });
  std::mt19937 random(3);
  for (const Geodetic &centre : {at(46.2, 8.9), at(-17.8, 179.9), at(-17.8, -179.9), at(0.1, 0.1), at(89.5, 10)}) {
    const double radius = 120e3;
    const HeightGrid part = cut_out(whole, centre, radius);
    CHECK(part.values.size() == static_cast<std::size_t>(part.rows) * static_cast<std::size_t>(part.columns));
    if (degrees(centre.lat) < 80) CHECK(part.values.size() < 400);
    std::uniform_real_distribution<double> u(-1, 1);
    for (int i = 0; i < 100; ++i) {
      Geodetic p = centre;
      p.lat = std::min(p.lat + u(random) * radius * 0.99 / 6.4e6, pi / 2);
      p.lon = std::remainder(p.lon + u(random) * radius * 0.99 / (6.4e6 * std::cos(centre.lat)), 2 * pi);
      for (auto how : {GridInterpolation::bilinear, GridInterpolation::bicubic})
        CHECK(height_in_grid(part, p, how) == Approx(height_in_grid(whole, p, how)).margin(1e-6));
    }
  }
  CHECK_THROWS_AS(cut_out(filled(45, 7, 0.5, 5, 5, quadratic), at(40, 8), 1000), InputError);
}

TEST_CASE("figures of a grid that cannot be are refused") {
  const auto refused = [](double south, double west, double dlat, double dlon, long rows, long columns,
                          const char *why) {
    CHECK_THROWS_WITH(check_grid_shape(south, west, dlat, dlon, rows, columns), Contains(why));
  };
  refused(45, 7, 0, 0.1, 10, 10, "steps");
  refused(45, 7, 0.1, NAN, 10, 10, "steps");
  refused(45, 7, 0.1, 0.1, 1, 10, "rows");
  refused(45, 7, 0.1, 0.1, 10, -3, "rows");
  refused(45, 7, 0.001, 0.001, 20000, 20000, "too large");
  refused(80, 7, 1, 1, 20, 10, "latitude");
  refused(NAN, 7, 1, 1, 20, 10, "latitude");
  refused(10, 7, 1, 1, 20, 400, "longitude");
  refused(10, 1e9, 1, 1, 20, 40, "longitude");
  HeightGrid g = filled(45, 7, 0.5, 5, 5, quadratic);
  CHECK_NOTHROW(check_grid_values(g));
  g.values[7] = 1234;
  CHECK_THROWS_WITH(check_grid_values(g), Contains("A model of the ground"));
  g.values.assign(25, NAN);
  CHECK_THROWS_WITH(check_grid_values(g), Contains("none of its nodes"));
}

TEST_CASE("the permanent tide has the size that Ekman gives") {
  // Ekman (1989): mean over zero tide 9.9 − 29.6 sin²φ cm: +9.9 cm at the equator, −19.7 cm at the poles.
  CHECK(permanent_tide(0, false) - permanent_tide(0, true) == Approx(0.099));
  CHECK(permanent_tide(pi / 2, false) - permanent_tide(pi / 2, true) == Approx(-0.197));
  CHECK(permanent_tide(pi / 2, true) == Approx(-0.0591));
}
