// From one mark to another: lengths against PROJ's geodesics and the grid's own factor, and their accuracy.
#include "base/angle.h"
#include "results/between.h"
#include "support/test_job.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <geodesic.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("between two marks: space, ellipsoid, ground and grid, each with what it is worth") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  solve(job);
  adjust(job);
  const NetworkRun &run = *job.network();
  geod_geodesic earth;
  geod_init(&earth, grs80.a, grs80.f);
  for (const auto &[a, b] : {std::pair{"REFA", "R07"}, {"R07", "R11"}, {"PS1", "REFB"}}) {
    CAPTURE(a, b);
    const Between x = between(run, a, b), back = between(run, b, a);
    CHECK_FALSE(x.height_sd_m); // of vectors alone: what the geoid adds is not in the network
    const FullPosition &p = run.positions.at(a), &q = run.positions.at(b);
    double s = 0, azimuth = 0, at_end = 0;
    geod_inverse(&earth, degrees(p.geodetic.lat), degrees(p.geodetic.lon), degrees(q.geodetic.lat),
                 degrees(q.geodetic.lon), &s, &azimuth, &at_end);
    CHECK(x.ellipsoid_m == Approx(s).margin(0.001));
    CHECK(std::remainder(degrees(x.azimuth_rad) - azimuth, 360) ==
          Approx(0).margin(0.0005)); // normal section, geodesic
    CHECK(x.slope_m == Approx((q.ecef.xyz - p.ecef.xyz).norm()).margin(1e-9));
    // The grid's length by its scale in the middle (Simpson's rule).
    const JobDatum datum = job_datum(*job.snapshot());
    const auto scale = [&](double t) {
      return datum.projection()
          .project({p.geodetic.lat + t * (q.geodetic.lat - p.geodetic.lat),
                    p.geodetic.lon + t * (q.geodetic.lon - p.geodetic.lon), 0})
          .scale;
    };
    CHECK(x.grid_m == Approx(x.ellipsoid_m * (scale(0) + 4 * scale(0.5) + scale(1)) / 6).margin(0.002));
    CHECK(x.ground_m > x.ellipsoid_m);
    CHECK(back.slope_m == x.slope_m);
    CHECK(back.up_m == -x.up_m);
    CHECK(*back.height_m == -*x.height_m);
    CHECK(back.slope_sd_m == Approx(x.slope_sd_m).epsilon(1e-6));
    CHECK(back.cov_enu.trace() == Approx(x.cov_enu.trace()).epsilon(1e-6));
    // Relative to a held mark the difference is as accurate as the other one.
    for (const AdjustedMark &m : run.result.marks)
      if (m.name == b && std::string(a) == "REFA") CHECK(x.cov_enu.trace() == Approx(m.cov_enu.trace()).epsilon(1e-6));
  }
  CHECK_THROWS_WITH(between(run, "R07", "R07"), Contains("itself"));
  CHECK_THROWS_WITH(between(run, "R07", "NOWHERE"), Contains("NOWHERE"));
}

TEST_CASE("physical heights that levels join are known better than ellipsoidal ones, by as much as the levels say") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  solve(job);
  const std::string data = AMPLETIE_SOURCE_DIR "/demo/levels/";
  job.take({data + "levels-1a.txt", data + "levels-1b.txt", data + "benchmarks.csv"});
  job.decide("hold", "HB1", {{"how", "height"}}, "");
  adjust(job);
  const NetworkRun &run = *job.network();
  double joined = 0;
  for (const LevelSection &l : job.snapshot()->levels().sections) {
    if (!run.result.parameter.count(l.from) || !run.result.parameter.count(l.to)) continue;
    const auto sd = height_difference_sd(run, l.from, l.to);
    REQUIRE(sd);
    CAPTURE(l.from, l.to, *sd, l.sd);
    CHECK(*sd <= l.sd * 1.0001); // nothing that was measured is known worse than it was measured
    CHECK(*sd > 0);
    ++joined;
    CHECK(*height_difference_sd(run, l.to, l.from) == Approx(*sd));
  }
  CHECK(joined > 3);
}
