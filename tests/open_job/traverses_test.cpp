// Field books as sources of a job: decisions over them, routes, doubts, the network.
#include "open_job/job.h"
#include "support/field_work.h"
#include "support/test_job.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;

namespace {

/// A job with the known marks of a simulated traverse held and its book taken.
struct FieldJob {
  TemporaryFolder folder;
  FieldWork work;
  Job job;

  explicit FieldJob(std::uint64_t seed, FieldMistake m = FieldMistake::none)
      : work(seed), job((work.mistake(m), Job::create(folder / "f.tie", settings()))) {
    FieldWork::weigh(job);
    work.hold_in(job);
    const auto out = job.take_bytes({{"field.txt", station::simulate(work.scenario).files.front().text}});
    REQUIRE(out[0].outcome == Intake::Outcome::taken);
    CHECK(out[0].sentence.find("field book of a total station, 7 set-ups, 64 pointings") == 0);
  }
  static JobSettings settings() {
    JobSettings s = demo_settings();
    s.datum.epoch = 2026.36;
    return s;
  }
  const TraverseReport &report() const { return job.snapshot()->traverses(); }
  const ReducedSetup &at(const std::string &mark) const {
    for (const auto &s : report().field.setups)
      if (s->setup.mark == mark) return *s;
    throw std::runtime_error("no set-up on " + mark);
  }
  std::vector<Doubt> doubts() const {
    std::vector<Doubt> out;
    for (const Doubt &d : job.doubts())
      if (d.section == Section::traverse && d.state == Doubt::State::open) out.push_back(d);
    return out;
  }
};

} // namespace

TEST_CASE("a field book becomes a traverse between held marks, and belongs to the network") {
  FieldJob f(21);
  REQUIRE(f.report().lines.size() == 1);
  const TraverseLine l = f.report().lines[0];
  CHECK(l.name == "A … B");
  CHECK(l.closes());
  CHECK(f.doubts().empty());
  f.job.accept_network(run_network(*f.job.snapshot(), {}, {}));
  const NetworkResult &n = f.job.network()->result;
  // Stated with care: the factor may be small, not large.
  CHECK(n.adjustment.variance_factor < n.adjustment.upper);
  CHECK(f.job.network()->stations.size() == 7);
  // Every mark within what its accuracy says of the truth, and the traverse's own coordinates too.
  for (const AdjustedMark &m : n.marks) {
    if (m.hold != Hold::none) continue;
    for (const auto &t : f.work.scenario.marks)
      if (t.name == m.name) {
        const Vec3 truth = to_cartesian({radians(t.lat), radians(t.lon), t.h});
        const Vec3 e = local_axes(to_geodetic(truth)) * (m.position.xyz - truth);
        CHECK(e.dot(m.cov_enu.inverse() * e) < 20);
        CHECK(m.sighted_from == 2);
        const PlanePoint &p = f.report().marks.at(m.name).place;
        const FullPosition &q = f.job.network()->positions.at(m.name);
        CHECK(std::hypot(p.east - q.grid.east, p.north - q.grid.north) < 0.012);
      }
  }
  // Left out as a whole: shown, not used.
  f.job.decide("leave-out", "traverse:" + l.id, nlohmann::json::object(), "wait");
  CHECK(f.job.network_stale());
  CHECK_FALSE(f.report().lines[0].used);
  CHECK(f.report().lines[0].closes());
  CHECK_FALSE(f.report().in_network(f.at("T2")));
}

TEST_CASE("what a doubt names can be decided, and everything follows") {
  FieldJob f(33, FieldMistake::exchanged);
  REQUIRE_FALSE(f.doubts().empty());
  REQUIRE_FALSE(f.job.traverse_findings().causes.empty());
  const TraverseCause cause = f.job.traverse_findings().causes[0];
  CHECK(cause.sentence.find("exchanged") != std::string::npos);
  CHECK(std::any_of(f.job.doubts().begin(), f.job.doubts().end(), [&](const Doubt &d) {
    return std::find(d.causes.begin(), d.causes.end(), cause.sentence) != d.causes.end();
  }));
  for (const auto &[target, value] : cause.decisions) f.job.decide(cause.verb, target, value, cause.sentence);
  CHECK(f.doubts().empty());
  CHECK(f.report().lines[0].closes());
  f.job.undo();
  CHECK_FALSE(f.doubts().empty());
  f.job.redo();
  // Reopened: the same, from sources and decisions alone.
  const std::string path = f.job.store().path(), key = f.report().key;
  Job again = Job::open(path);
  CHECK(again.snapshot()->traverses().key == key);
  CHECK(again.snapshot()->traverses().lines[0].closes());
}

TEST_CASE("heights, constants, air and names are corrected over the book") {
  FieldJob f(45);
  const std::string id = f.at("T3").setup.id;
  const double rise = f.at("T3").find("T4")->rise, slope = f.at("T3").find("T4")->slope;
  f.job.decide("set", id, {{"height", f.at("T3").setup.instrument_height + 0.1}}, "tape read again");
  CHECK(f.at("T3").find("T4")->rise == Approx(rise + 0.1).margin(1e-9));
  f.job.decide("set", id, {{"targets", {{"T4", {{"height", f.at("T3").find("T4")->mean.target_height + 0.3}}}}}}, "");
  CHECK(f.at("T3").find("T4")->rise == Approx(rise - 0.2).margin(1e-9));
  f.job.decide("set", id, {{"targets", {{"T4", {{"constant", -0.0345}}}}}}, "another prism");
  CHECK(f.at("T3").find("T4")->slope == Approx(slope - 0.018).margin(1e-4));
  // The instrument had corrected for the booked air; 30 hPa less are 8 ppm more.
  const double pressure = f.at("T3").setup.air->pressure_hpa, now = f.at("T3").find("T4")->slope;
  f.job.decide("set", id, {{"pressure", pressure - 30}}, "barometer");
  CHECK(f.at("T3").find("T4")->slope / now - 1 ==
        Approx(velocity_ppm_per_hpa({}, {pressure, 12, 0}) * -30e-6).epsilon(0.02));
  CHECK(f.at("T3").remarks.size() == 1);
  // One pointing left out, then the whole set-up: the traverse breaks there.
  const std::string pointing = f.at("T3").setup.pointings[1].id;
  f.job.decide("leave-out", pointing, nlohmann::json::object(), "bumped");
  CHECK_FALSE(f.at("T3").setup.pointings[1].used);
  f.job.decide("leave-out", id, nlohmann::json::object(), "moved");
  CHECK(f.report().lines.size() >= 2);
  CHECK(f.report().lines[0].result.kind == TraverseKind::hanging);
  f.job.undo();
  // A mark's name, and another way to go on.
  f.job.decide("set", f.at("T2").setup.id, {{"onward", ""}}, "ends here");
  CHECK(f.report().judgements.at(f.at("T2").setup.id).onward_said);
  CHECK(f.report().lines.size() == 2);
  f.job.undo();
  CHECK(f.report().lines.size() == 1);
  f.job.decide("set", "mark:T3", {{"same_as", "T3A"}}, "the older name");
  CHECK(f.report().lines[0].marks[3] == "T3A");
}

TEST_CASE("the order of the books and a second drop change nothing") {
  FieldWork w(51);
  const std::string text = station::simulate(w.scenario).files.front().text;
  // The same field work in two books.
  const auto cut = text.find("stn;T4");
  const std::string head = text.substr(0, text.find("stn;"));
  const std::vector<std::pair<std::string, std::string>> one{{"a.txt", text.substr(0, cut) + "end\n"}},
      two{{"b.txt", head + text.substr(cut)}};
  TemporaryFolder folder;
  std::vector<std::string> keys;
  for (int order = 0; order < 2; ++order) {
    Job job = Job::create(folder / fmt::format("{}.tie", order), FieldJob::settings());
    job.take_bytes(order ? two : one);
    job.take_bytes(order ? one : two);
    CHECK(job.take_bytes(one)[0].outcome == Intake::Outcome::already_here);
    keys.push_back(job.snapshot()->traverses().key);
    REQUIRE(job.snapshot()->traverses().lines.size() == 1);
    // Nothing is held and nothing solved: local, and said so.
    CHECK(job.snapshot()->traverses().lines[0].local_place);
    CHECK(std::any_of(job.doubts().begin(), job.doubts().end(),
                      [](const Doubt &d) { return d.kind == "local traverse"; }));
  }
  CHECK(keys[0] == keys[1]);
}

TEST_CASE("a text that is no field book is refused, and one with unread pieces waits") {
  TemporaryFolder folder;
  Job job = Job::create(folder / "f.tie", demo_settings());
  CHECK(job.take_bytes({{"x.txt", "dear colleague,\nthe book is lost\n"}})[0].outcome == Intake::Outcome::refused);
  FieldWork w(61);
  std::string text = station::simulate(w.scenario).files.front().text;
  text.insert(text.find("p;1;2"), "p;1;1;sideways;90.00000;12.0000;07:00:00\n");
  REQUIRE(job.take_bytes({{"field.txt", text}})[0].outcome == Intake::Outcome::taken);
  const TraverseReport &r = job.snapshot()->traverses();
  CHECK(r.field.setups.empty());
  REQUIRE(r.field.sources.size() == 1);
  CHECK(r.field.sources[0].blocked());
  CHECK(std::any_of(job.doubts().begin(), job.doubts().end(), [](const Doubt &d) {
    return d.kind == "field book not read" && d.sentence.find("line") != std::string::npos;
  }));
  job.decide("set", "source:" + r.field.sources[0].head.source_id, {{"seen", true}}, "a slip of the pen");
  CHECK(job.snapshot()->traverses().field.setups.size() == 7);
}

TEST_CASE("a stray set-up is named, and a free station finds its place") {
  FieldJob f(71);
  // A station that nobody sighted sees two held marks and a traverse mark.
  station::Scenario s = f.work.scenario;
  station::Setup free;
  free.mark = "F", free.pressure = 950;
  s.marks.push_back({"F", 46.3035, 13.9060, 531, 0, 0});
  s.marks.push_back({"X1", 46.4, 13.8, 500, 0, 0});
  s.marks.push_back({"X2", 46.401, 13.8, 500, 0, 0});
  for (const char *m : {"Z2", "T2", "T4"}) free.targets.push_back({m, "control", 1.3, -0.0165});
  station::Setup stray;
  stray.mark = "X1", stray.targets = {{"X2", "control", 1.3, -0.0165}};
  s.jobs[0].setups = {free, stray};
  REQUIRE(f.job.take_bytes({{"more.txt", station::simulate(s).files.front().text}})[0].outcome ==
          Intake::Outcome::taken);
  const SetupJudgement &j = f.report().judgements.at(f.at("F").setup.id);
  REQUIRE(j.free);
  const GridPoint truth = f.work.datum.projection().project({radians(46.3035), radians(13.9060), 531});
  CHECK(std::hypot(j.free->place.east - truth.east, j.free->place.north - truth.north) < 0.012);
  const auto doubts = f.doubts();
  CHECK(std::any_of(doubts.begin(), doubts.end(),
                    [](const Doubt &d) { return d.kind == "stray set-up" && d.about == "X1"; }));
  // It is in the network all the same, and the stray one is not.
  f.job.accept_network(run_network(*f.job.snapshot(), {}, {}));
  CHECK(f.job.network()->stations.size() == 8);
  const AdjustmentResult &a = f.job.network()->result.adjustment;
  CHECK(a.variance_factor < a.upper);
}

TEST_CASE(
    "an instrument that stood off its mark is found, centred by decision, and the network agrees with the truth") {
  FieldJob f(77, FieldMistake::excentric);
  REQUIRE_FALSE(f.job.traverse_findings().causes.empty());
  const TraverseCause cause = f.job.traverse_findings().causes.front();
  CHECK(cause.sentence.rfind(f.work.expected.front(), 0) == 0);
  REQUIRE(cause.decisions.size() == 1);
  const auto &value = cause.decisions.front().second;
  const auto &truth = f.work.scenario.jobs[0].setups;
  const auto off = std::find_if(truth.begin(), truth.end(), [](const auto &u) { return u.east != 0; });
  REQUIRE(off != truth.end());
  CHECK(value.at("east").get<double>() == Approx(off->east).margin(0.01));
  CHECK(value.at("north").get<double>() == Approx(off->north).margin(0.01));
  f.job.decide("set", cause.decisions.front().first, value, "found by the lengths");
  CHECK(f.report().lines.at(0).closes());
  CHECK(f.doubts().empty());
  f.job.accept_network(run_network(*f.job.snapshot(), {}, {}));
  const NetworkRun &run = *f.job.network();
  CHECK(run.result.adjustment.variance_factor < run.result.adjustment.upper);
  for (const auto &m : run.result.marks) {
    if (m.hold != Hold::none) continue;
    const FullPosition place = f.work.describe(m.name);
    const Vec3 e = local_axes(place.geodetic) * (m.position.xyz - place.ecef.xyz);
    INFO(m.name << " off by " << e.transpose());
    CHECK(e.head<2>().norm() < 0.012);
  }
}
