// Jobs of one technique alone, and jobs without a grid of the register: from files to what is issued.
#include "base/error.h"
#include "formats/control_list.h"
#include "job/settings.h"
#include "judgement/left_over.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
JobSettings without_grid() {
  JobSettings s = demo_settings();
  s.datum.crs.clear(), s.datum.vertical.clear();
  return s;
}
/// A line of two set-ups for each pair, with differences that are exact.
std::string leveled(const std::string &run, const std::vector<std::pair<std::string, double>> &marks) {
  std::string out = "unit;m\nrun;" + run + ";DL7;A\n";
  for (std::size_t i = 1; i < marks.size(); ++i) {
    const double rise = marks[i].second - marks[i - 1].second;
    out += fmt::format(
        "s;{};B;{:.5f};30.00;;1;\ns;;F;1.50000;30.00;;1;\ns;;B;1.50000;30.00;;1;\ns;{};F;1.50000;30.00;;1;\n",
        marks[i - 1].first, 1.5 + rise, marks[i].first);
  }
  return out + "end\n";
}
} // namespace

TEST_CASE("levels alone are adjusted and can be issued; a spur is not said to be checked") {
  TemporaryFolder folder;
  Job job = Job::create(folder / "a.tie", without_grid());
  job.take_bytes({{"a.txt", leveled("L1", {{"BM1", 100}, {"P1", 100.4}, {"BM2", 101.001}})},
                  {"b.txt", leveled("L2", {{"P1", 100.4}, {"Q1", 100.9}, {"Q2", 101.2}})},
                  {"c.txt", leveled("L3", {{"X1", 7}, {"X2", 7.5}})},
                  {"h.csv", "mark,height,sd_u\nBM1,100,0.001\nBM2,101,0.001\n"}});
  CHECK_THROWS_WITH(run_network(*job.snapshot(), {}, {}), Contains("hold a benchmark"));
  for (const char *m : {"BM1", "BM2"}) job.decide("hold", m, {{"how", "height"}}, "published");
  adjust(job);
  const NetworkRun &run = *job.network();
  CHECK(run.heights_alone);
  std::map<std::string, const AdjustedMark *> by;
  for (const AdjustedMark &m : run.result.marks) by[m.name] = &m;
  REQUIRE(by.size() == 5);
  // Half of the millimetre that is left between the benchmarks: both ways to P1 are alike.
  CHECK(*run.positions.at("P1").height == Approx(100.3995).margin(1e-6));
  CHECK(*run.positions.at("Q2").height == Approx(101.1995).margin(1e-6));
  // The same as levels adjusted by themselves.
  for (const LevelNetworkMark &m : job.snapshot()->levels().network->marks) {
    if (m.relative) continue;
    INFO(m.name);
    CHECK(*run.positions.at(m.name).height == Approx(m.height).margin(1e-6));
    CHECK(by.at(m.name)->height_sd == Approx(m.sd).margin(1e-6));
  }
  CHECK(by.at("P1")->independent_checks == 1);
  CHECK(by.at("Q1")->independent_checks == 0);
  CHECK(by.at("Q2")->independent_checks == 0);
  // What takes no part is said.
  const auto left = left_over(*job.snapshot(), {}, &run);
  REQUIRE(left.size() == 1);
  CHECK(left[0].kind == "level line");
  CHECK_THAT(left[0].because, Contains("nothing joins"));
  CHECK(left_over_words(left) == "1 level line");
}

TEST_CASE("a way there and back over the same differences is one way") {
  NetworkInput in;
  const auto mark = [&](const char *name, Hold hold) {
    NetworkMark m;
    m.name = name, m.hold = hold, m.plan_known = false;
    m.position = {to_cartesian({0.8, 0, 100}), Frame{"heights"}, 2026};
    in.marks.push_back(m);
  };
  const auto level = [&](const char *id, const char *from, const char *to) {
    in.levels.push_back({id, from, to, "L", 0, 0.001, 1000});
  };
  mark("A", Hold::height), mark("B", Hold::none), mark("C", Hold::none), mark("D", Hold::none), mark("E", Hold::height);
  // A loop C-D-C2 hangs on B; only one difference leads from it to the held height: none of it is checked against it.
  level("1", "A", "B"), level("2", "B", "C"), level("3", "C", "D"), level("4", "D", "B");
  std::map<std::string, int> checks;
  const auto run = [&] {
    for (const AdjustedMark &m : adjust_network(in, {}).marks) checks[m.name] = m.independent_checks;
  };
  run();
  CHECK(checks.at("B") == 0);
  CHECK(checks.at("C") == 0);
  level("5", "D", "E");
  run();
  CHECK(checks.at("B") == 1);
  CHECK(checks.at("C") == 1);
  CHECK(checks.at("D") == 1);
}

TEST_CASE("a local plane: lengths are those on the ground, and nothing else is brought into it") {
  const Projection plane("local:46.3:13.87:800", {1000, 5000});
  const Geodetic a = plane.unproject(3500, 5000, 800), b = plane.unproject(-1500, 5000, 800);
  CHECK((to_cartesian(a) - to_cartesian(b)).norm() == Approx(5000).margin(0.0005));
  const Geodetic middle = plane.unproject(1000, 5000, 0);
  CHECK(middle.lat * 180 / M_PI == Approx(46.3).margin(1e-9));
  CHECK_THROWS_WITH(Projection("local:91:0:0"), Contains("local:47.1:9.3:450"));
  CHECK_THROWS_AS(setting_value("crs", "local:x"), InputError);
  CHECK_THROWS_WITH(FrameChange(Frame{"EPSG:9988"}, Frame{"local"}, to_cartesian({0.8, 0, 0})),
                    Contains("no known relation"));
  TemporaryFolder folder;
  JobSettings s = demo_settings();
  s.datum.crs = "local:46.3:13.87:800", s.datum.vertical.clear();
  Job job = Job::create(folder / "a.tie", s);
  // Far from zero, as old systems of towns are: the plane lies where its marks are.
  job.take_bytes({{"l.csv", "mark,east,north,height\nA,612000,188000,800\nB,615000,192000,800\n"}});
  CHECK(job.snapshot()->misplaced().empty());
  const JobDatum datum = job_datum(*job.snapshot());
  const auto place = [&](const char *m) { return published_in_job(job.snapshot()->published().at(m), datum, {}).xyz; };
  CHECK((place("A") - place("B")).norm() == Approx(5000).margin(0.002));
  CHECK(*datum.describe({place("A"), datum.frame(), datum.epoch()}).height == Approx(800).margin(1e-6));
  job.take_bytes({{"g.csv", "mark,x,y,z,frame\nG,4283425.3,1058738.8,4590934.0,ETRF2000\n"}});
  REQUIRE(doubt_of(job, "does not belong here"));
  CHECK_THAT(doubt_of(job, "does not belong here")->sentence, Contains("no known relation"));
}
