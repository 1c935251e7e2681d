// Frame fits of a job: from a list in a site's system to coordinates in it, with mistakes on the way.
#include "base/angle.h"
#include "base/error.h"
#include "results/fit_record.h"
#include "results/job_results.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
/// Where the site's surveyors have a mark: turned by 20°, in ground lengths, heights from another zero.
struct SiteSystem {
  double scale = 1.000123, turn = radians(20);
  Vec3 at(const GridPoint &g, double height) const {
    const double e = g.east - 415000, n = g.north - 5128000;
    return {5000 + scale * (std::cos(turn) * e + std::sin(turn) * n),
            2000 + scale * (-std::sin(turn) * e + std::cos(turn) * n), height - 100.25};
  }
};

struct SiteJob {
  TemporaryFolder folder;
  Job job;
  SiteSystem system;
  std::map<std::string, Vec3> site;
  SiteJob() : job(demo_job(folder / "a.tie")) {
    solve(job);
    adjust(job);
    for (const auto &[name, p] : job.network()->positions) site[name] = system.at(p.grid, *p.height);
  }
  /// The list with a few millimetres of its own; `change` makes mistakes.
  std::string list(const std::function<void(std::map<std::string, Vec3> &)> &change = {},
                   const std::set<std::string> &without = {}) const {
    auto all = site;
    int k = 0;
    for (auto &[name, p] : all) {
      ++k;
      p += Vec3(0.003 * std::sin(k * 2.1), 0.003 * std::cos(k * 1.7), 0.004 * std::sin(k * 0.9));
    }
    if (change) change(all);
    std::string out = "mark,e,n,height\n";
    for (const auto &[name, p] : all)
      if (!without.count(name)) out += fmt::format("{},{:.4f},{:.4f},{:.4f}\n", name, p.x(), p.y(), p.z());
    return out;
  }
  std::string take(const std::string &name, const std::string &text) {
    const auto in = job.take_bytes({{name, text}});
    REQUIRE(in[0].outcome == Intake::Outcome::taken);
    for (const auto &c : job.snapshot()->contents())
      if (c.source.name == name) return c.source.id;
    return {};
  }
  const JobFit &fit() const { return job.snapshot()->get(fits_result()).front(); }
  void say(const char *mark, const char *field, const char *what) {
    job.decide("set", std::string("pair:site|") + mark, {{field, what}}, "");
  }
};
} // namespace

TEST_CASE("a list in a site's system leads all marks into it; mistakes are named and can be left to check") {
  SiteJob t;
  const std::string good = t.take("site.csv", t.list({}, {"PN1", "R07"}));
  // Before it is said what the list is, its marks are taken for the job's and do not belong here.
  CHECK(doubt_of(t.job, "does not belong here"));
  t.job.decide("set", "fit:site", {{"list", good}}, "the site's own system");
  CHECK_FALSE(doubt_of(t.job, "does not belong here"));
  REQUIRE(t.job.network_stale() == false);
  const JobFit &f = t.fit();
  INFO(f.problem);
  REQUIRE(f.problem.empty());
  CHECK(agrees(f.result));
  CHECK(*f.scale == Approx(1.000123).margin(4 * *f.scale_sd));
  CHECK(*f.rotation_rad == Approx(radians(20)).margin(4 * *f.rotation_sd));
  for (const FittedMark &m : f.marks) {
    const Vec3 off = m.to - t.site.at(m.name);
    CHECK(off.head<2>().norm() < 0.010);
    CHECK(std::abs(off.z()) < 0.010);
    CHECK(m.cov(0, 0) > 0);
    CHECK(std::sqrt(m.cov(0, 0)) < 0.02);
  }
  CHECK(f.marks.size() == t.job.network()->result.marks.size());
  CHECK_FALSE(doubt_of(t.job, "fit disagrees"));
  CHECK_THAT(fit_words(f), Contains("scale 1.00012") && Contains("20°"));
  CHECK_THAT(t.job.words().sentence(t.job.decisions().back()), Contains("system site") && Contains("file site.csv"));
  t.job.undo();
  CHECK(t.job.snapshot()->get(fits_result()).empty());
  CHECK(doubt_of(t.job, "does not belong here"));
  t.job.redo();

  // One mark 8 cm wrong in plan: it is named first, and left to check everything agrees.
  const std::string bad = t.take("bad.csv", t.list([](auto &all) { all.at("R11") += Vec3(0.06, 0.05, 0); }));
  t.job.decide("set", "fit:site", {{"list", bad}}, "");
  t.job.decide("leave-out", good, nlohmann::json::object(), "superseded");
  const Doubt *d = doubt_of(t.job, "fit disagrees");
  REQUIRE(d);
  REQUIRE_FALSE(d->causes.empty());
  CHECK_THAT(d->causes[0], Contains("R11 is wrong in plan") && Contains("everything agrees"));
  CHECK(*d->effect_m > 0.005);
  t.say("R11", "use", "height");
  CHECK_FALSE(doubt_of(t.job, "fit disagrees"));
  REQUIRE(doubt_of(t.job, "fit misses a check"));
  CHECK(*doubt_of(t.job, "fit misses a check")->effect_m == Approx(0.078).margin(0.02));
  t.say("R11", "use", "none");
  CHECK_FALSE(doubt_of(t.job, "fit misses a check"));

  // Two names exchanged.
  const std::string swapped = t.take("swapped.csv", t.list([](auto &all) { std::swap(all.at("R07"), all.at("PS1")); }));
  t.say("R11", "use", "both");
  t.job.decide("set", "fit:site", {{"list", swapped}}, "");
  t.job.decide("leave-out", bad, nlohmann::json::object(), "superseded");
  d = doubt_of(t.job, "fit disagrees");
  REQUIRE(d);
  CHECK_THAT(d->causes[0], Contains("PS1 and R07 are exchanged"));
  // Said by hand it is right.
  t.say("R07", "with", "PS1");
  t.say("PS1", "with", "R07");
  CHECK_FALSE(doubt_of(t.job, "fit disagrees"));
  for (const FittedMark &m : t.fit().marks) CHECK((m.to - t.site.at(m.name)).norm() < 0.012);
}

TEST_CASE("names, too few marks, marks beyond and a list of another unit") {
  SiteJob t;
  // Another name for a mark: what lies there is offered.
  std::string text = t.list();
  text.replace(text.find("\nR11,"), 5, "\nTUN-11,");
  const std::string named = t.take("named.csv", text);
  t.job.decide("set", "fit:site", {{"list", named}}, "");
  const Doubt *d = doubt_of(t.job, "no partner in the fit");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("TUN-11") && Contains("R11"));
  t.say("R11", "with", "TUN-11");
  CHECK_FALSE(doubt_of(t.job, "no partner in the fit"));
  CHECK(std::any_of(t.fit().input.pairs.begin(), t.fit().input.pairs.end(),
                    [](const FitPair &p) { return p.name == "R11"; }));
  // Two pairs only: nothing checks, and the others lie beyond.
  for (const auto &[name, p] : t.site)
    if (name != "R07" && name != "R11") t.say(name.c_str(), "use", "none");
  CHECK(t.fit().result.redundancy == 1); // of the height's shift
  CHECK(doubt_of(t.job, "fit unchecked"));
  CHECK(doubt_of(t.job, "outside the fit"));
  t.say("R11", "use", "none");
  REQUIRE(doubt_of(t.job, "fit not computed"));
  CHECK_THAT(doubt_of(t.job, "fit not computed")->sentence, Contains("equations"));
  for (const auto &[name, p] : t.site) t.say(name.c_str(), "use", "both");
  CHECK_FALSE(doubt_of(t.job, "fit not computed"));
  // Feet that are not said: the scale betrays them, and where it is fixed the causes.
  const std::string feet = t.take("feet.csv", t.list([](auto &all) {
    for (auto &[name, p] : all) p /= 0.3048;
  }));
  t.job.decide("set", "fit:site", {{"list", feet}}, "");
  t.say("R11", "with", "R11");
  bool said = false;
  for (const Doubt &x : t.job.doubts())
    said = said || (x.kind == "fit disagrees" && x.sentence.find("feet") != std::string::npos);
  INFO(t.fit().problem);
  CHECK(said);
  t.job.decide("set", "fit:site", {{"plan", "rigid"}, {"scale", 1.000123}}, "");
  d = doubt_of(t.job, "fit disagrees");
  REQUIRE(d);
  CHECK_THAT(d->causes.at(0), Contains("feet"));
  // The list left out, no list, the network stale.
  t.job.decide("leave-out", feet, nlohmann::json::object(), "wrong unit");
  CHECK_THAT(t.fit().problem, Contains("left out"));
  t.job.decide("set", "fit:site", {{"list", nullptr}}, "");
  CHECK(t.job.snapshot()->get(fits_result()).empty());
  t.job.decide("set", "fit:site", {{"list", named}}, "");
  t.job.decide("release", "REFB", nlohmann::json::object(), "");
  CHECK_THAT(t.fit().problem, Contains("out of date"));
  CHECK_THROWS_AS(t.job.decide("set", "fit:site", {{"plan", "conformal"}}, ""), InputError);
  CHECK_THROWS_AS(t.job.decide("set", "pair:site", {{"use", "check"}}, ""), InputError);
}

TEST_CASE("names that are written otherwise, a plan without heights, heights without a plan") {
  SiteJob t;
  std::string plan = "mark,e,n\n", heights = "mark,height\n";
  for (const auto &[name, p] : t.site) {
    plan += fmt::format("{} {},{:.3f},{:.3f}\n", lower(name.substr(0, 1)), lower(name.substr(1)), p.x(), p.y());
    heights += fmt::format("{},{:.3f}\n", name, p.z());
  }
  const std::string flat = t.take("plan.csv", plan);
  REQUIRE(doubt_of(t.job, "list without heights"));
  t.job.decide("set", "fit:site", {{"list", flat}}, "");
  CHECK_FALSE(doubt_of(t.job, "list without heights"));
  INFO(t.fit().problem);
  REQUIRE(t.fit().problem.empty());
  CHECK(t.fit().height == "none");
  CHECK(t.fit().input.pairs.size() == t.site.size());
  CHECK(t.fit().lines.front().in_list != t.fit().input.pairs.front().name);
  CHECK(agrees(t.fit().result));
  for (const FittedMark &m : t.fit().marks) CHECK((m.to - t.site.at(m.name)).head<2>().norm() < 0.002);
  const std::string high = t.take("heights.csv", heights);
  t.job.decide("set", "fit:site", {{"list", high}}, "");
  REQUIRE(t.fit().problem.empty());
  CHECK(t.fit().plan == "none");
  CHECK_FALSE(t.fit().scale);
  for (const FittedMark &m : t.fit().marks) CHECK(m.to.z() == Approx(t.site.at(m.name).z()).margin(0.002));
  // Said all the same, it is refused in words.
  t.job.decide("set", "fit:site", {{"plan", "similarity"}}, "");
  CHECK_THAT(t.fit().problem, Contains("no pair says anything"));
}
