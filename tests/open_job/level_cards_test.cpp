// Cards of levels, gravity at marks, two names for one mark, orders of a standard.
#include "job/settings.h"
#include "judgement/near_names.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {

/// A book in the stand-in's delimited form: a straight climb in equal set-ups, sights of unequal length.
std::string book(const std::string &run, const std::string &level, const std::string &day, const std::string &from,
                 const std::string &to, int setups, double rise, double back = 40, double fore = 30) {
  std::string out = "unit;m\nrun;" + run + ";" + level + ";A" + (day.empty() ? "" : ";" + day) + "\n";
  for (int k = 0; k < setups; ++k) {
    out += fmt::format("s;{};B;{:.5f};{:.2f};08:00:00;1;\n", k == 0 ? from : "", 2.0 + k * 37 % 101 * 1e-3, back);
    out += fmt::format("s;{};F;{:.5f};{:.2f};08:01:00;1;\n", k == setups - 1 ? to : "",
                       2.0 + k * 37 % 101 * 1e-3 - rise / setups, fore);
  }
  return out + "end\n";
}

struct Levelled {
  TemporaryFolder folder;
  Job job;
  Levelled() : job(Job::create(folder / "j.tie", demo_settings())) {}
  void take(const std::string &name, const std::string &text) {
    const auto i = job.take_bytes({{name, text}});
    INFO(i.front().sentence);
    REQUIRE(i.front().outcome == Intake::Outcome::taken);
  }
  const LevelLine &line(const std::string &name) const {
    for (const LevelLine &l : job.snapshot()->levels().lines)
      if (l.name == name) return l;
    throw std::runtime_error("no line " + name);
  }
  const Doubt *doubt(const std::string &kind) const {
    for (const Doubt &d : job.doubts())
      if (d.kind == kind) return &d;
    return nullptr;
  }
};

} // namespace

TEST_CASE("a level's card gives weights and the line of sight of the day") {
  Levelled l;
  l.take("a.txt", book("R1", "DL7", "2026-05-13", "A", "B", 10, 4));
  l.take("b.txt", book("R2", "DL7", "2026-06-20", "B", "C", 10, 4));
  l.take("c.txt", book("R3", "DL9", "", "C", "D", 10, 4));
  CHECK(l.line("R1").day == "2026-05-13");
  CHECK(l.line("R3").day.empty());
  CHECK(!l.line("R1").own_weights);
  CHECK(l.line("R1").weights.sd_km == Approx(0.001));
  l.job.decide("set", "instrument:DL7", {{"sd", 0.4}, {"until", "2026-06-01"}}, "certificate");
  CHECK(l.line("R1").own_weights);
  CHECK(l.line("R1").weights.sd_km == Approx(0.0004));
  CHECK(l.line("R3").weights.sd_km == Approx(0.001));
  const Doubt *d = l.doubt("certificate run out");
  REQUIRE(d);
  CHECK_THAT(d->sentence, Contains("R2") && !Contains("R1") && Contains("2026-06-01"));
  // Two tests: each run takes the one before it; a run before all tests the first.
  l.job.decide("set", "instrument:DL7", {{"collimation", {{"2026-05-01", 0.02}, {"2026-06-10", -0.01}}}},
               "two-peg test");
  CHECK(l.line("R1").corrections.collimation == Approx(2e-5));
  CHECK(l.line("R2").corrections.collimation == Approx(-1e-5));
  CHECK(l.line("R3").corrections.collimation == 0);
  // 10 set-ups with 10 m more behind than ahead.
  CHECK(l.line("R1").reduced.difference - l.line("R1").reduced.raw_difference == Approx(-2e-5 * 100).margin(1e-9));
  InstrumentCard card = l.job.state().instruments.at("DL7");
  CHECK(card.line_of_sight("2026-04-01")->first == "2026-05-01");
  CHECK(card.line_of_sight("2026-06-10")->first == "2026-06-10");
  CHECK(card.line_of_sight("")->first == "2026-06-10");
  // What a run says for itself goes before its card; what is withdrawn is gone.
  l.job.decide("set", l.line("R1").id, {{"collimation", 0.05}, {"sd", 2}}, "own");
  CHECK(l.line("R1").corrections.collimation == Approx(5e-5));
  CHECK(l.line("R1").weights.sd_km == Approx(0.002));
  l.job.undo();
  CHECK(l.line("R1").corrections.collimation == Approx(2e-5));
  l.job.decide("set", "instrument:DL7",
               {{"sd", nullptr}, {"sd-setup", 0.1}, {"collimation", {{"2026-05-01", nullptr}}}}, "");
  CHECK(l.line("R1").weights.sd_setup == Approx(0.0001));
  CHECK(l.line("R1").corrections.collimation == Approx(-1e-5)); // only the later test is left
}

TEST_CASE("standard errors that a recipe reads from the file count for its run") {
  const std::string recipe = R"({"format": "ample-tie recipe", "version": 1, "name": "with errors", "reads": "levels",
    "layout": "delimited", "delimiter": ";", "unit": "m",
    "codes": {"kind": {"R": "back", "V": "fore"}},
    "lines": [{"name": "run", "what": "run start", "told by": {"column": 1, "is": ["#run"]},
               "fields": [{"meaning": "run", "column": 2}, {"meaning": "sd_setup", "column": 3, "unit": "mm"},
                          {"meaning": "date", "column": 4}]},
              {"name": "sight", "told by": {"column": 1, "is": ["x"]},
               "fields": [{"meaning": "mark", "column": 2}, {"meaning": "kind", "column": 3},
                          {"meaning": "reading", "column": 4}, {"meaning": "distance", "column": 5}]}]})";
  Levelled l;
  l.take("r.json", recipe);
  l.take("x.txt", "#run;Q;0.25;20260513\nx;A;R;1.5;30\nx;;V;0.5;30\nx;;R;1.5;30\nx;B;V;0.5;30\n");
  CHECK(l.line("Q").weights.sd_setup == Approx(0.00025));
  CHECK(l.line("Q").own_weights);
  CHECK(l.line("Q").day == "2026-05-13");
  const auto &s = l.job.snapshot()->levels().sections;
  REQUIRE(s.size() == 1);
  CHECK(s[0].sd == Approx(0.00025 * std::sqrt(2.0)));
}

TEST_CASE("an order of a standard gives both limits") {
  Levelled l;
  l.take("bench.csv", "mark,height,sd_u\nA,500.000,0\nB,504.020,0\n");
  l.take("a.txt", book("R1", "DL7", "", "A", "B", 100, 4, 35, 35)); // 7 km, misses by 20 mm
  l.take("b.txt", book("R2", "DL7", "", "B", "A", 100, -4.024, 35, 35));
  for (const char *m : {"A", "B"}) l.job.decide("hold", m, {{"how", "height"}}, "published");
  CHECK(l.line("R1").misclosures.front().limit == Approx(0.004 * std::sqrt(7.0)));
  CHECK(!l.line("R1").misclosures.front().within_limit());
  CHECK(l.job.snapshot()->levels().pairs.front().result.sections.front().limit == Approx(0.003 * std::sqrt(7.0)));
  l.job.decide("set", "limit", {{"level-order", "third order"}}, "asked for");
  CHECK(l.line("R1").misclosures.front().limit == Approx(0.012 * std::sqrt(7.0)));
  CHECK(l.line("R1").misclosures.front().within_limit());
  CHECK(l.job.snapshot()->levels().pairs.front().result.sections.front().limit == Approx(0.012 * std::sqrt(7.0)));
  l.job.decide("set", "limit", {{"level-order", "own"}, {"level-section-limit", 10}}, "");
  CHECK(l.job.snapshot()->levels().pairs.front().result.sections.front().within_limit());
  CHECK(setting_text(l.job.state().settings, "level-order") == "own");
  CHECK_THROWS(setting_value("level-order", "fourth order"));
  CHECK(setting_value("level-order", "second order, class II") == "second order, class II");
}

TEST_CASE("gravity of a list or a decision makes orthometric differences") {
  Levelled l;
  l.take("bench.csv", "mark,lat,lon,h,gravity\nA,46.0,13.9,1247.0,980350\nB,46.1,13.9,1648.0,\n");
  l.take("h.csv", "mark,height\nA,1200.0\n");
  l.take("a.txt", book("R1", "DL7", "", "A", "B", 300, 400, 15, 15));
  l.job.decide("hold", "A", {{"how", "height"}, {"height", 1200.0}}, "published");
  CHECK(l.line("R1").height.done);
  CHECK(l.line("R1").height.type == HeightType::normal_orthometric);
  const double plain = l.line("R1").reduced.difference;
  l.job.decide("set", "levels", {{"height-type", "orthometric"}}, "the vertical system is orthometric");
  CHECK(l.line("R1").height.type == HeightType::orthometric);
  CHECK(l.line("R1").height.gravity_marks == 1);
  const double one = l.line("R1").reduced.difference;
  CHECK(one != plain);
  CHECK(std::any_of(l.line("R1").remarks.begin(), l.line("R1").remarks.end(),
                    [](const std::string &r) { return r.find("gravity measured at 1 mark") != std::string::npos; }));
  l.job.decide("set", "mark:B", {{"gravity", 9.80262}}, "gravimeter");
  CHECK(l.line("R1").height.gravity_marks == 2);
  CHECK(l.line("R1").reduced.difference != one);
  l.job.decide("set", "mark:B", {{"gravity", nullptr}}, "not this mark");
  CHECK(l.line("R1").reduced.difference == one);
  l.job.decide("set", "levels", {{"height-correction", "no"}}, "as levelled");
  CHECK(!l.line("R1").height.done);
  CHECK(l.line("R1").reduced.difference == Approx(400).margin(1e-6));
}

TEST_CASE("impossible gravity is refused with its line") {
  Levelled l;
  for (const char *bad : {"mark,gravity\nA,12\n", "mark,gravity\nA,-980000\n", "mark,gravity\nA,980\n"}) {
    const auto i = l.job.take_bytes({{"g.csv", bad}});
    CHECK(i.front().outcome == Intake::Outcome::refused);
    CHECK_THAT(i.front().sentence, Contains("gravity") || Contains("not a number"));
  }
  CHECK(l.job.snapshot()->contents().empty());
}

TEST_CASE("names: what does not count and what does") {
  CHECK(name_key("HP 007") == name_key("hp7"));
  CHECK(name_key("HP-07") == name_key("HP 7"));
  CHECK(name_key("A.1") == name_key("A1"));
  CHECK(name_key("100") == "100");
  CHECK(name_key("0") == "0");
  CHECK(name_key("P10") != name_key("P1"));
  CHECK(name_key("1-2") != name_key("12"));
  CHECK(name_key("P100") != name_key("P1"));
}

TEST_CASE("two names for one mark: asked, answered once for levels, lists and holds, and taken back") {
  Levelled l;
  l.take("bench.csv", "mark,height,sd_u\nHP7,500.0000,0.0005\nZ1,512.0000,0.0005\n");
  l.take("a.txt", book("R1", "DL7", "", "HP7", "K 9", 20, 8));
  l.take("b.txt", book("R2", "DL7", "", "k09", "Z1", 20, 4));
  l.take("c.txt", book("R3", "DL7", "", "hp 007", "Z1", 30, 12.0003));
  CHECK(l.job.snapshot()->levels().lines.size() == 3);
  for (const char *m : {"HP7", "Z1"}) l.job.decide("hold", m, {{"how", "height"}}, "published");
  const auto pairs = near_names(*l.job.snapshot());
  REQUIRE(pairs.size() == 2);
  CHECK(pairs[0].keep == "HP7");
  CHECK(pairs[0].other == "hp 007");
  CHECK(pairs[0].levels_only);
  REQUIRE(pairs[0].height_difference);
  CHECK(*pairs[0].height_difference == Approx(-0.0003).margin(1e-4));
  CHECK_THAT(pairs[0].why, Contains("agree"));
  CHECK(l.line("R3").misclosures.empty());
  const std::string id = [&] {
    for (const Doubt &d : l.job.doubts())
      if (d.kind == "same mark?" && d.thing.id == "HP7" && d.other == "hp 007") return d.id;
    return std::string();
  }();
  REQUIRE(!id.empty());
  l.job.decide("set", "mark:hp 007", {{"same_as", "HP7"}}, "the bolt in the church wall");
  REQUIRE(l.line("R3").misclosures.size() == 1);
  CHECK(l.line("R3").misclosures.front().value == Approx(0.0003).margin(1e-6));
  CHECK(near_names(*l.job.snapshot()).size() == 1);
  // The junction of two runs: said to be one, the line can go on and closes.
  l.job.decide("set", "mark:k09", {{"same_as", "K 9"}}, "one bolt");
  l.job.decide("set", l.line("R2").parts.front(), {{"follows", l.line("R1").parts.back()}}, "goes on");
  CHECK(l.line("R1 + R2").misclosures.size() == 1);
  l.job.undo(), l.job.undo();
  CHECK(near_names(*l.job.snapshot()).size() == 1);
  CHECK(l.line("R2").reduced.from == "k09");
}

TEST_CASE("a letter at the end is asked about only where the heights agree") {
  for (const double away : {0.0, 0.9}) {
    Levelled l;
    l.take("bench.csv", "mark,height,sd_u\nB1,500.0000,0.0005\nB2,508.0000,0.0005\n");
    l.take("a.txt", book("R1", "DL7", "", "B1", "301", 20, 8));
    l.take("b.txt", book("R2", "DL7", "", "B2", "301A", 20, away));
    for (const char *m : {"B1", "B2"}) l.job.decide("hold", m, {{"how", "height"}}, "published");
    CHECK(near_names(*l.job.snapshot()).size() == (away == 0 ? 1 : 0));
  }
}

TEST_CASE("names that were said to stand for each other in a ring do no harm") {
  Levelled l;
  l.take("a.txt", book("R1", "DL7", "", "A", "B", 4, 2));
  l.job.decide("set", "mark:A", {{"same_as", "B"}}, "");
  l.job.decide("set", "mark:B", {{"same_as", "A"}}, "");
  CHECK(l.job.snapshot()->levels().lines.size() == 1);
  CHECK(l.job.state().mark_name("C") == "C");
}

TEST_CASE("a hold on another name of the mark counts for the mark") {
  Levelled l;
  l.take("bench.csv", "mark,height\nM1,100.0\nM2,104.0\n");
  l.take("a.txt", book("R1", "DL7", "", "m 1", "M2", 10, 4));
  l.job.decide("hold", "m 1", {{"how", "height"}, {"height", 100.0}}, "typed under the other name");
  l.job.decide("hold", "M2", {{"how", "height"}}, "published");
  l.job.decide("set", "mark:m 1", {{"same_as", "M1"}}, "one mark");
  CHECK(l.job.state().holds.count("M1") == 1);
  CHECK(l.job.state().holds.count("m 1") == 0);
  CHECK(l.line("R1").misclosures.size() == 1);
}
