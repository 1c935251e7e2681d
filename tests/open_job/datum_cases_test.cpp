// Jobs whose datum asks for something: a geoid that nobody vouches for, frames in which ground moves, checks.
#include "base/error.h"
#include "judgement/accuracy_verdict.h"
#include "results/control_record.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
bool doubted(const Job &job, const char *kind) { return doubt_of(job, kind) != nullptr; }
} // namespace

TEST_CASE("a mark in a frame in which ground moves is not used without its plate, and a doubt says so") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  job.decide("set", "job", {{"crs", "EPSG:32633"}, {"realisation", "ITRF2020"}}, "the client wants it");
  // REFA and REFB are published at another epoch, with velocities; a mark without one is added.
  job.take_bytes({{"more.csv", "mark,lat,lon,h,frame,epoch\nNEW,46.2163,13.7902,312.4,ITRF2020,2010.0\n"}});
  CHECK(job.snapshot()->published().count("NEW") == 0);
  REQUIRE(job.snapshot()->misplaced().count("NEW") == 1);
  CHECK_THAT(job.snapshot()->misplaced().at("NEW").sentence, Contains("plate"));
  CHECK(doubted(job, "does not belong here"));
  job.decide("set", "job", {{"plate", "Eurasia"}, {"plate_sd", 2.0}}, "Eurasia, near its edge");
  REQUIRE(job.snapshot()->published().count("NEW") == 1);
  CHECK_FALSE(doubted(job, "does not belong here"));
  // What the plate's velocity leaves uncertain is in the mark's own accuracy where one was published.
  job.take_bytes({{"sd.csv", "mark,lat,lon,h,frame,epoch,sd_e_mm,sd_n_mm,sd_u_mm\n"
                             "SDM,46.2164,13.7903,312.4,ITRF2020,2010.0,3,3,6\n"}});
  const Vec3 sd = job.snapshot()->published().at("SDM").sd_enu.value();
  CHECK(sd.x() == Approx(std::hypot(0.003, 0.002 * (job.state().settings.datum.epoch - 2010))).epsilon(1e-6));
  job.undo();
}

TEST_CASE("a job in a moving frame agrees with one in a frame that goes with the ground, moved by the register's way") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  solve(job);
  adjust(job);
  std::map<std::string, Vec3> still;
  for (const AdjustedMark &m : job.network()->result.marks) still[m.name] = m.position.xyz;
  const Frame etrf = job.network()->result.marks.front().position.frame;
  job.decide("set", "job",
             {{"crs", "EPSG:32633"}, {"realisation", "ITRF2020"}, {"epoch", 2010.0}, {"plate", "Eurasia"}},
             "another datum");
  job.decide("set", "job", {{"plate", "not said"}}, "forgotten");
  solve(job);
  REQUIRE(doubt_of(job, "datum not usable"));
  CHECK_THAT(doubt_of(job, "datum not usable")->sentence, Contains("ground moves") && Contains("plate"));
  CHECK_THROWS_WITH(run_network(*job.snapshot(), job.vectors(), {}), Contains("ground moves"));
  job.decide("set", "job", {{"plate", "Eurasia"}}, "said");
  CHECK_FALSE(doubt_of(job, "datum not usable"));
  solve(job);
  adjust(job);
  const double there = demo_settings().datum.epoch;
  for (const AdjustedMark &m : job.network()->result.marks) {
    // From 2010 with the plate to the date of the field work, then into ETRF2000 at that date.
    const Vec3 moved = m.position.xyz + plate_velocity("Eurasia", m.position.xyz) * (there - 2010.0);
    const Operation op = Operation::between("EPSG:9988", etrf.code, to_geodetic(moved));
    INFO(m.name);
    // Held marks come with their own velocities; against the plate's they differ by a millimetre a year at the most.
    CHECK((op.forward(moved, there) - still.at(m.name)).norm() < 0.025);
    CHECK(m.position.epoch == 2010.0);
  }
}

TEST_CASE("a benchmark cannot be held in height through a grid that nobody vouches for, and can once that is stated") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  // EGM2008's place in the register has no stated accuracy here; any system whose grid is here will do.
  job.decide("set", "job", {{"geoid_sd", 0.0}}, "");
  solve(job);
  job.take_bytes({{"bench.csv", "mark,height,sd_height,vertical\nDAM,600.000,0.002,EPSG:5773\n"}});
  job.decide("hold", "DAM", {{"how", "height"}}, "benchmark");
  adjust(job); // EGM96 has a stated accuracy
  CHECK(job.network()->geoid_sd == Approx(0.3));
  // The surveyor knows better.
  job.decide("set", "job", {{"geoid_sd", 25.0}, {"geoid_correlation", 10.0}}, "compared with 12 benchmarks");
  CHECK(job.network_stale());
  adjust(job);
  CHECK(job.network()->geoid_sd == Approx(0.025));
  CHECK(job.network()->geoid_source == "stated by the surveyor");
  // So is a motion that is taken for another one, plate or not.
  job.decide("set", "job", {{"plate_sd", 2.0}}, "a valley that slides");
  CHECK(job.network_stale());
  job.undo();
  CHECK_FALSE(job.network_stale());
  // Without any vertical system a physical height says nothing.
  job.decide("set", "job", {{"vertical", ""}}, "");
  if (job.snapshot()->benchmarks().count("DAM"))
    CHECK_THROWS_WITH(run_network(*job.snapshot(), job.vectors(), {}), Contains("DAM") && Contains("vertical"));
}

TEST_CASE("a check mark's own uncertainty counts in its test") {
  const auto differs = [](const char *sd) {
    TemporaryFolder folder;
    Job job = demo_job(folder / "a.tie");
    solve(job);
    adjust(job);
    const AdjustedMark *r07 = nullptr;
    for (const AdjustedMark &m : job.network()->result.marks)
      if (m.name == "R07") r07 = &m;
    // Published 60 mm higher than it is.
    const Geodetic g = to_geodetic(r07->position.xyz);
    job.take_bytes({{"check.csv", fmt::format("mark,lat,lon,h,frame,epoch,sd_e_mm,sd_n_mm,sd_u_mm\n"
                                              "R07,{:.10f},{:.10f},{:.4f},ETRF2000,2026.36,{}\n",
                                              g.lat * 180 / M_PI, g.lon * 180 / M_PI, g.h + 0.06, sd)}});
    job.decide("hold", "R07", {{"how", "check"}}, "compared");
    solve(job);
    adjust(job);
    return doubted(job, "check mark differs");
  };
  CHECK(differs("2,2,4"));
  CHECK_FALSE(differs("20,20,40"));
}

TEST_CASE("a physical height has the geoid's uncertainty, or none that is known") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  job.decide("set", "limit", {{"asked-plan", 20.0}, {"asked-height", 30.0}}, "the client's figures");
  solve(job);
  adjust(job);
  const NetworkRun &run = *job.network();
  for (const AdjustedMark &m : run.result.marks) {
    const ControlRecord r = control_record(*job.snapshot(), run, m);
    REQUIRE(r.height_m);
    REQUIRE(r.height_sd_m);
    CHECK(*r.height_sd_m >= std::sqrt(m.network_cov_enu(2, 2)));
    CHECK(*r.height_sd_m == Approx(std::hypot(std::sqrt(m.network_cov_enu(2, 2)), 0.3)));
  }
  // Were the grid without a stated accuracy, nothing could be said, and nothing is.
  NetworkRun unknown = run_network(*job.snapshot(), job.vectors(), {});
  unknown.geoid_sd.reset();
  for (const AdjustedMark &m : unknown.result.marks) {
    CHECK_FALSE(physical_height_sd(unknown, m));
    const AccuracyVerdict v = accuracy_verdict(job.state(), unknown, m);
    if (m.hold == Hold::full) continue;
    CHECK(std::isnan(v.height95));
    CHECK(v.height_undetermined);
    CHECK_FALSE(v.fails());
    CHECK_FALSE(v.reached());
    CHECK_THAT(shortfall(v), Contains("undetermined"));
  }
}
