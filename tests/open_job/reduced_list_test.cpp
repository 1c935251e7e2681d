// Lists of reduced observations in a job: the same coordinates as from the book, the field's own numbers beside ours,
// intersections, several places of one mark.
#include "base/hash.h"
#include "judgement/traverse_doubts.h"
#include "open_job/job.h"
#include "support/field_work.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;

namespace {

JobSettings settings() {
  JobSettings s = demo_settings();
  s.datum.epoch = 2026.36;
  return s;
}
/// What an office makes of a book: one angle, distance and height difference to a row.
std::string office_list(const TraverseReport &r, const std::string &more = {}) {
  std::string out = "unit;m;gon\n";
  for (const auto &s : r.field.setups) {
    const std::string &first = s->sights.front().mean.target;
    for (const TargetSight &x : s->sights) {
      if (&x != &s->sights.front())
        out += fmt::format("angle;{}-{}-{};{:.6f};{:.2f}\n", s->setup.mark, first, x.mean.target,
                           (x.mean.direction - s->sights.front().mean.direction) * 200 / pi,
                           std::hypot(x.mean.direction_sd, s->sights.front().mean.direction_sd) / rad_per_arcsec);
      out += fmt::format("line;{}-{};{:.5f};{:.2f};{:.5f};{:.2f}\n", s->setup.mark, x.mean.target, x.horizontal,
                         1000 * x.mean.slope_sd, x.rise, 1000 * x.mean.zenith_sd * x.horizontal);
    }
  }
  return out + more;
}

/// A job whose only observations are such a list.
struct ReducedListJob {
  TemporaryFolder folder;
  FieldWork work;
  Job job;
  explicit ReducedListJob(std::uint64_t seed, const std::string &more = {}, bool claims = false)
      : work(seed), job(Job::create(folder / "l.tie", settings())) {
    FieldWork::weigh(job);
    work.hold_in(job);
    Job book = Job::create(folder / "b.tie", settings());
    FieldWork::weigh(book);
    work.hold_in(book);
    REQUIRE(book.take_bytes({{"field.txt", station::simulate(work.scenario).files.front().text}})[0].outcome ==
            Intake::Outcome::taken);
    book.accept_network(run_network(*book.snapshot(), {}, {}));
    for (const auto &m : book.network()->result.marks) from_book[m.name] = m.position.xyz;
    std::string text = office_list(book.snapshot()->traverses(), more);
    const auto claim = [&](const TraverseClosure &c, double sign) {
      return fmt::format("closure;A;B;{:.1f};{:.3f};{:.3f};{:.3f}\n", sign * c.angular / rad_per_arcsec, sign * c.east,
                         sign * c.north, sign * c.height);
    };
    if (claims) {
      const auto closure = [&] { return book.snapshot()->traverses().lines.at(0).result.closure; };
      ours = text + claim(closure(), 1), reversed = text + claim(closure(), -1);
      book.decide("set", "traverse", {{"reduce-to", "ground"}}, "as a field computer");
      ground = text + claim(closure(), 1);
      TraverseClosure wrong = closure();
      wrong.east += 0.2;
      strange = text + claim(wrong, 1);
    }
    if (!claims) take(text);
  }
  void take(const std::string &text) {
    const auto out = job.take_bytes({{"office.csv", text}});
    INFO(out[0].sentence);
    REQUIRE(out[0].outcome == Intake::Outcome::taken);
  }
  const TraverseReport &report() const { return job.snapshot()->traverses(); }
  std::map<std::string, Vec3> from_book;
  std::string ours, reversed, ground, strange;
};

} // namespace

TEST_CASE("a list of reduced observations gives the coordinates of the book it was made from") {
  ReducedListJob l(31);
  REQUIRE(l.report().field.setups.size() == 7);
  REQUIRE(l.report().lines.size() == 1);
  const TraverseLine &line = l.report().lines[0];
  CHECK(line.closes());
  CHECK(line.result.closure.has_height);
  l.job.accept_network(run_network(*l.job.snapshot(), {}, {}));
  const NetworkRun &run = *l.job.network();
  CHECK(run.result.adjustment.passes);
  int compared = 0;
  for (const auto &m : run.result.marks)
    if (const auto b = l.from_book.find(m.name); b != l.from_book.end() && m.hold == Hold::none) {
      INFO(m.name << " " << (m.position.xyz - b->second).norm());
      CHECK((m.position.xyz - b->second).norm() < 0.0015);
      ++compared;
    }
  CHECK(compared == 5);
  // Rows in any other order say the same.
  CHECK(l.report().field.source(l.report().field.setups[0]->setup.source_id)->head.recipe == "reduced observations");
}

TEST_CASE("the field's own misclosure stands beside ours, and a difference is explained") {
  ReducedListJob l(33, "", true);
  const auto booked = [&](const std::string &text) {
    Job job = Job::create(l.folder / (content_id("x", text) + ".tie"), settings());
    FieldWork::weigh(job);
    l.work.hold_in(job);
    REQUIRE(job.take_bytes({{"office.csv", text}})[0].outcome == Intake::Outcome::taken);
    const auto b = job.snapshot()->traverses().lines.at(0).booked;
    REQUIRE(b);
    return *b;
  };
  const BookedClosure same = booked(l.ours);
  CHECK(same.same);
  CHECK(same.explained == "the same as ours");
  const BookedClosure reversed = booked(l.reversed);
  CHECK(reversed.same);
  CHECK_THAT(reversed.explained, Catch::Contains("known less measured"));
  CHECK(reversed.booked.east == Approx(same.booked.east));
  const BookedClosure ground = booked(l.ground);
  CHECK_FALSE(ground.same);
  CHECK(ground.found);
  CHECK_THAT(ground.explained, Catch::Contains("on the ground"));
  const BookedClosure strange = booked(l.strange);
  CHECK_FALSE(strange.found);
  CHECK_THAT(strange.explained, Catch::Contains("no way of computing"));
}

TEST_CASE("readings that were corrected here explain a field's misclosure that is not ours") {
  ReducedListJob l(35, "", true);
  Job job = Job::create(l.folder / "c.tie", settings());
  FieldWork::weigh(job);
  l.work.hold_in(job);
  REQUIRE(job.take_bytes({{"office.csv", l.ours}})[0].outcome == Intake::Outcome::taken);
  const auto line = [&]() -> const TraverseLine & { return job.snapshot()->traverses().lines.at(0); };
  CHECK(line().booked->same);
  const std::string setup = line().setups.at(2), target = line().marks.at(1);
  job.decide("set", setup, {{"targets", {{target, {{"constant", 0.05}}}}}}, "a prism constant that was forgotten");
  CHECK_FALSE(line().booked->same);
  CHECK(line().booked->found);
  CHECK_THAT(line().booked->explained, Catch::Contains("as booked"));
}

TEST_CASE("coordinates worked out in the field are compared, never used") {
  ReducedListJob plain(37), with(37, "point;T2;5000.0;6000.0;10.0\npoint;Z9;1;2;3\n");
  const ProvisionalMark &a = plain.report().marks.at("T2"), &b = with.report().marks.at("T2");
  CHECK(a.place.east == b.place.east);
  CHECK_FALSE(a.field);
  REQUIRE(b.field);
  CHECK(b.field->x() == Approx(5000 - b.place.east));
  CHECK(b.field->z() == Approx(10 - *b.height));
  CHECK(with.report().marks.count("Z9") == 0);
}

TEST_CASE("a mark that was only pointed at is intersected, and a weak cut is said") {
  FieldWork w(41);
  // A chimney seen from the two ends and from the middle: azimuth differences of the ellipsoid, without plumb lines.
  w.scenario.marks.push_back({"CH", 46.3062, 13.9105, 575, 0, 0});
  const auto azimuth = [&](const std::string &from, const std::string &to) {
    const FullPosition a = w.describe(from), b = w.describe(to);
    const Vec3 d = local_axes(a.geodetic) * (b.ecef.xyz - a.ecef.xyz);
    return std::atan2(d.x(), d.y());
  };
  const auto angle = [&](const char *at, const char *from, const char *to) {
    return fmt::format("angle;{}-{}-{};{:.6f};1.0\n", at, from, to,
                       positive_angle(azimuth(at, to) - azimuth(at, from)) * 200 / pi);
  };
  const std::string text = "unit;m;gon\n" + angle("A", "Z1", "CH") + angle("B", "Y1", "CH");
  TemporaryFolder folder;
  const auto placed = [&](const std::string &list) {
    Job job = Job::create(folder / (content_id("x", list) + ".tie"), settings());
    w.hold_in(job);
    REQUIRE(job.take_bytes({{"list.csv", list}})[0].outcome == Intake::Outcome::taken);
    const auto &marks = job.snapshot()->traverses().marks;
    const auto it = marks.find("CH");
    return it == marks.end() ? std::optional<ProvisionalMark>() : std::optional(it->second);
  };
  const auto two = placed(text);
  REQUIRE(two);
  CHECK(two->how == "intersection");
  CHECK(two->sights == 2);
  CHECK_THAT(two->warning, Catch::Contains("nothing checks them"));
  const GridPoint truth = w.describe("CH").grid;
  CHECK(std::hypot(two->place.east - truth.east, two->place.north - truth.north) < 0.02);
  CHECK(two->sd > 0.001);
  CHECK(two->sd < 0.02);
  const auto three = placed(text + angle("Z2", "A", "CH"));
  REQUIRE(three);
  CHECK(three->sights == 3);
  CHECK(three->warning.empty());
  CHECK(three->apart < 0.02);
  // Sights almost alongside: said.
  w.scenario.marks.back() = {"CH", 46.3, 13.95, 575, 0, 0};
  const auto weak = placed("unit;m;gon\n" + angle("A", "Z1", "CH") + angle("B", "Y1", "CH") + angle("B", "Y2", "CH"));
  if (weak) CHECK_THAT(weak->warning, Catch::Contains("cut at"));
}

TEST_CASE("levels alone are compared with a traverse's heights") {
  FieldWork w(43);
  const LevelHeights good{{"T3", {w.physical("T3"), 0.002}}}, bad{{"T3", {w.physical("T3") + 0.2, 0.002}}};
  const auto compared = [&](const LevelHeights &levels) {
    const TraverseReport r = w.report(levels);
    for (const auto &c : r.lines.at(0).comparisons)
      if (c.with == "levels") return c;
    throw std::runtime_error("levels were not compared");
  };
  CHECK(compared(good).mark == "T3");
  CHECK(std::isnan(compared(good).east));
  CHECK(compared(good).passes);
  CHECK_FALSE(compared(bad).passes);
  CHECK(compared(bad).up < -0.1);
  const auto tests = w.findings(w.report(bad)).tests;
  CHECK(std::any_of(tests.begin(), tests.end(), [](const TraverseTest &t) {
    return t.kind == TraverseTest::Kind::comparison && !t.passes() && t.about.find("height") != std::string::npos;
  }));
}

TEST_CASE("a balance that makes marks worse against what is known of them is warned about") {
  FieldWork w(49);
  KnownPlace check;
  check.position = w.describe("T3");
  check.cov_enu = Mat3::Identity() * 1e-6, check.height_sd = 0.003, check.check = true;
  w.known["T3"] = check;
  const auto warned = [&] {
    const TraverseReport r = w.report();
    const auto &b = r.lines.at(0).balanced(Balance::compass);
    REQUIRE(r.lines.at(0).comparisons.size() == 1);
    return b.warning.find("farther from where they are known") != std::string::npos;
  };
  CHECK_FALSE(warned());
  // A mistake behind the check mark: shared out it moves what was right.
  w.scenario.jobs[0].setups[5].east = 0.3;
  CHECK(warned());
}

TEST_CASE("a side shot from two stations says how far its places lie apart") {
  FieldWork w(45);
  w.scenario.marks.push_back({"D9", 46.3007, 13.9085, 522, 0, 0});
  for (std::size_t at : {2U, 3U}) w.scenario.jobs[0].setups[at].targets.push_back({"D9", "detail", 1.5, -0.0165});
  const ProvisionalMark good = w.report().marks.at("D9");
  CHECK(good.how == "side shot");
  CHECK(good.sights == 2);
  CHECK(good.apart > 0);
  CHECK(good.apart < good.apart_limit);
  // From one of them it is another point.
  w.scenario.jobs[0].setups[3].targets.back().mark = "Z2", w.scenario.jobs[0].setups[3].targets.back().booked_as = "D9";
  const ProvisionalMark apart = w.report().marks.at("D9");
  CHECK(apart.apart > 100 * apart.apart_limit);
  const TraverseReport r = w.report();
  DoubtList doubts;
  traverse_doubts(doubts, r, w.findings(r), [](const std::string &) { return false; });
  CHECK(std::any_of(doubts.all.begin(), doubts.all.end(),
                    [](const Doubt &d) { return d.kind == "places lie apart" && d.about == "D9"; }));
}

TEST_CASE("zenith angles that bend too much name a grazing sight") {
  FieldWork w(47);
  const auto grazing = [&] {
    const TraverseReport r = w.report();
    const auto &all = r.lines.at(0).remarks;
    return std::count_if(all.begin(), all.end(),
                         [](const std::string &x) { return x.find("grazes") != std::string::npos; });
  };
  CHECK(grazing() == 0);
  w.scenario.jobs[0].setups[2].refraction = 4, w.scenario.jobs[0].setups[3].refraction = 4;
  CHECK(grazing() >= 1);
}

TEST_CASE("styles of codes are decisions: own, by beginning, undone") {
  TemporaryFolder folder;
  Job job = Job::create(folder / "s.tie", settings());
  job.decide("set", "style:WALL*", {{"symbol", "none"}, {"line", true}}, "");
  job.decide("set", "style:WALL7", {{"symbol", "cross"}}, "");
  CHECK(job.state().style_of("WALL3").line);
  CHECK(job.state().style_of("WALL3").symbol == "none");
  CHECK(job.state().style_of("WALL7").symbol == "cross");
  CHECK_FALSE(job.state().style_of("WALL7").line);
  CHECK(job.state().style_of("TREE").symbol == "dot");
  job.undo();
  CHECK(job.state().style_of("WALL7").line);
}
