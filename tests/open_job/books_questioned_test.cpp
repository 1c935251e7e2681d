// Units, digits, books taken twice: found, named, questioned.
#include "formats/recipe_reading.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
std::string book(double factor, const std::string &odd = "1.20000", const std::string &run = "R1") {
  std::string out = "unit;m\nrun;" + run + ";DL7;A\n";
  double r = 1.3;
  for (int i = 0; i < 6; ++i) {
    r = 0.6 + std::fmod(r * 7.3, 2.0);
    out += fmt::format("s;P{};B;{:.5f};{:.2f};;1;\ns;P{};F;{};{:.2f};;1;\n", i, r * factor, 30 * factor, i + 1,
                       i == 3 ? (odd.empty() ? fmt::format("{:.5f}", 1.2 * factor) : odd)
                              : fmt::format("{:.5f}", 1.1 * factor),
                       30 * factor);
  }
  return out + "end\n";
}
std::vector<std::string> causes_of(const Job &job, const std::string &kind) {
  const Doubt *d = doubt_of(job, kind);
  return d ? d->causes : std::vector<std::string>{};
}
} // namespace

TEST_CASE("staff readings that no staff shows are named with their lines") {
  TemporaryFolder folder;
  Job job = Job::create(folder / "a.tie", demo_settings());
  job.take_bytes({{"good.txt", book(1)}});
  CHECK_FALSE(doubt_of(job, "units or digits"));
  const auto [odd, cause] = GENERATE(table<std::string, std::string>({{"-0.15000", "sign"}, {"8.80000", "digit"}}));
  job.take_bytes({{"odd.txt", book(1, odd, "R2")}});
  const Doubt *d = doubt_of(job, "units or digits");
  REQUIRE(d);
  CHECK(d->about == "odd.txt");
  CHECK_THAT(d->sentence, Contains("line 10"));
  CHECK_THAT(d->causes.at(0), Contains(cause));
}

TEST_CASE("a whole book in another unit is recognised") {
  const auto [factor, cause] = GENERATE(table<double, std::string>(
      {{1000.0, "millimetres"}, {0.001, "1000 too small"}, {10.0, "factor of 10 too large"}}));
  TemporaryFolder folder;
  Job job = Job::create(folder / "a.tie", demo_settings());
  job.take_bytes({{"b.txt", book(factor, "")}});
  INFO(factor);
  REQUIRE(doubt_of(job, "units or digits"));
  const auto causes = causes_of(job, "units or digits");
  CHECK(std::any_of(causes.begin(), causes.end(),
                    [&, &c = cause](const std::string &x) { return x.find(c) != std::string::npos; }));
}

TEST_CASE("a field book in feet or in gon against known marks") {
  TemporaryFolder folder;
  JobSettings s = demo_settings();
  s.datum.crs = "local:46:13:0", s.datum.vertical.clear();
  Job job = Job::create(folder / "a.tie", s);
  job.take_bytes({{"k.csv", "mark,east,north,height\nA,0,0,100\nB,300,400,100\nC,-400,300,100\n"}});
  for (const char *m : {"A", "B", "C"}) job.decide("hold", m, {{"how", "full"}}, "");
  const auto field = [&](double length, double right) {
    std::string rows = "unit;m;deg\n";
    rows = "at,to,angle,zenith,slope\n";
    rows += fmt::format("A,B,0,{0},{1:.4f}\nA,C,{2},{0},{3:.4f}\nB,A,0,{0},{1:.4f}\nC,A,0,{0},{3:.4f}\n", right,
                        500 * length, 270 * right / 90, 500 * length);
    return rows;
  };
  Recipe r;
  r.name = "plain list", r.reads = "pointings", r.header_lines = 1, r.unit = "m", r.angle_unit = "deg";
  RecipeLine l;
  l.name = "sight";
  for (const auto &[meaning, column] :
       {std::pair{"station", 0}, {"target", 1}, {"circle", 2}, {"zenith", 3}, {"slope", 4}}) {
    RecipeField f;
    f.meaning = meaning, f.at.column = column;
    l.fields.push_back(f);
  }
  r.lines.push_back(l);
  job.take_bytes({{"r.json", write_recipe(r)}});
  SECTION("as it should be") {
    job.take_bytes({{"f.csv", field(1, 90)}}, "pointings");
    REQUIRE(job.snapshot()->traverses().any());
    CHECK_FALSE(doubt_of(job, "units or digits"));
  }
  SECTION("feet") {
    job.take_bytes({{"f.csv", field(1 / 0.3048, 90)}}, "pointings");
    REQUIRE(doubt_of(job, "units or digits"));
    CHECK(causes_of(job, "units or digits").at(0) == "it is in feet");
  }
  SECTION("gon") {
    job.take_bytes({{"f.csv", field(1, 100)}}, "pointings");
    REQUIRE(doubt_of(job, "units or digits"));
    CHECK_THAT(causes_of(job, "units or digits").at(0), Contains("gon were read as degrees"));
  }
}

TEST_CASE("a book downloaded again is asked about; leaving the file out settles it") {
  TemporaryFolder folder;
  Job job = Job::create(folder / "a.tie", demo_settings());
  job.take_bytes({{"first.txt", book(1)}});
  job.take_bytes({{"second.txt", book(1, "1.25000")}});
  const Doubt *d = doubt_of(job, "same book twice?");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("11 readings are the same") && Contains("1 stand in the first"));
  CHECK(d->about == "first.txt / second.txt");
  job.decide("leave-out", d->thing.id, {}, "corrected by the second");
  CHECK_FALSE(doubt_of(job, "same book twice?"));
  int used = 0;
  for (const LevelLine &l : job.snapshot()->levels().lines) used += l.used;
  CHECK(used == 1);
}

TEST_CASE("a book that falls into thousands of runs is not compared run by run") {
  TemporaryFolder folder;
  Job job = Job::create(folder / "a.tie", demo_settings());
  std::string text = "unit;m\n";
  for (int i = 0; i < 3000; ++i) text += fmt::format("s;A{0};B;1.50000;30.00;;1;\ns;B{0};F;1.20000;30.00;;1;\n", i);
  job.take_bytes({{"b.txt", text}});
  CHECK(job.snapshot()->levels().lines.empty());
  const Doubt *d = doubt_of(job, "level file not understood");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("3000 runs"));
}

TEST_CASE("an empty code does not take over the one before it") {
  Recipe r;
  r.name = "codes", r.reads = "pointings", r.unit = "m", r.angle_unit = "gon";
  RecipeLine state, sight;
  state.name = "code", state.what = RecipeLine::What::state, state.told_by.column = 0, state.is = {"C"};
  state.fields = {{"code", {1, 0, 0, ""}, "", 1}};
  sight.name = "sight", sight.told_by.column = 0, sight.is = {"S"};
  sight.fields = {{"target", {1, 0, 0, ""}, "", 1}, {"circle", {2, 0, 0, ""}, "", 1}, {"code", {3, 0, 0, ""}, "", 1}};
  r.lines = {state, sight};
  const RecipeReading q = read_with(r, "C,WALL\nS,1,10,\nS,2,20,TREE\nC,\nS,3,30\n");
  REQUIRE(q.records.size() == 5);
  CHECK(q.records[1].find("code") == nullptr);
  CHECK(q.records[2].find("code")->text == "TREE");
  CHECK(q.records[4].find("code") == nullptr);
}
