// Systems that no pairs determine: a fit of before, taken back from its file, and a grid of one's own from one mark and
// a bearing.
#include "base/angle.h"
#include "formats/fit_file.h"
#include "results/fit_record.h"
#include "results/job_results.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <cmath>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct Fitted {
  TemporaryFolder folder;
  Job job;
  Fitted() : job(demo_job(folder / "a.tie")) {
    solve(job);
    adjust(job);
  }
  std::string take(const std::string &name, const std::string &text) {
    const auto in = job.take_bytes({{name, text}});
    INFO(in[0].sentence);
    REQUIRE(in[0].outcome == Intake::Outcome::taken);
    for (const auto &c : job.snapshot()->contents())
      if (c.source.name == name) return c.source.id;
    return {};
  }
  const JobFit &fit(const std::string &name) const {
    for (const JobFit &f : job.snapshot()->get(fits_result()))
      if (f.name == name) return f;
    throw std::runtime_error("no fit " + name);
  }
};
const FittedMark &mark_of(const JobFit &f, const std::string &name) {
  for (const FittedMark &m : f.marks)
    if (m.name == name) return m;
  throw std::runtime_error("no mark " + name);
}
/// The file as it is issued.
std::string file_of(const JobFit &f, const DatumSettings &d) {
  nlohmann::ordered_json j{{"format", "ample-tie frame fit"}, {"version", 1}, {"record", "i-test"}};
  j.update(to_json(f, d));
  return j.dump();
}
} // namespace

TEST_CASE(
    "a fit that was issued leads the marks of another job where it led those of its own, and is checked by them") {
  Fitted a;
  std::string list = "mark,e,n,height,sd_e,sd_n,sd_u\n";
  int k = 0;
  for (const auto &[name, p] : a.job.network()->positions) {
    if (name == "DAM") continue; // outside of the fit
    const double e = p.grid.east - 415000, n = p.grid.north - 5128000, t = 0.2;
    ++k;
    list += fmt::format("{},{:.4f},{:.4f},{:.4f},0.004,0.004,0.005\n", name,
                        5000 + std::cos(t) * e + std::sin(t) * n + 0.003 * std::sin(k),
                        2000 - std::sin(t) * e + std::cos(t) * n + 0.003 * std::cos(2 * k), *p.height - 100);
  }
  a.job.decide("set", "fit:site", {{"list", a.take("site.csv", list)}}, "");
  const JobFit before = a.fit("site");
  REQUIRE(before.problem.empty());
  const std::string file = file_of(before, a.job.state().settings.datum);
  // Another job: the same field work, nothing known of the site but the file.
  Fitted b;
  const std::string id = b.take("fit-site.json", file);
  b.job.decide("set", "fit:back", {{"list", id}}, "");
  const JobFit &back = b.fit("back");
  CHECK(back.problem == "");
  CHECK_THAT(back.given, Contains("taken from fit-site.json") && Contains("i-test"));
  CHECK(back.marks.size() == before.marks.size());
  for (const FittedMark &m : back.marks) {
    INFO(m.name);
    const FittedMark &was = mark_of(before, m.name);
    CHECK((m.to - was.to).norm() < 1e-6);
    // What the fit and the network share is not known any more: never better than it was for a mark outside.
    CHECK(m.cov(0, 0) > was.cov(0, 0) * 0.99);
    if (m.name == "DAM") CHECK(m.cov(0, 0) < 2 * was.cov(0, 0));
    CHECK(m.outside_m == Approx(was.outside_m).margin(1e-6));
  }
  // Its marks are compared and determine nothing.
  REQUIRE(back.input.pairs.size() == before.input.pairs.size());
  for (std::size_t i = 0; i < back.input.pairs.size(); ++i) {
    CHECK(back.input.pairs[i].use == PairUse::check);
    REQUIRE(back.result.pairs[i].plan);
    CHECK(back.result.pairs[i].plan->passes);
  }
  CHECK_FALSE(doubt_of(b.job, "fit misses a check"));
  CHECK_FALSE(doubt_of(b.job, "fit unchecked"));
  // A mark that has moved by 6 cm since is found by that.
  auto moved = nlohmann::json::parse(file);
  for (auto &p : moved.at("pairs"))
    if (p.at("mark") == "R11") p["to"][0] = p.at("to").at(0).get<double>() + 0.06;
  b.job.decide("set", "fit:moved", {{"list", b.take("moved.json", moved.dump())}}, "");
  REQUIRE(b.fit("moved").problem == "");
  for (std::size_t i = 0; i < b.fit("moved").input.pairs.size(); ++i)
    if (b.fit("moved").input.pairs[i].name == "R11")
      CHECK(b.fit("moved").result.pairs[i].plan->difference[0] == Approx(-0.06).margin(0.01));
  const Doubt *d = doubt_of(b.job, "fit misses a check");
  REQUIRE(d);
  CHECK(d->about == "R11");
  // In another grid, or with other heights, it leads nowhere.
  b.job.decide("set", "job", {{"crs", "EPSG:25832"}}, "another zone");
  solve(b.job);
  adjust(b.job);
  CHECK_THAT(b.fit("back").problem, Contains("leads from EPSG:25833, the job's grid is EPSG:25832"));
  b.job.undo();
  b.job.decide("set", "job", {{"vertical", ""}}, "no heights");
  solve(b.job);
  adjust(b.job);
  CHECK_THAT(b.fit("back").problem, Contains("leads from heights of EPSG:5773"));
}

TEST_CASE("pairs are found by position where no name agrees, and that is asked about") {
  Fitted a;
  std::string list = "mark,e,n,height\n";
  int k = 100;
  for (const auto &[name, p] : a.job.network()->positions) {
    const double e = p.grid.east - 415000, n = p.grid.north - 5128000, t = -0.7;
    list += fmt::format("{},{:.3f},{:.3f},{:.3f}\n", k++, 5000 + std::cos(t) * e + std::sin(t) * n,
                        2000 - std::sin(t) * e + std::cos(t) * n, *p.height - 50);
  }
  a.job.decide("set", "fit:site", {{"list", a.take("numbers.csv", list)}}, "");
  const JobFit &f = a.fit("site");
  CHECK(f.problem == "");
  CHECK(f.by_position);
  CHECK(f.input.pairs.size() == a.job.network()->positions.size());
  int expected = 100;
  for (const auto &[name, p] : a.job.network()->positions) {
    const std::string number = std::to_string(expected++);
    for (std::size_t i = 0; i < f.lines.size(); ++i)
      if (f.lines[i].in_list == number) CHECK(f.input.pairs[i].name == name);
  }
  const Doubt *d = doubt_of(a.job, "no partner in the fit");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("by how they lie") && Contains("the same marks?"));
  // One pair that somebody says, and nothing is guessed any more.
  a.job.decide("set", "pair:site|R07", {{"with", "100"}}, "");
  CHECK_FALSE(a.fit("site").by_position);
}

TEST_CASE("a grid of one's own from a mark and a bearing") {
  Fitted a;
  a.job.decide("set", "fit:own",
               {{"mark", "R07"},
                {"at_east", 1000.0},
                {"at_north", 5000.0},
                {"at_height", 100.0},
                {"toward", "R11"},
                {"bearing", 30.0}},
               "");
  const JobFit &f = a.fit("own");
  CHECK(f.problem == "");
  const FullPosition &m = a.job.network()->positions.at("R07"), &b = a.job.network()->positions.at("R11");
  const Vec3 at = mark_of(f, "R07").to, there = mark_of(f, "R11").to;
  CHECK((at - Vec3(1000, 5000, 100)).norm() < 1e-9);
  CHECK(mark_of(f, "R07").cov.norm() < 1e-12); // by definition
  CHECK(degrees(std::atan2(there.x() - at.x(), there.y() - at.y())) == Approx(30).margin(1e-9));
  CHECK(there.z() - at.z() == Approx(*b.height - *m.height).margin(1e-9));
  // Lengths are those on the ground at the mark: the combined factor away from those of the grid.
  const double grid = std::hypot(b.grid.east - m.grid.east, b.grid.north - m.grid.north);
  CHECK((there - at).head<2>().norm() == Approx(grid / m.combined_factor).epsilon(1e-12));
  // The other mark can only be wrong along the way to it.
  const Eigen::Vector2d across(std::cos(radians(30)), -std::sin(radians(30))),
      along(std::sin(radians(30)), std::cos(radians(30)));
  const Eigen::Matrix2d q = mark_of(f, "R11").cov.topLeftCorner<2, 2>();
  CHECK(across.dot(q * across) < 1e-12);
  CHECK(std::sqrt(along.dot(q * along)) > 0.0005);
  CHECK(std::sqrt(along.dot(q * along)) < 0.01);
  CHECK_FALSE(doubt_of(a.job, "outside the fit"));
  CHECK_FALSE(doubt_of(a.job, "fit unchecked"));
  // Without a bearing it is shifted only; a scale that is said counts.
  a.job.decide("set", "fit:moved", {{"mark", "R07"}, {"at_east", 0.0}, {"at_north", 0.0}, {"scale", 1.0}}, "");
  const Vec3 only = mark_of(a.fit("moved"), "R11").to;
  CHECK(only.x() == Approx(b.grid.east - m.grid.east).margin(1e-9));
  CHECK(only.y() == Approx(b.grid.north - m.grid.north).margin(1e-9));
  CHECK(only.z() == Approx(*b.height).margin(1e-9));
  // What is missing is said.
  a.job.decide("set", "fit:half", {{"mark", "R07"}, {"at_east", 0.0}}, "");
  CHECK_THAT(a.fit("half").problem, Contains("at_north"));
  a.job.decide("set", "fit:half", {{"at_north", 0.0}, {"bearing", 10.0}}, "");
  CHECK_THAT(a.fit("half").problem, Contains("toward"));
  a.job.decide("set", "fit:half", {{"toward", "nobody"}}, "");
  CHECK_THAT(a.fit("half").problem, Contains("no adjusted mark"));
  a.job.decide("set", "fit:half", {{"toward", "R07"}}, "");
  CHECK_THAT(a.fit("half").problem, Contains("shows no direction"));
}
