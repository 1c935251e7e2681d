// What a plan will reach, before anybody goes out: against what the same measurements reached, against formulas by
// hand, and what cannot be planned.
#include "base/angle.h"
#include "base/error.h"
#include "results/design.h"
#include "results/job_results.h"
#include "results/planned_session.h"
#include "support/test_job.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
const JobDesign &design(const Job &job) { return job.snapshot()->get(design_result()); }
void plan(Job &job, const std::string &what, const nlohmann::json &value) {
  job.decide("set", "plan:" + what, value, "");
}
const AdjustedMark &reached(const Job &job, const std::string &name) {
  REQUIRE(design(job).run);
  for (const AdjustedMark &m : design(job).run->result.marks)
    if (m.name == name) return m;
  throw std::runtime_error("the plan has no mark " + name);
}
const PlannedItem &item(const Job &job, const std::string &id) {
  for (const PlannedItem &i : design(job).items)
    if (i.id == id) return i;
  throw std::runtime_error("nothing planned is called " + id);
}
/// A job of control alone, and the demo's orbits.
Job office(const std::string &path) {
  Job job = Job::create(path, demo_settings());
  job.take({AMPLETIE_SOURCE_DIR "/demo/data/control.csv", AMPLETIE_SOURCE_DIR "/demo/data/broadcast.rnx.gz"});
  for (const char *m : {"REFA", "REFB"}) job.decide("hold", m, {{"how", "full"}}, "published");
  return job;
}
} // namespace

TEST_CASE("a session planned as the demo's was measured is expected to be as good as it turned out") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  solve(job);
  // Each first session of two receivers, in the plan as in the field.
  double log_sum = 0, worst = 1;
  int n = 0;
  for (const VectorResult &v : job.vectors()) {
    if (!v.error.empty() || !v.used || v.solved->solution != Solution::fixed) continue;
    const Occupation *ends[2] = {nullptr, nullptr};
    for (const Occupation &o : job.snapshot()->occupations()) {
      if (o.id == v.from_occupation) ends[0] = &o;
      if (o.id == v.to_occupation) ends[1] = &o;
    }
    const PlannedSky sky({[&] {
                           for (const SourceContent &c : job.snapshot()->contents())
                             if (c.navigation) return c.navigation;
                           return std::shared_ptr<const NavigationFile>();
                         }()},
                         1.0);
    const Vec3 from = ends[0]->file->approximate, to = from + v.solved->d;
    const PlannedSolution p = planned_solution(sky, {from, to}, v.solved->first,
                                               (v.solved->last - v.solved->first) / 60, 10, StaticOptions());
    REQUIRE(p.problem.empty());
    CHECK(p.fixed);
    const double ratio = std::sqrt(p.cov.trace() / v.solved->cov.trace());
    log_sum += std::log(ratio), ++n;
    worst = std::max(worst, std::max(ratio, 1 / ratio));
  }
  CAPTURE(std::exp(log_sum / n), worst, n);
  CHECK(n >= 10);
  CHECK(std::exp(log_sum / n) == Approx(1).margin(0.15));
  CHECK(worst < 1.5); // what the residuals of single sessions say of their noise
}

TEST_CASE(
    "a mark that is planned, measured by two sessions: accuracy, checks, worth; nothing else of the job changes") {
  TemporaryFolder folder;
  Job job = office(folder / "a.tie");
  const std::string before = job.snapshot()->get(network_key_result());
  const Vec3 a = *job.snapshot()->published().at("REFA").xyz;
  plan(job, "mark K7", {{"east", 412800}, {"north", 5122300}, {"height", 700}});
  plan(job, "session 1", {{"marks", "REFA,REFB,K7"}, {"start", "2026-06-02T08:00:00"}, {"minutes", 60}});
  CHECK(a.norm() > 6e6);
  CHECK(item(job, "mark K7").problem.empty());
  const PlannedItem &one = item(job, "session 1");
  CHECK(one.problem.empty());
  CHECK(one.fixed);
  CHECK(one.satellites >= 8);
  CHECK(one.success > 0.999);
  CHECK(one.lost == std::vector<std::string>{"K7"});
  CHECK(reached(job, "K7").independent_checks == 0);
  const double plan_alone = reached(job, "K7").network_plan95, up_alone = reached(job, "K7").network_up95;
  CHECK(plan_alone > 0.002);
  CHECK(plan_alone < 0.03);
  CHECK_THAT(design(job).sky, Contains("carried on"));
  // A second one makes it better and checks the first; either can be spared now.
  plan(job, "session 2", {{"marks", "REFA,REFB,K7"}, {"start", "2026-06-02T13:00:00"}, {"minutes", 60}});
  CHECK(reached(job, "K7").independent_checks == 1);
  CHECK(reached(job, "K7").network_plan95 < plan_alone);
  CHECK(reached(job, "K7").network_up95 < 0.95 * up_alone);
  CHECK(item(job, "session 1").lost.empty());
  CHECK(item(job, "session 1").worst_mark == "K7");
  CHECK(item(job, "session 1").redundancy > 0.2);
  CHECK(item(job, "session 1").effect.value_or(0) > 0);
  // Longer is better; ten minutes over 20 km do not promise integers as an hour does.
  plan(job, "session 2", {{"minutes", 240}});
  CHECK(reached(job, "K7").network_up95 < up_alone);
  plan(job, "session 2", {{"planned", false}});
  CHECK(design(job).items.size() == 2);
  CHECK(reached(job, "K7").network_plan95 == plan_alone);
  // It goes on working without orbits, with a sky that is nominal and says so.
  CHECK(job.snapshot()->get(network_key_result()) == before);
  CHECK(job.doubts().size() < 20);
  Job bare = Job::create(folder / "b.tie", demo_settings());
  bare.take({AMPLETIE_SOURCE_DIR "/demo/data/control.csv"});
  bare.decide("hold", "REFA", {{"how", "full"}}, "");
  plan(bare, "mark K7", {{"lat", 46.3}, {"lon", 13.9}, {"height", 700}});
  plan(bare, "session 1", {{"marks", "REFA,K7"}, {"start", "2031-01-02T08:00:00"}, {"minutes", 60}});
  CHECK_THAT(design(bare).sky, Contains("nominal"));
  CHECK(reached(bare, "K7").network_plan95 < 0.05);
}

TEST_CASE("sights and levels that are planned reach what formulas by hand say") {
  TemporaryFolder folder;
  JobSettings s = demo_settings();
  s.datum.geoid_sd = 0.005;
  Job job = Job::create(folder / "a.tie", s);
  job.take_bytes({{"control.csv", "mark,east,north,height\nA,410000,5123000,600\nB,410000,5123800,600\n"}});
  for (const char *m : {"A", "B"}) job.decide("hold", m, {{"how", "full"}}, "");
  plan(job, "mark T", {{"east", 410500}, {"north", 5123000}, {"height", 600}});
  plan(job, "station A", {{"targets", "B,T"}, {"direction", 2 * rad_per_arcsec}, {"distance", 0.001}, {"ppm", 2}});
  const AdjustedMark &t = reached(job, "T");
  const InstrumentStandard i;
  // Along the sight: the distance, both centrings. Across: directions to B and T, centring at both ends and of B's
  // target.
  const double along = std::sqrt(std::pow(0.001, 2) + std::pow(2e-6 * 500, 2) + 2 * std::pow(i.centring, 2));
  const auto seen = [&](double length) { return std::hypot(2 * rad_per_arcsec, i.pointing / length); };
  const double across = std::sqrt(std::pow(500 * seen(500), 2) + std::pow(500 * seen(800), 2) +
                                  std::pow(i.centring * std::hypot(1, 500.0 / 800), 2) +
                                  std::pow(i.target_centring, 2) + std::pow(i.target_centring * 500 / 800, 2));
  CHECK(std::sqrt(t.cov_enu(0, 0)) == Approx(along).epsilon(0.02));
  CHECK(std::sqrt(t.cov_enu(1, 1)) == Approx(across).epsilon(0.05));
  CHECK(item(job, "station A").redundancy < 1e-6); // nothing checks it
  // A levelled line from A gives it its height: 0.7 mm over a kilometre.
  const double height_before = t.height_sd;
  plan(job, "line 1", {{"from", "A"}, {"to", "T"}, {"km", 0.64}, {"sd", 0.0007}});
  CHECK(item(job, "line 1").problem.empty());
  CHECK(reached(job, "T").height_sd < height_before);
  CHECK(reached(job, "T").height_sd == Approx(0.0007 * 0.8).epsilon(0.1));
}

TEST_CASE("what cannot be planned says why, and the rest goes on") {
  TemporaryFolder folder;
  Job job = office(folder / "a.tie");
  CHECK(design(job).items.empty());
  const auto refused = [&](const std::string &what, const nlohmann::json &value, const std::string &why) {
    CHECK_THROWS_WITH(plan(job, what, value), Contains(why));
  };
  refused("session 1", {{"east", 5}}, "a planned session has no east");
  refused("mark K7", {{"minutes", 5}}, "a planned mark has no minutes");
  refused("pillar K7", {{"east", 5}}, "mark, a session, a line or a station");
  refused("mark", {{"east", 5}}, "has a name");
  refused("session 1", {{"minutes", 0}}, "1");
  CHECK(job.state().plan.empty());
  plan(job, "session 1", {{"marks", "REFA,K9"}, {"start", "2026-06-02T08:00:00"}});
  CHECK_THAT(item(job, "session 1").problem, Contains("where K9 is"));
  CHECK_THAT(design(job).problem, Contains("nothing is planned that can be computed"));
  plan(job, "session 2", {{"marks", "REFA, REFB"}, {"start", "2026-06-02T08:00:00"}});
  CHECK(item(job, "session 2").problem.empty());
  plan(job, "session 3", {{"marks", "REFA,REFB"}});
  CHECK_THAT(item(job, "session 3").problem, Contains("when it begins"));
  plan(job, "session 4", {{"marks", "REFA,REFA"}, {"start", "2026-06-02T08:00:00"}});
  CHECK_THAT(item(job, "session 4").problem, Contains("twice"));
  plan(job, "session 5", {{"marks", "REFA"}, {"start", "2026-06-02T08:00:00"}});
  CHECK_THAT(item(job, "session 5").problem, Contains("two at least"));
  plan(job, "line 1", {{"from", "REFA"}, {"to", "REFA"}});
  CHECK_THAT(item(job, "line 1").problem, Contains("itself"));
  plan(job, "line 2", {{"from", "REFA"}, {"to", "K9"}});
  CHECK_FALSE(item(job, "line 2").problem.empty());
  plan(job, "station REFA", {{"targets", ""}});
  CHECK_THAT(item(job, "station REFA").problem, Contains("targets"));
  plan(job, "mark REFA", {{"east", 412000}, {"north", 5122300}});
  CHECK_THAT(item(job, "mark REFA").problem, Contains("has a place already"));
  plan(job, "mark K9", {{"east", 412000}});
  CHECK_THAT(item(job, "mark K9").problem, Contains("where it is to be"));
  CHECK(design(job).problem.empty());
  CHECK(design(job).run->result.marks.size() == 2);
}

TEST_CASE("a mark that only levels lead to has no place to be measured at until one is planned") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  for (const char *f : {"levels-1a.txt", "benchmarks.csv"})
    job.take({std::string(AMPLETIE_SOURCE_DIR "/demo/levels/") + f});
  job.decide("hold", "HB1", {{"how", "height"}}, "published benchmark");
  solve(job);
  plan(job, "session 1", {{"marks", "REFA,K1"}, {"start", "2026-06-02T08:00:00"}, {"minutes", 60}});
  CHECK_THAT(item(job, "session 1").problem, Contains("where K1 is"));
  plan(job, "mark K1", {{"east", 413500}, {"north", 5128900}, {"height", 640}});
  CHECK(item(job, "mark K1").problem.empty());
  CHECK(item(job, "session 1").problem.empty());
  CHECK(reached(job, "K1").plan_known);
  CHECK(reached(job, "K1").network_plan95 > 0.002);
  CHECK(reached(job, "K1").network_plan95 < 0.05);
  CHECK(reached(job, "K1").levels > 0);
  // What only a planned line leads to has none either.
  plan(job, "line 1", {{"from", "K1"}, {"to", "K9"}, {"km", 1.5}});
  plan(job, "session 2", {{"marks", "REFA,K9"}, {"start", "2026-06-02T08:00:00"}, {"minutes", 60}});
  CHECK(item(job, "line 1").problem.empty());
  CHECK_THAT(item(job, "session 2").problem, Contains("where K9 is"));
  CHECK_FALSE(reached(job, "K9").plan_known);
}

TEST_CASE("of what was not left out in turn nobody says that it can be spared") {
  TemporaryFolder folder;
  JobSettings s = demo_settings();
  s.datum.geoid_sd = 0.005;
  Job job = Job::create(folder / "a.tie", s);
  job.take_bytes({{"control.csv", "mark,east,north,height\nA,410000,5123000,600\nB,410000,5123800,600\n"}});
  for (const char *m : {"A", "B"}) job.decide("hold", m, {{"how", "full"}}, "");
  job.begin_batch();
  for (int i = 0; i < 42; ++i) plan(job, fmt::format("line {:02}", i), {{"from", "A"}, {"to", "B"}, {"km", 1.0}});
  CHECK(job.end_batch().empty());
  CHECK(item(job, "line 39").tried);
  CHECK_FALSE(item(job, "line 40").tried);
  CHECK_THROWS_WITH(plan(job, "session 1", {{"start", "soon"}}), Contains("no time"));
}

TEST_CASE("what would help most is what helps when it is planned, by just as much, and it is the best of those tried") {
  TemporaryFolder folder;
  Job job = office(folder / "h.tie");
  plan(job, "mark K7", {{"east", 412800}, {"north", 5122300}, {"height", 700}});
  plan(job, "mark K 8", {{"east", 413100}, {"north", 5122500}, {"height", 720}});
  plan(job, "session 1", {{"marks", "REFA,K7,K 8"}, {"start", "2026-06-02T08:00:00"}, {"minutes", 60}});
  const auto helps = design(job).helps;
  REQUIRE_FALSE(helps.empty());
  CHECK(helps.size() <= 5);
  for (std::size_t i = 1; i < helps.size(); ++i)
    CHECK(helps[i - 1].plan + helps[i - 1].up >= helps[i].plan + helps[i].up);
  // Nothing of what was tried is planned by itself.
  CHECK(design(job).items.size() == 3);
  for (const PlannedHelp &h : helps) {
    CAPTURE(h.id, h.typed, h.mark);
    const AdjustedMark before = reached(job, h.mark);
    nlohmann::json value;
    std::string field;
    // As a person would type it: NAME=VALUE, quoted where a name has a blank.
    for (std::string rest = h.typed; !rest.empty();) {
      const bool quoted = rest[0] == '"';
      const auto end = rest.find(quoted ? '"' : ' ', 1);
      const std::string word = rest.substr(quoted, end - quoted);
      value[word.substr(0, word.find('='))] = word.substr(word.find('=') + 1);
      rest = end == std::string::npos ? "" : rest.substr(std::min(rest.size(), end + (quoted ? 2 : 1)));
    }
    if (value.contains("minutes")) value["minutes"] = std::stod(value["minutes"].get<std::string>());
    plan(job, h.id, value);
    CHECK(item(job, h.id).problem.empty());
    const AdjustedMark after = reached(job, h.mark);
    CHECK(before.network_plan95 - after.network_plan95 == Approx(h.plan).margin(1e-7));
    CHECK(before.network_up95 - after.network_up95 == Approx(h.up).margin(1e-7));
    // What is planned already is not proposed again.
    for (const PlannedHelp &again : design(job).helps) CHECK(again.id != h.id);
    job.undo();
  }
}

TEST_CASE("two drives planned towards one another: how far they will miss, and what a shared constant does to it") {
  TemporaryFolder folder;
  Job job = office(folder / "a.tie");
  // Five legs of 200 m from either portal, to the same place; nothing but azimuths found at every set-up.
  const FullPosition west =
      job_datum(*job.snapshot())
          .describe(published_in_job(job.snapshot()->published().at("REFA"), job_datum(*job.snapshot()),
                                     operation_policy(job.state().settings)));
  const auto mark = [&](const std::string &name, double along) {
    plan(job, "mark " + name, {{"east", west.grid.east + along}, {"north", west.grid.north}, {"height", *west.height}});
  };
  const Vec3 far = [&] {
    const JobDatum datum = job_datum(*job.snapshot());
    return to_cartesian(datum.projection().unproject(west.grid.east + 2000, west.grid.north, west.geodetic.h));
  }();
  job.decide("hold", "H", {{"how", "full"}, {"xyz", {far.x(), far.y(), far.z()}}}, "the other portal");
  const auto drive = [&](const std::string &from, const std::string &letter, double sign, double begin) {
    std::string at = from;
    for (int i = 1; i <= 5; ++i) {
      const std::string next = letter + std::to_string(i);
      mark(next, begin + sign * 200 * i);
      plan(job, "station " + at, {{"targets", next}, {"azimuth", 15 * rad_per_arcsec}});
      at = next;
    }
  };
  drive("REFA", "A", 1, 0);
  drive("H", "B", -1, 2000);
  const auto meeting = [&] {
    REQUIRE(design(job).problem == "");
    REQUIRE(design(job).meetings.size() == 1);
    return design(job).meetings.front();
  };
  const Breakthrough alone = meeting();
  CHECK(alone.from == "A5");
  CHECK(alone.to == "B5");
  CHECK(degrees(alone.bearing_rad) == Approx(90).margin(0.01));
  CAPTURE(alone.gap_m.transpose());
  CHECK(alone.gap_m.head<2>().norm() < 0.01); // they are planned to meet
  // Nothing is shared but plumb lines: the variances of both ends add up.
  const double both =
      std::hypot(std::sqrt(reached(job, "A5").cov_enu(1, 1)), std::sqrt(reached(job, "B5").cov_enu(1, 1)));
  CHECK(std::sqrt(alone.cov(1, 1)) == Approx(both).epsilon(0.25));
  CHECK(std::sqrt(alone.cov(1, 1)) > 200 * 15 * rad_per_arcsec * std::sqrt(10.0)); // the azimuths alone (ten legs)
  CHECK_FALSE(alone.height_sd_m); // no levels, no geoid in the network: ellipsoidal heights alone
  // One instrument on both sides with a constant of 100 seconds unknown: both drives turn the same way, and their ends
  // move apart by the whole length between the portals.
  for (const std::string side : {"A", "B"})
    for (int i = 0; i < 5; ++i)
      plan(job,
           "station " + (i             ? side + std::to_string(i)
                         : side == "A" ? std::string("REFA")
                                       : std::string("H")),
           {{"azimuth-constant", 100 * rad_per_arcsec}});
  const Breakthrough shared = meeting();
  const double more = std::sqrt(shared.cov(1, 1) - alone.cov(1, 1));
  CHECK(more == Approx(2000 * 100 * rad_per_arcsec).epsilon(0.02));
  CHECK(std::sqrt(shared.cov(0, 0)) == Approx(std::sqrt(alone.cov(0, 0))).epsilon(0.02)); // along nothing changes
  // The axis by a mark and by its bearing are the same.
  const NetworkRun &run = *design(job).run;
  CHECK(axis_from(run, "A4", "A5") == Approx(axis_of_bearing(run, "A5", radians(90.0))).margin(1e-4));
  CHECK_THROWS_AS(breakthrough(run, "A5", "A5", 0), InputError);
  CHECK_THROWS_AS(breakthrough(run, "A5", "NOBODY", 0), InputError);
}
