// Grids of one's own, described in full: against the register's, in feet, with a false origin; what is refused.
#include "base/angle.h"
#include "base/error.h"
#include "datum/datum.h"
#include <catch2/catch.hpp>
#include <cmath>
#include <fmt/format.h>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
const Geodetic alps{radians(46.3), radians(13.9), 500};
constexpr const char *utm33 = "+proj=utm +zone=33 +ellps=GRS80 +units=m +no_defs";
/// The register's own system, written out.
std::string written(const char *code) { return on_one_line(system_wkt(code)); }
} // namespace

TEST_CASE("a grid that is described is the register's when it says the same") {
  const JobDatum known({"EPSG:25833", "", "", 2026.36}, alps);
  for (const std::string &text : {std::string(utm33), written("EPSG:25833")}) {
    const bool names_datum = text.front() != '+';
    const JobDatum own({text, "", names_datum ? "" : "ETRF2000", 2026.36}, alps);
    CHECK(frame_name(own.frame()) == "ETRF2000");
    const GridPoint a = own.projection().project(alps), b = known.projection().project(alps);
    CHECK(a.east == Approx(b.east).margin(1e-6));
    CHECK(a.north == Approx(b.north).margin(1e-6));
    CHECK(a.scale == Approx(b.scale).margin(1e-10));
  }
}

TEST_CASE("a ground grid with a factor and a false origin in US survey feet") {
  // The combined factor taken off: lengths at 500 m are those on the ground.
  const double k = 1 + 500 / 6378500.0;
  const std::string text =
      fmt::format("+proj=tmerc +lat_0=46.3 +lon_0=13.9 +k={:.12f} +x_0=3048.006096012 +y_0=6096.012192024 "
                  "+ellps=GRS80 +units=us-ft +type=crs",
                  k);
  const JobDatum own({text, "", "ETRF2014", 2026.36}, alps);
  const FullPosition p = own.describe(own.from_geodetic(alps.lat, alps.lon, 500));
  CHECK(p.grid.east == Approx(3048.006096012).margin(1e-6));
  CHECK(p.combined_factor == Approx(1).margin(1e-6));
  const Eigen::Vector2d feet = own.projection().native(p.grid.east, p.grid.north);
  CHECK(feet.x() == Approx(10000).margin(1e-5));
  CHECK(feet.y() == Approx(20000).margin(1e-5));
  // A hundred metres on the ground are a hundred in the grid.
  const TaggedPoint a = own.from_grid(3100, 6100, 500), b = own.from_grid(3200, 6100, 500);
  CHECK((a.xyz - b.xyz).norm() == Approx(100).margin(1e-4));
}

TEST_CASE("a description that is none, or rests on nothing that is known, is refused in words") {
  const auto refused = [&](const std::string &crs, const char *realisation, const char *why) {
    INFO(crs);
    CHECK_THROWS_WITH(JobDatum({crs, "", realisation, 2026.36}, alps), Contains(why));
  };
  refused(utm33, "", "say which frame it rests on");
  refused("+proj=utm +zone=33 +ellps=bessel +units=m", "ETRF2000", "grid of shifts that leads from it");
  refused("+proj=longlat +ellps=GRS80", "ETRF2000", "does not describe a projected system");
  refused("+proj=utm +zone=99 +ellps=GRS80", "ETRF2000", "does not describe");
  refused("+proj=utm +zone=33 +ellps=GRS80 +nadgrids=conus", "ETRF2000", "without files");
  refused("+proj=utm +zone=33 +ellps=bessel +towgs84=1,2,3,0,0,0,0", "ETRF2000", "shifts of datum");
  refused("PROJCRS[nonsense", "ETRF2000", "does not describe");
  refused("PROJCS[\"a\"]", "ETRF2000", "does not describe");
  refused(written("EPSG:25833"), "ITRF2020", "is no realisation of it");
  refused("+proj=utm +zone=33 +ellps=GRS80 " + std::string(20000, 'x'), "ETRF2000", "too long");
  // A wrong method is wrong in words too.
  refused(written("EPSG:31300"), "ETRF2000", "29.2985");
}
