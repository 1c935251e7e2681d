// Marks that are compared and never used, and lists that nobody holds: what is computed is byte for byte what it is
// without them; what they say is told.
#include "base/hash.h"
#include "formats/geoid_grid.h"
#include "judgement/comparison.h"
#include "judgement/left_over.h"
#include "support/field_work.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
/// Everything that a network gives, bit for bit.
std::string bytes_of(const Job &job) {
  std::string out;
  const auto add = [&](double x) { out.append(reinterpret_cast<const char *>(&x), sizeof x); };
  for (const VectorResult &v : job.vectors())
    if (v.error.empty()) {
      out += v.from + v.to;
      for (double x : v.solved->d) add(x);
      for (double x : v.solved->cov.reshaped()) add(x);
    }
  for (const AdjustedMark &m : job.network()->result.marks) {
    out += m.name;
    for (double x : m.position.xyz) add(x);
    for (double x : m.network_cov_enu.reshaped()) add(x);
    add(m.height_sd);
    if (const auto &h = job.network()->positions.at(m.name).height) add(*h);
  }
  add(job.network()->result.adjustment.variance_factor);
  return sha256_hex(out);
}

const ComparedMark &check_of(const Job &job, const std::string &mark) {
  static std::vector<ComparedMark> all;
  all = compare_checks(*job.snapshot(), *job.network()).first;
  for (const ComparedMark &c : all)
    if (c.name == mark) return c;
  throw std::runtime_error("not compared: " + mark);
}
} // namespace

TEST_CASE("check marks and lists that nobody holds shape nothing: vectors, network and heights stay bit for bit") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  solve(job);
  adjust(job);
  const std::string without = bytes_of(job);
  const auto r07 = job.network()->positions.at("R07"), r11 = job.network()->positions.at("R11");
  const auto list = [](const char *name, const FullPosition &p, double up, double lon_sign) {
    return fmt::format("mark,lat,lon,h,frame,epoch,sd_e_mm,sd_n_mm,sd_u_mm\n{},{:.9f},{:.9f},{:.4f},ETRF2000,2026.36,3,"
                       "3,5\n",
                       name, p.geodetic.lat * 180 / M_PI, lon_sign * p.geodetic.lon * 180 / M_PI, p.geodetic.h + up);
  };
  // Thirty metres too high: as a list that nobody holds, then as a check.
  job.take_bytes({{"new.csv", list("R07", r07, 30, 1)}});
  for (const VectorResult &v : job.vectors()) CHECK_FALSE(v.stale);
  solve(job);
  adjust(job);
  CHECK(bytes_of(job) == without);
  job.decide("hold", "R07", {{"how", "check"}}, "");
  for (const VectorResult &v : job.vectors()) CHECK_FALSE(v.stale);
  solve(job);
  adjust(job);
  CHECK(bytes_of(job) == without);
  CHECK(check_of(job, "R07").difference.z() == Approx(-30).margin(0.001));
  const Doubt *d = doubt_of(job, "check mark differs");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("30.000 m in height"));
  CHECK(d->effect_m.value() == Approx(30).margin(0.01));
  // On the other side of the meridian: it does not belong here, and nothing else happens.
  job.take_bytes({{"sign.csv", list("R11", r11, 0, -1)}});
  job.decide("hold", "R11", {{"how", "check"}}, "");
  solve(job);
  adjust(job);
  CHECK(bytes_of(job) == without);
  REQUIRE(doubt_of(job, "does not belong here"));
  const auto left = compare_checks(*job.snapshot(), *job.network()).second;
  REQUIRE(left.size() == 1);
  CHECK(left[0].name == "R11");
  CHECK_THAT(left[0].because, Contains("do not belong"));
  // Typed, and right.
  job.decide("hold", "R07",
             {{"how", "check"},
              {"xyz", {r07.ecef.xyz.x(), r07.ecef.xyz.y(), r07.ecef.xyz.z()}},
              {"sd_enu", {0.005, 0.005, 0.01}}},
             "");
  solve(job);
  adjust(job);
  CHECK(bytes_of(job) == without);
  CHECK(check_of(job, "R07").passes());
  CHECK(check_of(job, "R07").where != "");
  CHECK_FALSE(doubt_of(job, "check mark differs"));
}

TEST_CASE("check heights of a job of levels alone, and of one with vectors and a geoid, are compared") {
  TemporaryFolder folder;
  JobSettings s = demo_settings();
  s.datum.crs.clear(), s.datum.vertical.clear();
  Job job = Job::create(folder / "a.tie", s);
  job.take_bytes({{"a.txt", "unit;m\nrun;L1;DL7;A\ns;BM1;B;1.90000;30.00;;1;\ns;P1;F;1.50000;30.00;;1;\n"
                            "s;P1;B;2.10000;30.00;;1;\ns;BM2;F;1.50000;30.00;;1;\nend\n"},
                  {"h.csv", "mark,height,sd_u\nBM1,100,0.001\nBM2,101.1,0.001\n"}});
  job.decide("hold", "BM1", {{"how", "height"}}, "");
  adjust(job);
  const std::string without = bytes_of(job);
  job.decide("hold", "BM2", {{"how", "check"}}, "");
  adjust(job);
  CHECK(bytes_of(job) == without);
  CHECK(*check_of(job, "BM2").height_difference == Approx(-0.1).margin(1e-6));
  CHECK_FALSE(check_of(job, "BM2").passes());
  REQUIRE(doubt_of(job, "check mark differs"));
  CHECK_THAT(doubt_of(job, "check mark differs")->sentence, Contains("-100.0 mm in height"));
  // With vectors: R11 has levels in the demo.
  Job both = demo_job(folder / "b.tie");
  solve(both);
  adjust(both);
  const double h = *both.network()->positions.at("R11").height;
  both.decide("set", "job", {{"geoid_sd", 50}}, "as its makers say");
  both.take_bytes({{"bench.csv", fmt::format("mark,height,sd_u\nR11,{:.4f},0.002\n", h + 0.5)}});
  both.decide("hold", "R11", {{"how", "check"}}, "");
  adjust(both);
  const ComparedMark &c = check_of(both, "R11");
  CHECK_FALSE(c.has_plan);
  CHECK(*c.height_difference == Approx(-0.5).margin(0.05));
  CHECK(*c.height_sd > 0.002);
  CHECK_FALSE(c.passes());
}

TEST_CASE("a check at a mark of a total station is compared with where the network puts it") {
  TemporaryFolder folder;
  FieldWork work(31);
  JobSettings s = demo_settings();
  s.datum.epoch = 2026.36;
  Job job = Job::create(folder / "t.tie", s);
  FieldWork::weigh(job);
  work.hold_in(job);
  job.take_bytes({{"field.txt", station::simulate(work.scenario).files.front().text}});
  adjust(job);
  const std::string without = bytes_of(job);
  std::string name;
  for (const AdjustedMark &m : job.network()->result.marks)
    if (m.hold == Hold::none && m.plan_known) name = m.name;
  REQUIRE_FALSE(name.empty());
  const FullPosition p = job.network()->positions.at(name);
  job.take_bytes(
      {{"c.csv", fmt::format("mark,east,north,height,sd_e_mm,sd_n_mm,sd_u_mm\n{},{:.4f},{:.4f},{:.4f},3,3,3\n", name,
                             p.grid.east, p.grid.north, *p.height + 1)}});
  job.decide("hold", name, {{"how", "check"}}, "");
  adjust(job);
  CHECK(bytes_of(job) == without);
  const ComparedMark &c = check_of(job, name);
  CHECK(c.has_plan);
  CHECK(c.plan_passes);
  CHECK(*c.height_difference == Approx(-1).margin(0.001));
  CHECK_FALSE(c.height_passes);
  REQUIRE(doubt_of(job, "check mark differs"));
}

TEST_CASE("levels and held benchmarks that have no vertical system to join by are said, with the cure") {
  TemporaryFolder folder;
  JobSettings s = demo_settings();
  s.datum.vertical.clear();
  Job job = Job::create(folder / "a.tie", s);
  job.take(demo_files());
  job.take({AMPLETIE_SOURCE_DIR "/demo/levels/levels-1a.txt"});
  for (const char *m : {"REFA", "REFB"}) job.decide("hold", m, {{"how", "full"}}, "");
  job.take_bytes({{"bench.csv", "mark,height,sd_u\nK1,857.81,0.001\n"}});
  job.decide("hold", "K1", {{"how", "height"}}, "");
  solve(job);
  adjust(job);
  CHECK(job.network()->levels.empty());
  const Doubt *d = doubt_of(job, "levels take no part");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("1 held mark take no part") || Contains("held mark"));
  CHECK_THAT(d->sentence, Contains("no vertical system"));
  int lines = 0, held = 0;
  for (const LeftOver &x : left_over(*job.snapshot(), job.vectors(), job.network())) {
    if (x.kind == "level line") {
      ++lines;
      CHECK_THAT(x.because, Contains("no vertical system"));
    }
    if (x.kind == "held mark") {
      ++held;
      CHECK(x.name == "K1");
    }
  }
  CHECK(lines > 0);
  CHECK(held == 1);
}

TEST_CASE("a check whose height nothing judges is not said to agree") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  // A surface whose makers state no accuracy.
  HeightGrid grid;
  grid.name = "plain", grid.south = 45.5, grid.west = 13, grid.step_lat = grid.step_lon = 0.25,
  grid.rows = grid.columns = 9;
  grid.values.assign(81, 48.5F);
  job.take_bytes({{"plain.gtx", write_gtx(grid)}});
  for (const auto &c : Contents(job.snapshot()->contents()))
    if (c.geoid) job.decide("set", "source:" + c.source.id, {{"geoid", true}}, "the client's");
  solve(job);
  adjust(job);
  const FullPosition p = job.network()->positions.at("R07");
  job.take_bytes({{"bench.csv", fmt::format("mark,height,sd_u\nR07,{:.4f},0.002\n", *p.height + 0.4)}});
  job.decide("hold", "R07", {{"how", "check"}}, "");
  adjust(job);
  const ComparedMark &c = check_of(job, "R07");
  CHECK(c.height_unjudged());
  CHECK_FALSE(c.judged());
  CHECK_THAT(check_verdict(c), Contains("not judged"));
  const Doubt *d = doubt_of(job, "check not compared");
  REQUIRE(d);
  CHECK(d->effect_m.value() == Approx(0.4).margin(0.001));
  CHECK_THAT(d->causes.at(0), Contains("geoid_sd"));
  job.decide("set", "job", {{"geoid_sd", 30}}, "its makers' leaflet");
  adjust(job);
  CHECK_FALSE(check_of(job, "R07").height_unjudged());
  CHECK_FALSE(doubt_of(job, "check not compared"));
  CHECK(doubt_of(job, "check mark differs")); // 400 mm against 30
}

TEST_CASE("a factor for a group that nothing belongs to is said to do nothing") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  solve(job);
  job.decide("set", "group:day=2026-05-12", {{"factor", 1.3}}, "windy");
  adjust(job);
  CHECK_FALSE(doubt_of(job, "decision about what is gone"));
  job.decide("set", "group:day=2025-01-01", {{"factor", 1.3}}, "another job's day");
  adjust(job);
  const Doubt *d = doubt_of(job, "decision about what is gone");
  REQUIRE(d);
  CHECK(d->about == "group day=2025-01-01");
  job.undo();
  CHECK_FALSE(doubt_of(job, "decision about what is gone"));
}
