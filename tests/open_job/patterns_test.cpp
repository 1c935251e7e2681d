// Residuals of a job that follow something, found and said.
#include "job/settings.h"
#include "results/residual_patterns.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <random>
#include <set>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
/// A line up a valley between two benchmarks, read on a staff whose graduation is too short.
std::string up_the_valley(const std::string &run, double scale, std::mt19937_64 &random, bool reverse) {
  std::normal_distribution<double> noise(0, 0.0002);
  std::vector<std::pair<std::string, double>> marks{{"A", 100}};
  for (int i = 1; i < 6; ++i) marks.emplace_back(run + std::to_string(i), 100 + (i * i % 7) * 4.0 + 3 * i);
  marks.emplace_back("B", 130);
  if (reverse) std::reverse(marks.begin(), marks.end());
  std::string out = "unit;m\nrun;" + run + ";DL7;A\n";
  for (std::size_t i = 1; i < marks.size(); ++i) {
    const double rise = (marks[i].second - marks[i - 1].second) * (1 + scale) + noise(random);
    out += fmt::format(
        "s;{};B;{:.5f};30.00;;1;\ns;;F;1.50000;30.00;;1;\ns;;B;1.50000;30.00;;1;\ns;{};F;1.50000;30.00;;1;\n",
        marks[i - 1].first, 1.5 + rise, marks[i].first);
  }
  return out + "end\n";
}
Job levelled(const std::string &path, double scale) {
  std::mt19937_64 random(4);
  JobSettings s = demo_settings();
  s.datum.crs.clear(), s.datum.vertical.clear();
  Job job = Job::create(path, s);
  // Benchmarks all along: what lies between two alone would be shared out by lengths, not by heights.
  std::string heights = "mark,height,sd_u\nA,100,0.001\nB,130,0.001\n";
  std::vector<std::string> held{"A", "B"};
  for (const char *run : {"L", "M", "N"})
    for (const int i : {1, 2, 4, 5}) {
      held.push_back(run + std::to_string(i));
      heights += fmt::format("{},{},0.001\n", held.back(), 100 + (i * i % 7) * 4.0 + 3 * i);
    }
  std::vector<std::pair<std::string, std::string>> files{{"h.csv", heights}};
  for (const char *run : {"L", "M", "N"})
    files.push_back({std::string(run) + ".txt", up_the_valley(run, scale, random, run[0] == 'M')});
  job.take_bytes(files);
  for (const std::string &m : held) job.decide("hold", m, {{"how", "height"}}, "published");
  adjust(job);
  return job;
}
} // namespace

TEST_CASE("levels that follow the height difference betray the staff, and say by how much") {
  TemporaryFolder folder;
  const Job bad = levelled(folder / "a.tie", 2e-3);
  const auto found = residual_patterns(*bad.snapshot(), *bad.network());
  REQUIRE_FALSE(found.empty());
  const ResidualPattern &first = found.front();
  CHECK(first.kind == "levels");
  CHECK(first.against == PatternAxis::height_difference);
  CHECK(first.points.size() == 18);
  CHECK(first.shows());
  // Shared out over the six sections of each line by their lengths: the slope is that of what a section is off the
  // mean.
  CHECK(first.slope == Approx(-2e-3).epsilon(0.15));
  CHECK_THAT(first.words(), Contains("fall by 1.") && Contains("mm per metre") && Contains("scale of the staff"));
  const Job good = levelled(folder / "b.tie", 0);
  for (const ResidualPattern &p : residual_patterns(*good.snapshot(), *good.network())) {
    CAPTURE(p.kind, axis_name(p.against), p.statistic, p.limit);
    CHECK_FALSE(p.shows());
  }
}

TEST_CASE("the demo's vectors follow nothing; each stands against length, height and time") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  solve(job);
  adjust(job);
  std::set<std::pair<std::string, PatternAxis>> seen;
  for (const ResidualPattern &p : residual_patterns(*job.snapshot(), *job.network())) {
    seen.emplace(p.kind, p.against);
    CAPTURE(p.kind, axis_name(p.against), p.statistic, p.limit);
    CHECK_FALSE(p.shows());
    // Every vector that takes part, once.
    std::set<std::string> ids;
    for (const auto &q : p.points) ids.insert(q.id);
    CHECK(ids.size() == p.points.size());
  }
  // They all lead to one side: of bearings nothing can be told.
  for (const char *kind : {"vectors, east", "vectors, north", "vectors, up"})
    for (const PatternAxis a : {PatternAxis::length, PatternAxis::height_difference, PatternAxis::hours})
      CHECK(seen.count({kind, a}) == 1);
}
