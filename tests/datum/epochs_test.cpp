// Frames, their families and their epochs.
#include "base/angle.h"
#include "base/error.h"
#include "datum/datum.h"
#include <catch2/catch.hpp>
#include <proj.h>

using namespace ampletie;
using Catch::Matchers::Contains;

TEST_CASE("a grid takes the frames of its datum's family and no other") {
  const Geodetic alps{radians(46.3), radians(13.9), 500};
  const auto frame = [&](const char *crs, const char *realisation) {
    return frame_name(JobDatum({crs, "", realisation, 2026.36}, alps).frame());
  };
  CHECK(frame("EPSG:25833", "") == "ETRF2000");
  CHECK(frame("EPSG:25833", "ETRF2014") == "ETRF2014");
  CHECK(frame("EPSG:32633", "ITRF2020") == "ITRF2020");
  CHECK_THROWS_WITH(frame("EPSG:25833", "ITRF2020"), Contains("no realisation of it") && Contains("ETRF2014"));
  CHECK_THROWS_WITH(frame("EPSG:32633", "ETRF2000"), Contains("no realisation of it") && Contains("ITRF2020"));
  CHECK_THROWS_WITH(frame("EPSG:32633", ""), Contains("say which realisation") && Contains("ITRF2014"));
  // Frames of their own, found in the register.
  const Geodetic boise{radians(43.6), radians(-116.2), 800}, perth{radians(-31.9), radians(115.9), 20},
      taranaki{radians(-39.1), radians(174.1), 50};
  CHECK(frame_name(JobDatum({"EPSG:6340", "", "", 2010}, boise).frame()) == "NAD83(2011)");
  CHECK(frame_name(JobDatum({"EPSG:7850", "", "", 2020}, perth).frame()) == "GDA2020");
  CHECK(frame_name(JobDatum({"EPSG:2193", "", "", 2020}, taranaki).frame()) == "NZGD2000");
  CHECK_THROWS_WITH(JobDatum({"EPSG:2193", "", "ITRF2014", 2020}, taranaki),
                    Contains("NZGD2000") || Contains("no realisation"));
  // Datums from before satellites, or on another ellipsoid.
  CHECK_THROWS_WITH(JobDatum({"EPSG:27700", "", "", 2020}, {radians(52.0), radians(-1.0), 50}),
                    Contains("satellites do not know") && Contains("realisation"));
  CHECK_THROWS_WITH(JobDatum({"EPSG:31254", "", "ETRF2000", 2020}, {radians(47.2), radians(11.4), 600}),
                    Contains("shifts=yes") && Contains("older_datum") && Contains("1.6 m"));
}

TEST_CASE("frames by the register's names and codes, families by none") {
  CHECK(frame_by_name("gda2020") == Frame{"EPSG:7842"});
  CHECK(frame_by_name("NAD83(2011)") == Frame{"EPSG:6317"});
  CHECK(frame_by_name("EPSG:6319") == Frame{"EPSG:6317"}); // its geographic system in three dimensions
  CHECK(frame_by_name("EPSG:7912") == frame_by_name("ITRF2014"));
  for (const char *none : {"WGS 84", "ETRS89", "EPSG:4326", "EPSG:4936", "EPSG:25833x", "EPSG:5773", "Atlantis", ""})
    CHECK_FALSE(frame_by_name(none));
  CHECK(ground_moves(*frame_by_name("ITRF2020")));
  CHECK(ground_moves(*frame_by_name("ITRF97")));
  for (const char *still : {"ETRF2000", "NAD83(2011)", "GDA2020", "SIRGAS 2000"}) {
    INFO(still);
    REQUIRE(frame_by_name(still));
    CHECK_FALSE(ground_moves(*frame_by_name(still)));
  }
}

// PROJ's file of the ITRF2014 plate motion model (Altamimi et al. 2017), run by PROJ: sign, unit and axes of ours.
TEST_CASE("plates move as the published model says") {
  PJ_CONTEXT *c = proj_context_create();
  const std::pair<const char *, const char *> plates[] = {{"Eurasia", "EURA"},       {"North America", "NOAM"},
                                                          {"Australia", "AUST"},     {"Pacific", "PCFC"},
                                                          {"South America", "SOAM"}, {"Nubia", "NUBI"}};
  const Vec3 x(4075580.685, 931853.660, 4801568.054);
  for (const auto &[name, section] : plates) {
    const std::string pipeline = std::string("+proj=pipeline +step +init=ITRF2014:") + section + " +t_epoch=2010";
    PJ *p = proj_create(c, pipeline.c_str());
    REQUIRE(p);
    const PJ_COORD out = proj_trans(p, PJ_FWD, proj_coord(x.x(), x.y(), x.z(), 2020));
    const Vec3 moved = Vec3(out.xyzt.x, out.xyzt.y, out.xyzt.z) - x;
    INFO(name);
    CHECK((moved - 10 * plate_velocity(name, x)).norm() < 1e-6);
    CHECK(moved.norm() > 0.05);
    proj_destroy(p);
  }
  proj_context_destroy(c);
  CHECK_THROWS_WITH(plate_velocity("Lemuria", x), Contains("no plate"));
  // Wettzell's published ITRF2014 velocity: −16, 17, 10 mm/yr (rounded; station coordinates of the ITRF2014 solution).
  const Vec3 v = 1000 * plate_velocity("Eurasia", x);
  CHECK((v - Vec3(-16, 17, 10)).norm() < 2);
}

TEST_CASE("velocities change with the frame, and standing still is a motion in another one") {
  const Vec3 x(4075580.685, 931853.660, 4801568.054);
  const FrameChange change(*frame_by_name("ITRF2014"), *frame_by_name("ETRF2000"), x);
  const TaggedPoint p{x, *frame_by_name("ITRF2014"), 2015};
  // Ground of the Eurasian plate stands nearly still in ETRF2000, whose rates are made for that.
  CHECK(velocity_in(change, p, plate_velocity("Eurasia", x)).norm() < 0.0015);
  CHECK(velocity_in(change, p, Vec3::Zero()).norm() > 0.015);
  const FrameChange none(p.frame, p.frame, x);
  CHECK((velocity_in(none, p, Vec3(0.01, 0, -0.02)) - Vec3(0.01, 0, -0.02)).norm() < 1e-9);
}
