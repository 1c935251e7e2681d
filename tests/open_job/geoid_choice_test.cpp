// A geoid grid as a source: chosen by a decision, read as said, doubted where it does not fit.
#include "base/angle.h"
#include "base/error.h"
#include "formats/geoid_grid.h"
#include "judgement/geoid_comparison.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
constexpr const char *two_marks = "mark,lat_deg,lon_deg,h,frame,epoch,sd_e,sd_n,sd_u\n"
                                  "WEST,46.20000,13.80000,412.3456,ETRF2000,2026-05-12,0.001,0.001,0.002\n"
                                  "EAST,46.21000,13.83000,455.1000,ETRF2000,2026-05-12,0.001,0.001,0.002\n";

/// A surface that bilinear and bicubic reading give differently.
HeightGrid bent(double west = 13, int columns = 17) {
  HeightGrid g;
  g.name = "bent";
  g.south = 45.5, g.west = west, g.step_lat = g.step_lon = 0.125, g.rows = 13, g.columns = columns;
  for (int r = 0; r < g.rows; ++r)
    for (int c = 0; c < g.columns; ++c) {
      const double y = g.south + r * g.step_lat - 46.2, x = g.west + c * g.step_lon - 13.8;
      g.values.push_back(static_cast<float>(48.5 + 2 * y - x + 3 * y * y + 2 * x * x));
    }
  return g;
}
double surface(const Geodetic &g) {
  const double y = degrees(g.lat) - 46.2, x = degrees(g.lon) - 13.8;
  return 48.5 + 2 * y - x + 3 * y * y + 2 * x * x;
}

struct Trial {
  TemporaryFolder folder;
  Job job;
  explicit Trial(const std::string &grid, const std::string &name = "bent.gtx",
                 const std::string &vertical = "EPSG:5773")
      : job(Job::create(folder / "a.tie", settings(vertical))) {
    const auto all = job.take_bytes({{"marks.csv", two_marks}, {name, grid}});
    for (const Intake &i : all) {
      INFO(i.sentence);
      REQUIRE(i.outcome == Intake::Outcome::taken);
    }
  }
  static JobSettings settings(const std::string &vertical) {
    JobSettings s = demo_settings();
    s.datum.vertical = vertical;
    return s;
  }
  std::string grid() const {
    for (const auto &c : job.snapshot()->contents())
      if (c.geoid) return c.source.id;
    return {};
  }
  void say(const char *field, nlohmann::json v) { job.decide("set", "source:" + grid(), {{field, std::move(v)}}, ""); }
  FullPosition at(const char *mark) const {
    const JobDatum d = job_datum(*job.snapshot());
    return d.describe(published_in_job(job.snapshot()->published().at(mark), d, {}));
  }
};
} // namespace

TEST_CASE("physical heights go through a grid of the job's once it is chosen, and back with undo") {
  Trial t(write_gtx(bent()));
  const double before = *t.at("WEST").undulation;
  const Doubt *unused = doubt_of(t.job, "geoid not used");
  REQUIRE(unused);
  CHECK(unused->thing.id == t.grid());
  t.say("geoid", true);
  CHECK_FALSE(doubt_of(t.job, "geoid not used"));
  const FullPosition p = t.at("WEST");
  CHECK(*p.undulation == Approx(surface(p.geodetic)).margin(0.02)); // h²/8 · 10/°² = 0.02
  CHECK(std::abs(*p.undulation - surface(p.geodetic)) > 0.001);
  CHECK(*p.height == Approx(412.3456 - *p.undulation).margin(1e-4));
  CHECK(std::abs(*p.undulation - before) > 0.01);
  t.say("interpolation", "bicubic");
  CHECK(*t.at("WEST").undulation == Approx(surface(t.at("WEST").geodetic)).margin(2e-5));
  CHECK_THAT(job_datum(*t.job.snapshot()).geoid()->grid_words(), Contains("bent.gtx") && Contains("bicubic"));
  // Nobody says how good it is, before the surveyor does.
  CHECK_FALSE(job_datum(*t.job.snapshot()).geoid()->sd_m());
  t.job.decide("set", "job", {{"geoid_sd", 20}}, "comparison with levels by its makers");
  CHECK(*job_datum(*t.job.snapshot()).geoid()->sd_m() == 0.02);
  for (int i = 0; i < 3; ++i) t.job.undo();
  CHECK(*t.at("WEST").undulation == before);
}

TEST_CASE("a grid of accuracies says how good the geoid is, where it reaches") {
  HeightGrid sd = bent();
  sd.name = "sd";
  for (float &v : sd.values) v = 0.012F + 0.001F * std::abs(v - 48.5F);
  Trial t(write_gtx(bent()));
  t.say("geoid", true);
  t.job.take_bytes({{"sd.gtx", write_gtx(sd)}});
  std::string id;
  for (const auto &c : t.job.snapshot()->contents())
    if (c.source.name == "sd.gtx") id = c.source.id;
  CHECK(doubt_of(t.job, "geoid not used"));
  t.job.decide("set", "source:" + id, {{"accuracy", true}}, "its makers' second file");
  CHECK_FALSE(doubt_of(t.job, "geoid not used"));
  const JobDatum datum = job_datum(*t.job.snapshot());
  const GeoidModel &g = *datum.geoid();
  CHECK(*g.sd_m() == Approx(0.012).margin(0.003));
  CHECK_THAT(g.source_of_accuracy(), Contains("sd.gtx"));
  // What the surveyor states stands above it.
  t.job.decide("set", "job", {{"geoid_sd", 50}}, "");
  CHECK(*job_datum(*t.job.snapshot()).geoid()->sd_m() == 0.05);
  CHECK(doubt_of(t.job, "geoid not used")); // the grid does nothing now, and that is said
  t.job.undo();
  CHECK_FALSE(doubt_of(t.job, "geoid not used"));
  t.job.decide("leave-out", id, nlohmann::json::object(), "");
  CHECK_THAT(job_datum(*t.job.snapshot()).geoid_refusal(), Contains("not in the job, or is left out"));
  t.job.undo();
  // The geoid itself is no accuracy.
  t.job.decide("set", "source:" + t.grid(), {{"accuracy", true}}, "");
  CHECK_THAT(job_datum(*t.job.snapshot()).geoid_refusal(), Contains("at once"));
  t.job.undo();
  t.job.decide("set", "source:" + id, {{"geoid", true}, {"accuracy", false}}, "");
  t.job.decide("set", "source:" + t.grid(), {{"accuracy", true}}, "exchanged");
  CHECK_THAT(job_datum(*t.job.snapshot()).geoid_refusal(), Contains("no standard deviation of a geoid"));
}

TEST_CASE("a grid joins a vertical system of which the register's grid is not here") {
  // DHHN2016: no quasigeoid of it lies on this machine.
  Trial t(write_gtx(bent()), "bent.gtx", "EPSG:7837");
  CHECK_FALSE(t.at("EAST").height);
  t.say("geoid", true);
  CHECK(t.at("EAST").height);
  CHECK(job_datum(*t.job.snapshot()).geoid()->name() == system_name("EPSG:7837"));
}

TEST_CASE("a chosen grid that is left out, ends near the marks or counts otherwise is a doubt") {
  Trial t(write_gtx(bent()));
  t.say("geoid", true);
  CHECK_FALSE(doubt_of(t.job, "geoid ends here"));
  t.job.decide("leave-out", t.grid(), nlohmann::json::object(), "superseded");
  CHECK_FALSE(t.at("WEST").height);
  CHECK_THAT(job_datum(*t.job.snapshot()).geoid_refusal(), Contains("bent.gtx") && Contains("left out"));
  // The east end of the grid lies between the marks, or just beyond them.
  Trial between(write_gtx(bent(13, 8))); // to 13.875°
  between.say("geoid", true);
  const Doubt *d = doubt_of(between.job, "geoid ends here");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("EAST lies 3.5 km from the edge"));
  Trial outside(write_gtx(bent(13, 7))); // to 13.75°
  outside.say("geoid", true);
  REQUIRE(doubt_of(outside.job, "geoid ends here"));
  CHECK_THAT(doubt_of(outside.job, "geoid ends here")->sentence, Contains("2 of the job's marks lie outside"));
  // Mean tide at 46°: 9.9 − 29.6 sin² 46.2° = −5.5 cm, 1.3 times that.
  HeightGrid g = bent();
  g.tide = "mean-tide", g.surface = "quasi-geoid", g.ellipsoid = "GRS80";
  Trial tide(write_isg(g), "bent.isg");
  tide.say("geoid", true);
  REQUIRE(doubt_of(tide.job, "geoid of another kind"));
  CHECK_THAT(doubt_of(tide.job, "geoid of another kind")->sentence, Contains("+72 mm here"));
  tide.job.decide("set", "levels", {{"height-type", "orthometric"}}, "");
  int conventions = 0;
  for (const Doubt &x : tide.job.doubts()) conventions += x.kind == "geoid of another kind";
  CHECK(conventions == 2);
  g.ellipsoid = "Bessel 1841";
  Trial other(write_isg(g), "bent.isg");
  other.say("geoid", true);
  CHECK_THAT(job_datum(*other.job.snapshot()).geoid_refusal(), Contains("bessel 1841"));
}

TEST_CASE("what is no grid cannot be chosen to any effect, and a job without a height system is told") {
  Trial t(write_gtx(bent()), "bent.gtx", "");
  t.say("geoid", true);
  REQUIRE(doubt_of(t.job, "geoid not used"));
  CHECK_THAT(doubt_of(t.job, "geoid not used")->sentence, Contains("no height system"));
  CHECK_THROWS_AS(t.say("geoid", "perhaps"), InputError);
  CHECK_THROWS_AS(t.say("interpolation", "cubic"), InputError);
  std::string list;
  for (const auto &c : t.job.snapshot()->contents())
    if (c.control) list = c.source.id;
  Trial with_height(write_gtx(bent()));
  with_height.job.decide("set", "source:" + list, {{"geoid", true}}, "by mistake");
  CHECK_THAT(job_datum(*with_height.job.snapshot()).geoid_refusal(), Contains("holds no grid"));
}

TEST_CASE("two geoids are compared over the job: the middle, the tilt, what is left") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  solve(job);
  adjust(job);
  const NetworkRun &run = *job.network();
  // A grid that is the one in use, 0.25 m higher in the middle of the marks and tilted by 5 mm/km to the north.
  double middle = 0, n = 0;
  for (const auto &[name, p] : run.positions) middle += p.grid.north, ++n;
  middle /= n;
  HeightGrid g;
  g.name = "tilted", g.south = 45.8, g.west = 13.4, g.step_lat = g.step_lon = 0.01, g.rows = g.columns = 121;
  const JobDatum datum = job_datum(*job.snapshot());
  for (int i = 0; i < g.rows; ++i)
    for (int k = 0; k < g.columns; ++k) {
      const Geodetic at{(g.south + i * g.step_lat) * M_PI / 180, (g.west + k * g.step_lon) * M_PI / 180, 0};
      const GridPoint q = datum.projection().project(at);
      g.values.push_back(static_cast<float>(datum.geoid()->undulation(at) + 0.25 + 5e-6 * (q.north - middle)));
    }
  REQUIRE(job.take_bytes({{"tilted.gtx", write_gtx(g)}}).front().outcome == Intake::Outcome::taken);
  adjust(job);
  const auto all = compare_geoids(*job.snapshot(), *job.network());
  REQUIRE(all.size() == 1);
  const GeoidComparison &c = all[0];
  CHECK(c.problem == "");
  CHECK(c.other == "tilted.gtx");
  CHECK(c.mean == Approx(0.25).margin(1e-3));
  CHECK(c.tilt_north == Approx(5e-6).margin(2e-7));
  CHECK(std::abs(c.tilt_east) < 2e-7);
  CHECK(c.spread < 1e-3); // floats of the grid, and its curvature between the nodes
  CHECK_THAT(c.words(), Catch::Matchers::Contains("250 mm higher in the middle, rising by 5.0 mm/km to the north"));
  // Chosen, it is the register's that is the other one.
  const auto before = job.snapshot(); // what is gone through must outlive the decision
  for (const auto &s : before->contents())
    if (s.source.name == "tilted.gtx") job.decide("set", "source:" + s.source.id, {{"geoid", true}}, "");
  solve(job);
  adjust(job);
  const auto back = compare_geoids(*job.snapshot(), *job.network());
  REQUIRE(back.size() == 1);
  CHECK(back[0].source == "");
  CHECK(back[0].mean == Approx(-0.25).margin(1e-3));
}
