// Jobs in grids of datums from before satellites, on other ellipsoids.
#include "base/angle.h"
#include "base/error.h"
#include "datum/datum.h"
#include <catch2/catch.hpp>
#include <cmath>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
constexpr Ellipsoid bessel{6377397.155, 1 / 299.1528128};

/// The Swiss oblique cylindrical projection by the closed formulas of the Federal Office of Topography ("Formulas and
/// constants for the calculation of the Swiss conformal cylindrical projection", 2016), written here a second time.
Eigen::Vector2d swiss_grid(const Geodetic &g) {
  const double e = std::sqrt(bessel.e2()), lat0 = radians(46 + 57 / 60.0 + 8.66 / 3600),
               lon0 = radians(7 + 26 / 60.0 + 22.50 / 3600);
  const auto isometric = [&](double lat) {
    return std::log(std::tan(pi / 4 + lat / 2)) - e / 2 * std::log((1 + e * std::sin(lat)) / (1 - e * std::sin(lat)));
  };
  const double radius = bessel.a * std::sqrt(1 - e * e) / (1 - std::pow(e * std::sin(lat0), 2));
  const double alpha = std::sqrt(1 + e * e / (1 - e * e) * std::pow(std::cos(lat0), 4));
  const double b0 = std::asin(std::sin(lat0) / alpha);
  const double k = std::log(std::tan(pi / 4 + b0 / 2)) - alpha * isometric(lat0);
  const double b = 2 * (std::atan(std::exp(alpha * isometric(g.lat) + k)) - pi / 4), l = alpha * (g.lon - lon0);
  const double turned = std::atan2(std::sin(l), std::sin(b0) * std::tan(b) + std::cos(b0) * std::cos(l));
  const double up = std::asin(std::cos(b0) * std::sin(b) - std::sin(b0) * std::cos(b) * std::cos(l));
  return {radius * turned + 2600000, radius / 2 * std::log((1 + std::sin(up)) / (1 - std::sin(up))) + 1200000};
}

/// A grid of shifts over Britain that a smooth function fills.
std::shared_ptr<const ShiftGrid> shifts() {
  auto g = std::make_shared<ShiftGrid>();
  g->name = "TEST", g->from = "OSGB36", g->to = "ETRS89";
  ShiftGrid::Part p;
  p.name = "ALL", p.south = 49, p.west = -7, p.step_lat = p.step_lon = 0.5, p.rows = 25, p.columns = 21;
  for (int i = 0; i < p.rows; ++i)
    for (int j = 0; j < p.columns; ++j) {
      p.lat.push_back(static_cast<float>(2.0 + 0.1 * i)), p.lon.push_back(static_cast<float>(-5.5 + 0.05 * j));
      p.accuracy.push_back(0.03F);
    }
  g->parts.push_back(std::move(p));
  return g;
}
} // namespace

TEST_CASE("a grid on another ellipsoid is reached by the register's way, height and all") {
  DatumSettings set;
  set.crs = "EPSG:2056", set.realisation = "ETRF2000", set.epoch = 2026.4, set.worst_older_datum_m = 0.25;
  for (const auto &[lat, lon, h] : {std::tuple{46.2, 6.15, 430.0}, {46.95, 7.44, 600.0}, {46.5, 9.9, 3100.0}}) {
    const Geodetic at{radians(lat), radians(lon), h};
    const JobDatum datum(set, at);
    const FullPosition p = datum.describe(datum.from_geodetic(at.lat, at.lon, at.h));
    // CH1903+ to ETRS89 is a shift by definition of the datum (EPSG:1647): 674.374, 15.056, 405.346 m.
    const Vec3 own = to_cartesian(at) - Vec3(674.374, 15.056, 405.346);
    const Eigen::Vector2d expected = swiss_grid(to_geodetic(own, bessel));
    CAPTURE(lat, lon, p.grid.east, p.grid.north, expected.x(), expected.y());
    CHECK(std::hypot(p.grid.east - expected.x(), p.grid.north - expected.y()) < 1e-4);
    // Back again, with the height that the way depends on.
    const TaggedPoint back = datum.from_grid(p.grid.east, p.grid.north, h);
    CHECK((back.xyz - p.ecef.xyz).norm() < 1e-5);
    // Scale and convergence are those between metres on the frame's ellipsoid and the grid.
    const double north = 50 / meridian_radius(at.lat), east = 50 / (prime_vertical_radius(at.lat) * std::cos(at.lat));
    const auto there = [&](double dn, double de) {
      const GridPoint q = datum.projection().project({at.lat + dn, at.lon + de, h});
      return Eigen::Vector2d(q.east, q.north);
    };
    const Eigen::Vector2d up = there(north, 0) - there(-north, 0), right = there(0, east) - there(0, -east);
    CHECK(p.grid.scale == Approx(up.norm() / 100).margin(2e-8));
    CHECK(p.grid.scale == Approx(right.norm() / 100).margin(2e-5)); // two ellipsoids are no conformal map of each other
    CHECK(p.grid.convergence_rad == Approx(-std::atan2(up.x(), up.y())).margin(1e-8));
    CHECK(*datum.projection().step()->accuracy_m(at) == Approx(0.2));
  }
  // A height left out costs millimetres to decimetres: the way really uses it.
  const JobDatum datum(set, {radians(46.5), radians(9.9), 3100});
  const GridPoint high = datum.projection().project({radians(46.5), radians(9.9), 3100}),
                  low = datum.projection().project({radians(46.5), radians(9.9), 0});
  CHECK(std::hypot(high.east - low.east, high.north - low.north) > 0.05);
}

TEST_CASE("a grid on another ellipsoid is reached through a grid of shifts") {
  DatumSettings set;
  set.crs = "EPSG:27700", set.realisation = "ETRF2000", set.epoch = 2026.4;
  set.shifts = {shifts(), "id", "shifts.gsb", ""};
  const Geodetic at{radians(52.3), radians(-1.7), 140};
  const JobDatum datum(set, at);
  const FullPosition p = datum.describe(datum.from_geodetic(at.lat, at.lon, at.h));
  // The shifts by hand: linear between nodes, so the place that they lead here from solves two equations.
  const double i = (52.3 - 49) / 0.5, j = (-1.7 + 7) / 0.5;
  const double lat = 52.3 - (2.0 + 0.1 * i) / 3600, lon = -1.7 - (-5.5 + 0.05 * j) / 3600;
  const GridPoint expected = Projection("EPSG:27700").project({radians(lat), radians(lon), 0});
  CHECK(std::hypot(p.grid.east - expected.east, p.grid.north - expected.north) < 0.02); // the shift at the other end
  const TaggedPoint back = datum.from_grid(p.grid.east, p.grid.north, at.h);
  CHECK((back.xyz - p.ecef.xyz).norm() < 1e-5);
  CHECK(*datum.projection().step()->accuracy_m(at) == Approx(0.03));
  CHECK_THAT(datum.projection().step()->words(), Contains("ETRS89 to OSGB36 through shifts.gsb"));
  // Shifts of another country's datum show by their ellipsoid.
  auto foreign = std::make_shared<ShiftGrid>(*shifts());
  foreign->from_axis = 6377397.155;
  set.shifts.grid = foreign;
  CHECK_THROWS_WITH(JobDatum(set, at), Contains("another datum"));
  CHECK_THROWS_WITH(datum.describe(datum.from_geodetic(radians(40.0), 0, 0)), Contains("lies outside of TEST"));
}

TEST_CASE("an older datum is refused without a frame, without a way and by a way that is too poor") {
  const Geodetic bern{radians(46.95), radians(7.44), 600};
  DatumSettings set;
  set.crs = "EPSG:2056";
  CHECK_THROWS_WITH(JobDatum(set, bern), Contains("say which frame"));
  set.realisation = "ETRF2000";
  CHECK_THROWS_WITH(JobDatum(set, bern), Contains("0.2 m is worse than the 0.02 m"));
  set.worst_older_datum_m = 0.25;
  CHECK_NOTHROW(JobDatum(set, bern));
  set.shifts.source = "gone", set.shifts.problem = "shifts.gsb is left out";
  CHECK_THROWS_WITH(JobDatum(set, bern), Contains("left out"));
  // One of one's own on an ellipsoid that names no datum.
  DatumSettings own;
  own.crs = "+proj=tmerc +lat_0=0 +lon_0=9 +x_0=500000 +ellps=bessel +units=m", own.realisation = "ETRF2000";
  own.worst_older_datum_m = 20;
  CHECK_THROWS_WITH(JobDatum(own, bern), Contains("grid of shifts"));
}
