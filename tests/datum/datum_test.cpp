#include "base/angle.h"
#include "base/error.h"
#include "datum/datum.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using Catch::Matchers::Contains;
static const Geodetic here{radians(46.3), radians(13.9), 500};

TEST_CASE("a position in all systems of the job and back") {
  const JobDatum d({"EPSG:25833", "EPSG:5773", "", 2026.36}, here);
  CHECK(frame_name(d.frame()) == "ETRF2000");
  const TaggedPoint p{to_cartesian(here), d.frame(), 2026.36};
  const FullPosition f = d.describe(p);
  REQUIRE(f.height);
  CHECK(*f.height + *f.undulation == Approx(500).margin(1e-9));
  CHECK(*f.undulation == Approx(47.2).margin(1.0)); // EGM96 in the eastern Alps
  CHECK((d.from_grid(f.grid.east, f.grid.north, *f.height).xyz - p.xyz).norm() < 1e-6);
  // Combined factor: scale factor times elevation factor R/(R+h).
  CHECK(f.combined_factor == Approx(f.grid.scale * 6380000 / (6380000 + 500)).margin(2e-7));
}

TEST_CASE("a family of frames needs a realisation") {
  CHECK_THROWS_WITH(JobDatum({"EPSG:32633", "", "", 2026.36}, here), Contains("realisation"));
  CHECK(frame_name(JobDatum({"EPSG:32633", "", "ITRF2020", 2026.36}, here).frame()) == "ITRF2020");
  CHECK_THROWS_WITH(JobDatum({"EPSG:25833", "", "Mars", 2026.36}, here), Contains("Mars"));
}

TEST_CASE("a vertical system without its grid gives no physical heights, and says so") {
  const JobDatum d({"EPSG:25833", "EPSG:7837", "", 2026.36}, here);
  CHECK(d.geoid() == nullptr);
  CHECK_FALSE(d.geoid_refusal().empty());
  CHECK_FALSE(d.describe({to_cartesian(here), d.frame(), 2026.36}).height);
  CHECK_THROWS_AS(d.from_grid(415000, 5128000, 450), InputError);
}

TEST_CASE("a point moves along its velocity") {
  const TaggedPoint p{{1, 2, 3}, {"EPSG:7930"}, 2010};
  const TaggedPoint q = move_epoch(p, {0.001, -0.002, 0.003}, 2026.5);
  CHECK((q.xyz - Vec3(1.0165, 1.967, 3.0495)).norm() < 1e-12);
  CHECK(q.epoch == 2026.5);
  const JobDatum d({"EPSG:25833", "", "", 2026.36}, here);
  CHECK_THROWS_WITH(d.describe({to_cartesian(here), {"EPSG:9988"}, 2026.36}), Contains("ITRF2020"));
}
