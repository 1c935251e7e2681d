// Jobs whose grid rests on a datum from before satellites: vectors and sights come out where they do in a modern grid,
// figures in the grid are PROJ's own, and the way to the datum is said.
#include "base/angle.h"
#include "results/also_systems.h"
#include "support/field_work.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <cstdio>
#include <fstream>
#include <sstream>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
/// By PROJ's own program, of latitude, longitude and height in ETRF2000; as the target has its axes.
Vec3 by_cs2cs(const Geodetic &g, const char *to) {
  FILE *pipe = ::popen(
      fmt::format("echo {:.11f} {:.11f} {:.5f} | cs2cs -d 5 EPSG:7931 {}", degrees(g.lat), degrees(g.lon), g.h, to)
          .c_str(),
      "r");
  double x = NAN, y = NAN, z = NAN;
  REQUIRE(std::fscanf(pipe, "%lf %lf %lf", &x, &y, &z) == 3);
  ::pclose(pipe);
  return {x, y, z};
}

JobSettings in(const char *crs, double worst_m) {
  JobSettings s = demo_settings();
  s.datum.crs = crs, s.datum.realisation = "ETRF2000", s.datum.worst_older_datum_m = worst_m;
  return s;
}

void allow(Job &job, double worst_mm) { job.decide("set", "job", {{"older_datum", worst_mm}}, "the grid of the land"); }

void weigh_and_fill(Job &job, const FieldWork &work) {
  FieldWork::weigh(job);
  job.take_bytes({{"field.txt", station::simulate(work.scenario).files.front().text}});
}
} // namespace

TEST_CASE("the demo in an older grid: the same places, figures as PROJ has them, and the way is said") {
  TemporaryFolder folder;
  Job modern = demo_job(folder / "a.tie");
  solve(modern);
  adjust(modern);
  // Slovenia's grid of 1901, on Bessel's ellipsoid.
  Job job = Job::create(folder / "b.tie", in("EPSG:3912", 0.02));
  job.take(demo_files());
  job.decide("set", occupation_of(job, "R11", 1), {{"height_to", "rim"}, {"slant", true}}, "field sheet");
  for (const char *m : {"REFA", "REFB"}) job.decide("hold", m, {{"how", "full"}}, "published");
  const Doubt *refused = doubt_of(job, "datum not usable");
  REQUIRE(refused);
  CHECK_THAT(refused->sentence, Contains("MGI") && Contains("older_datum") && Contains("stated to 1"));
  allow(job, 2000);
  CHECK_FALSE(doubt_of(job, "datum not usable"));
  solve(job);
  adjust(job);
  CHECK(job.network()->older_datum == "MGI 1901");
  CHECK(job.network()->older_datum_accuracy.value() == Approx(1).margin(0.2));
  REQUIRE(job.network()->positions.size() == modern.network()->positions.size());
  for (const auto &[mark, p] : job.network()->positions) {
    CAPTURE(mark);
    const FullPosition &m = modern.network()->positions.at(mark);
    CHECK((p.ecef.xyz - m.ecef.xyz).norm() < 1e-6);
    CHECK(*p.height == Approx(*m.height).margin(1e-6));
    const Vec3 there = by_cs2cs(p.geodetic, "EPSG:3912"); // east first
    CHECK(p.grid.east == Approx(there.x()).margin(2e-4));
    CHECK(p.grid.north == Approx(there.y()).margin(2e-4));
    CHECK(std::hypot(p.grid.east - m.grid.east, p.grid.north - m.grid.north) > 100);
  }
  // A neighbouring zone of the same datum is reached by the same way: nothing is added to its deviations.
  job.decide("set", "also:zone", {{"crs", "EPSG:8677"}}, "");
  const auto also = also_systems(*job.snapshot(), job.network());
  REQUIRE(also.size() == 1);
  INFO(also[0].problem);
  REQUIRE_FALSE(also[0].marks.empty());
  CHECK(also[0].way_accuracy_m == 0.0);
  for (const AlsoMark &m : also[0].marks) CHECK(m.sd_east < 0.02);
  job.undo();
  // Nobody held a mark by what it has in the grid: the way counts whole.
  const Doubt *way = doubt_of(job, "way to an older datum");
  REQUIRE(way);
  CHECK(way->effect_m.value() == Approx(1).margin(0.2));
  const GridPoint g = job.network()->positions.at("REFA").grid;
  const double h = *job.network()->positions.at("REFA").height;
  job.decide("hold", "REFA", {{"how", "full"}, {"grid", {g.east, g.north, h}}, {"sd_enu", {0.002, 0.002, 0.005}}},
             "the land's list");
  CHECK_FALSE(doubt_of(job, "way to an older datum"));
}

TEST_CASE("a traverse in an older grid leads to the places that it leads to in a modern one") {
  TemporaryFolder folder;
  FieldWork work(53);
  Job modern = Job::create(folder / "a.tie", in("EPSG:25833", 0.02)),
      older = Job::create(folder / "b.tie", in("EPSG:3912", 2));
  allow(older, 2000);
  for (Job *job : {&modern, &older}) weigh_and_fill(*job, work);
  // Held by what they have in each grid, as lists publish them.
  DatumSettings set = in("EPSG:3912", 2).datum;
  const JobDatum there(set, {radians(46.3), radians(13.9), 500});
  for (const auto &[mark, k] : work.known) {
    const FullPosition a = work.describe(mark), b = there.describe(a.ecef);
    for (auto &[job, p] : {std::pair{&modern, &a}, {&older, &b}})
      job->decide(
          "hold", mark,
          {{"how", "full"}, {"grid", {p->grid.east, p->grid.north, *p->height}}, {"sd_enu", {0.001, 0.001, 0.001}}},
          "");
  }
  for (Job *job : {&modern, &older}) adjust(*job);
  REQUIRE(older.network()->positions.size() == modern.network()->positions.size());
  for (const auto &[mark, p] : modern.network()->positions) {
    CAPTURE(mark);
    CHECK((p.ecef.xyz - older.network()->positions.at(mark).ecef.xyz).norm() < 2e-5);
  }
  // Before the adjustment too: misclosures are computed in the plane of each grid.
  REQUIRE(older.snapshot()->traverses().lines.size() == modern.snapshot()->traverses().lines.size());
  const TraverseLine &a = modern.snapshot()->traverses().lines.at(0), &b = older.snapshot()->traverses().lines.at(0);
  CHECK(a.result.closure.angular == Approx(b.result.closure.angular).margin(0.2 * rad_per_arcsec));
  CHECK(a.result.closure.linear == Approx(b.result.closure.linear).margin(0.0005));
}

TEST_CASE("an agency's grid of shifts leads to the job's own grid once that is said") {
  std::ifstream file("/usr/share/proj/BETA2007.gsb", std::ios::binary);
  std::ostringstream bytes;
  bytes << file.rdbuf();
  TemporaryFolder folder;
  JobSettings s = in("EPSG:31467", 0.02);
  s.datum.vertical.clear();
  Job job = Job::create(folder / "a.tie", s);
  job.take_bytes({{"k.csv", "mark,lat,lon,h,frame,epoch\nP,50.001200000,9.002100000,400,ETRF2000,2026.36\n"
                            "Q,50.005200000,9.007100000,420,ETRF2000,2026.36\n"},
                  {"beta.gsb", bytes.str()}});
  std::string grid;
  for (const auto &c : job.snapshot()->contents())
    if (c.shift) grid = c.source.id;
  REQUIRE_FALSE(grid.empty());
  REQUIRE(doubt_of(job, "datum not usable"));
  CHECK_THAT(doubt_of(job, "datum not usable")->sentence, Contains("shifts=yes"));
  job.decide("set", "source:" + grid, {{"shifts", true}}, "the land's own");
  CHECK_FALSE(doubt_of(job, "datum not usable"));
  const JobDatum datum = job_datum(*job.snapshot());
  for (const char *m : {"P", "Q"}) {
    const TaggedPoint t = published_in_job(job.snapshot()->published().at(m), datum, {});
    const FullPosition p = datum.describe(t);
    const Vec3 there = by_cs2cs(p.geodetic, "EPSG:31467"); // north first
    CHECK(p.grid.north == Approx(there.x()).margin(2e-4));
    CHECK(p.grid.east == Approx(there.y()).margin(2e-4));
    CHECK((datum.from_grid(p.grid.east, p.grid.north, p.geodetic.h).xyz - t.xyz).norm() < 1e-5);
  }
  CHECK_THAT(doubt_of(job, "way to an older datum")->sentence, Contains("beta.gsb"));
  // The file says that it leads to ETRS89.
  const auto other_frame = [&] {
    int n = 0;
    for (const Doubt &d : job.doubts())
      n += d.kind == "way to an older datum" && d.sentence.find("say the realisation") != std::string::npos;
    return n;
  };
  CHECK(other_frame() == 0);
  job.decide("set", "job", {{"realisation", "ITRF2020"}, {"plate", "Eurasia"}}, "");
  CHECK(other_frame() == 1);
  job.undo();
  job.decide("leave-out", grid, nlohmann::json::object(), "wrong file");
  REQUIRE(doubt_of(job, "datum not usable"));
  CHECK_THAT(doubt_of(job, "datum not usable")->sentence, Contains("beta.gsb") && Contains("left out"));
  job.undo();
  CHECK_FALSE(doubt_of(job, "datum not usable"));
  // Where the grid is one that satellites know, such a choice does nothing, and that is said.
  job.decide("set", "job", {{"crs", "EPSG:25832"}}, "");
  CHECK(doubt_of(job, "shifts not used"));
}
