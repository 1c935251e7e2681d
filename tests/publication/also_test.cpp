// Marks in systems beside the job's own: a neighbouring zone, another frame, feet, an older datum through the agency's
// grid of shifts; against PROJ's own program for the same points.
#include "base/angle.h"
#include "publication/also_files.h"
#include "results/job_results.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <cstdio>
#include <fstream>
#include <sstream>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
std::string file_bytes(const std::string &path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream out;
  out << in.rdbuf();
  return out.str();
}

/// East and north by `cs2cs`, of north and east or latitude and longitude.
Eigen::Vector2d by_cs2cs(double first, double second, const char *from, const char *to) {
  FILE *pipe = ::popen(fmt::format("echo {:.9f} {:.9f} | cs2cs -d 5 {} {}", first, second, from, to).c_str(), "r");
  double x = NAN, y = NAN;
  REQUIRE(std::fscanf(pipe, "%lf %lf", &x, &y) == 2);
  ::pclose(pipe);
  return {x, y};
}

/// A job with an adjusted network of two marks, so to speak.
struct Adjusted {
  TemporaryFolder folder;
  Job job;
  NetworkRun run;
  Adjusted(const char *crs, double lat, double lon) : job(Job::create(folder / "a.tie", settings(crs))) {
    job.take_bytes({{"k.csv", fmt::format("mark,lat,lon,h\nP,{:.9f},{:.9f},400\nQ,{:.9f},{:.9f},420\n", lat, lon,
                                          lat + 0.004, lon + 0.005)}});
    const JobDatum datum = job_datum(*job.snapshot());
    for (const auto &[name, p] : job.snapshot()->published()) {
      AdjustedMark m;
      m.name = name, m.plan_known = true;
      m.position = published_in_job(p, datum, {0.02, false});
      m.network_cov_enu = Vec3(9e-6, 4e-6, 16e-6).asDiagonal();
      run.positions[name] = datum.describe(m.position);
      run.result.marks.push_back(m);
    }
  }
  static JobSettings settings(const char *crs) {
    JobSettings s = demo_settings();
    s.datum.crs = crs, s.datum.vertical.clear();
    return s;
  }
  AlsoSystem also(const char *crs, const std::string &through = {}) {
    job.decide("set", "also:other",
               {{"crs", crs}, {"through", through.empty() ? nlohmann::json() : nlohmann::json(through)}}, "");
    const auto all = also_systems(*job.snapshot(), &run);
    REQUIRE(all.size() == 1);
    return all[0];
  }
  std::string source(const std::string &name) const {
    for (const auto &c : job.snapshot()->contents())
      if (c.source.name == name) return c.source.id;
    return {};
  }
};
} // namespace

TEST_CASE("an older datum through the grid of shifts, backwards: as PROJ has it, with the way's accuracy") {
  Adjusted a("EPSG:25832", 50.0012, 9.0021);
  CHECK_THAT(a.also("EPSG:31467").problem, Contains("older_datum"));
  a.job.take_bytes({{"beta.gsb", file_bytes("/usr/share/proj/BETA2007.gsb")}});
  const AlsoSystem s = a.also("EPSG:31467", a.source("beta.gsb"));
  INFO(s.problem);
  REQUIRE(s.marks.size() == 2);
  CHECK_THAT(s.way, Contains("beta.gsb"));
  for (const AlsoMark &m : s.marks) {
    const GridPoint &g = a.run.positions.at(m.name).grid;
    const Eigen::Vector2d there = by_cs2cs(g.east, g.north, "EPSG:25832", "EPSG:31467"); // north first
    CHECK(m.north == Approx(there.x()).margin(1e-4));
    CHECK(m.east == Approx(there.y()).margin(1e-4));
    // The system's own order is north, east.
    CHECK(m.figures.x() == Approx(m.north).margin(1e-9));
    CHECK(m.sd_east >= 0.0029);
  }
  // The list leads back to where it came from, to a tenth of a millimetre.
  const auto record = nlohmann::json{{"title", "t"}, {"id", "r-1"}, {"also", also_rows({s}, {"P", "Q"})}};
  const auto files = also_files(record);
  REQUIRE(files.size() == 1);
  CHECK(files[0].first == "also-other.csv");
  Job back = Job::create(a.folder / "b.tie", Adjusted::settings("EPSG:25832"));
  std::string plain = "mark,e,n,height\n";
  for (const AlsoMark &m : s.marks) plain += fmt::format("{},{:.4f},{:.4f},400\n", m.name, m.east, m.north);
  back.take_bytes({{"known.csv", "mark,e,n,height\nK,500100,5540000,412\n"},
                   {"beta.gsb", file_bytes("/usr/share/proj/BETA2007.gsb")},
                   {"old.csv", plain}});
  std::string list, grid;
  for (const auto &c : back.snapshot()->contents()) {
    if (c.source.name == "old.csv") list = c.source.id;
    if (c.source.name == "beta.gsb") grid = c.source.id;
  }
  back.decide("set", "source:" + list, {{"crs", "EPSG:31467"}, {"through", grid}}, "");
  for (const char *m : {"P", "Q"}) {
    REQUIRE(back.snapshot()->published().count(m));
    const GridPoint &g = a.run.positions.at(m).grid;
    CHECK((back.snapshot()->published().at(m).grid->head<2>() - Eigen::Vector2d(g.east, g.north)).norm() < 2e-4);
  }
  // It leads neither to the job's own datum nor to a system that is used elsewhere.
  CHECK_THAT(a.also("EPSG:25833", a.source("beta.gsb")).problem, Contains("own datum"));
  CHECK_THAT(a.also("EPSG:27700", a.source("beta.gsb")).problem, Contains("made for elsewhere"));
  a.also("EPSG:31467", a.source("beta.gsb"));
  // Left out, the grid leads nowhere; outside of it neither; both are said.
  a.job.decide("leave-out", a.source("beta.gsb"), nlohmann::json::object(), "another one");
  CHECK_THAT(also_systems(*a.job.snapshot(), &a.run)[0].problem, Contains("left out"));
  const ReportSection words = also_section(also_rows(also_systems(*a.job.snapshot(), &a.run), {})[0]);
  CHECK_THAT(words.paragraphs.at(0), Contains("Nothing is issued"));
}

TEST_CASE("a neighbouring zone, another frame and a grid in feet: as PROJ has them; what cannot be is refused") {
  Adjusted a("EPSG:25833", 46.2163, 13.7902);
  const AlsoSystem west = a.also("EPSG:25832");
  INFO(west.problem);
  REQUIRE(west.marks.size() == 2);
  CHECK(west.way_accuracy_m == 0.0);
  for (const AlsoMark &m : west.marks) {
    const FullPosition &p = a.run.positions.at(m.name);
    const Eigen::Vector2d there = by_cs2cs(p.grid.east, p.grid.north, "EPSG:25833", "EPSG:25832");
    CHECK(m.east == Approx(there.x()).margin(1e-4));
    CHECK(m.north == Approx(there.y()).margin(1e-4));
    CHECK(m.sd_east == Approx(0.003).margin(1e-4)); // turned by little
  }
  a.job.decide("set", "also:other", {{"crs", nullptr}}, "");
  CHECK(also_systems(*a.job.snapshot(), &a.run).empty());
  CHECK_THROWS_AS(typed_field<AlsoThing>("crs", "local"), InputError);
  CHECK_THROWS_AS(typed_field<AlsoThing>("crs", "EPSG:5773"), InputError); // heights
  // Feet: a state plane grid beside UTM of the same datum.
  Adjusted u("EPSG:6344", 40.0, -95.2);        // NAD83(2011) / UTM zone 15N
  const AlsoSystem feet = u.also("EPSG:6467"); // NAD83(2011) / Kansas North (ftUS)
  INFO(feet.problem);
  REQUIRE(feet.marks.size() == 2);
  CHECK_THAT(feet.figure_names[0], Contains("US survey foot"));
  for (const AlsoMark &m : feet.marks) {
    const FullPosition &p = u.run.positions.at(m.name);
    const Eigen::Vector2d there = by_cs2cs(p.grid.east, p.grid.north, "EPSG:6344", "EPSG:6467");
    CHECK(m.figures.x() == Approx(there.x()).margin(3e-4));
    CHECK(m.figures.y() == Approx(there.y()).margin(3e-4));
    CHECK(m.east == Approx(m.figures.x() * 1200 / 3937).epsilon(1e-12));
  }
}
