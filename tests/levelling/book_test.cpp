// Books, set-ups and runs. Values: reference cases LEV-01 to LEV-03 (textbook patterns; computed independently).
#include "base/error.h"
#include "levelling/line.h"
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;

namespace {
StaffSight sight(SightKind k, std::string mark, double reading, double distance = NAN) {
  StaffSight s;
  s.kind = k, s.mark = std::move(mark), s.reading = reading, s.distance = distance;
  return s;
}
const auto back = SightKind::back, fore = SightKind::fore, inter = SightKind::intermediate;

LevelRun lev01() {
  LevelRun r;
  r.name = "LEV-01";
  r.sights = {sight(back, "1", 1.234), sight(inter, "2", 1.567), sight(inter, "3", 0.987),
              sight(fore, "4", 2.345), sight(back, "4", 1.111),  sight(inter, "5", 1.876),
              sight(fore, "6", 0.654), sight(back, "6", 2.468),  sight(fore, "7", 1.901)};
  return r;
}

/// A line of `n` set-ups with random readings.
LevelRun random_run(unsigned seed, int n, const std::string &from = "A", const std::string &to = "Z") {
  std::mt19937 random(seed);
  std::uniform_int_distribution<int> reading(30000, 290000), distance(1500, 4000);
  LevelRun r;
  r.name = "random";
  for (int i = 0; i < n; ++i) {
    const std::string a = i == 0 ? from : "T" + std::to_string(i), b = i == n - 1 ? to : "T" + std::to_string(i + 1);
    r.sights.push_back(sight(back, a, 1e-5 * reading(random), 0.01 * distance(random)));
    if (random() % 3 == 0) r.sights.push_back(sight(inter, "S" + std::to_string(i), 1e-5 * reading(random), 12));
    r.sights.push_back(sight(fore, b, 1e-5 * reading(random), 0.01 * distance(random)));
  }
  return r;
}
} // namespace

TEST_CASE("LEV-01: rise and fall and height of collimation agree") {
  const LevelRun run = lev01();
  const SetupList setups = find_setups(run);
  REQUIRE(setups.setups.size() == 3);
  CHECK(setups.troubles.empty());
  const LevelBook book = reduce_book(run, setups, 100.0);
  const double expected[] = {100.000, 99.667, 100.247, 98.889, 98.124, 99.346, 99.913};
  REQUIRE(book.rows.size() == 7);
  for (std::size_t i = 0; i < 7; ++i) {
    CHECK(book.rows[i].height == Approx(expected[i]).margin(5e-10));
    CHECK(book.rows[i].by_collimation == Approx(expected[i]).margin(5e-10));
    CHECK(book.rows[i].mark == std::to_string(i + 1));
  }
  CHECK(book.sum_back == Approx(4.813).margin(1e-9));
  CHECK(book.sum_fore == Approx(4.900).margin(1e-9));
  CHECK(book.sum_rise == Approx(2.369).margin(1e-9));
  CHECK(book.sum_fall == Approx(2.456).margin(1e-9));
  CHECK(book.agrees());
  const ReducedRun r = reduce_run(run, setups);
  CHECK(r.from == "1");
  CHECK(r.to == "7");
  CHECK(r.difference == Approx(-0.087).margin(1e-9));
  CHECK(r.find("3")->difference == Approx(0.247).margin(1e-9));
  CHECK(!r.find("3")->turn);
}

TEST_CASE("LEV-02: curvature and refraction") {
  CHECK(curvature_and_refraction(1000, 0.14) == Approx(0.0675).margin(5e-5));
  CHECK(curvature_and_refraction(1000, 0) == Approx(0.0785).margin(5e-5));
  CHECK(curvature_and_refraction(1609.344, 0.14) / 0.3048 == Approx(0.574).margin(5e-4));
  CHECK(curvature_and_refraction(304.8, 0.14) / 0.3048 == Approx(0.0206).margin(5e-5));
}

TEST_CASE("LEV-03: two-peg test, both arrangements") {
  // From the middle, then beyond the second peg.
  const PegTest t = two_peg_test({30, 30, 1.432, 1.288}, {63, 3, 1.510, 1.352});
  CHECK(t.difference == Approx(0.144).margin(1e-6));
  CHECK(t.collimation * 1000 == Approx(0.2333).margin(1e-4));
  CHECK(t.correct_a == Approx(1.4953).margin(1e-4));
  CHECK(t.correct_b == Approx(1.3513).margin(1e-4));
  CHECK(t.collimation * 206264.8 == Approx(48.1).margin(0.1));
  // From one third each side: the same line of sight over the same pegs.
  const double c = t.collimation;
  const PegTest u = two_peg_test({20, 40, 1.400 + 20 * c, 1.256 + 40 * c}, {40, 20, 1.390 + 40 * c, 1.246 + 20 * c});
  CHECK(u.collimation == Approx(c).epsilon(1e-9));
  CHECK(u.difference == Approx(0.144).margin(1e-9));
  CHECK_THROWS_AS(two_peg_test({30, 30, 1.4, 1.3}, {20, 20, 1.5, 1.4}), InputError);
  // What the test finds, a corrected unbalanced set-up no longer has.
  LevelRun run;
  run.sights = {sight(back, "A", 1.510, 63), sight(fore, "B", 1.352, 3)};
  LevelCorrections k;
  k.collimation = t.collimation;
  const ReducedRun r = reduce_run(run, find_setups(run), k);
  CHECK(r.difference == Approx(0.144).margin(1e-9));
  CHECK(r.raw_difference == Approx(0.158).margin(1e-9));
  CHECK(r.unbalance == Approx(60));
}

TEST_CASE("set-ups are found whatever the order of the sights") {
  LevelRun run;
  SECTION("back, fore, fore, back with repeated readings") {
    run.sights = {sight(back, "A", 1.2001), sight(fore, "B", 0.9000), sight(fore, "B", 0.9002),
                  sight(back, "A", 1.2003), sight(fore, "C", 1.5000), sight(back, "B", 1.1000),
                  sight(back, "B", 1.1002), sight(fore, "C", 1.5002)};
    const SetupList s = find_setups(run);
    REQUIRE(s.setups.size() == 2);
    CHECK(s.troubles.empty());
    CHECK(s.setups[0].back.size() == 2);
    CHECK(s.setups[1].fore.size() == 2);
    CHECK(s.setups[0].difference() == Approx(0.3001).margin(1e-9));
    CHECK(s.setups[0].spread == Approx(0.0002).margin(1e-9));
    CHECK(s.setups[1].difference() == Approx(-0.4000).margin(1e-9));
  }
  SECTION("an aborted set-up is named and not used") {
    run.sights = {sight(back, "A", 1.2), sight(fore, "B", 0.9), sight(back, "B", 1.5), sight(back, "B", 1.7),
                  sight(fore, "C", 1.1)};
    const SetupList s = find_setups(run);
    REQUIRE(s.setups.size() == 2);
    REQUIRE(s.troubles.size() == 1);
    CHECK(s.troubles[0].sight == 2);
    CHECK(s.troubles[0].what.find("no fore sight") != std::string::npos);
    CHECK(reduce_run(run, s).difference == Approx(0.3 + 0.6).margin(1e-9));
  }
  SECTION("a set-up over the same marks again is compared, not added") {
    run.sights = {sight(back, "A", 1.2),    sight(fore, "B", 0.9), sight(back, "A", 1.4),
                  sight(fore, "B", 1.1011), sight(back, "B", 1.5), sight(fore, "C", 1.0)};
    const SetupList s = find_setups(run);
    REQUIRE(s.setups.size() == 2);
    REQUIRE(s.troubles.size() == 1);
    CHECK(s.troubles[0].what.find("-1.10 mm") != std::string::npos);
  }
  SECTION("unnamed turning points carry on; the same readings twice are asked about") {
    run.sights = {sight(back, "A", 1.2), sight(fore, "", 0.9), sight(back, "", 1.5),
                  sight(fore, "", 1.1),  sight(back, "", 1.5), sight(fore, "C", 1.1)};
    const SetupList s = find_setups(run);
    REQUIRE(s.setups.size() == 3);
    CHECK(s.setups[0].to == s.setups[1].from);
    CHECK(s.setups[2].to == "C");
    REQUIRE(s.troubles.size() == 1);
    CHECK(s.troubles[0].what.find("booked twice") != std::string::npos);
  }
  SECTION("a fore sight to a side mark at the end: left out, the run ends on its benchmark") {
    run.sights = {sight(back, "A", 1.2), sight(fore, "BM", 0.9), sight(fore, "SIDE", 0.4)};
    CHECK(find_setups(run).setups.back().to == "SIDE");
    run.sights.back().used = false;
    CHECK(find_setups(run).setups.back().to == "BM");
  }
  SECTION("fore sights beside the turn are side shots") {
    run.sights = {sight(back, "A", 1.2), sight(fore, "SIDE", 0.4), sight(fore, "B", 0.9), sight(back, "B", 1.0),
                  sight(fore, "C", 1.0)};
    const SetupList s = find_setups(run);
    REQUIRE(s.setups.size() == 2);
    CHECK(s.setups[0].to == "B");
    CHECK(s.setups[0].side.size() == 1);
    CHECK(reduce_run(run, s).find("SIDE")->difference == Approx(0.8));
  }
  SECTION("readings of one mark that do not agree") {
    run.sights = {sight(back, "A", 1.2), sight(fore, "B", 0.9), sight(fore, "B", 0.95), sight(back, "B", 1.0),
                  sight(fore, "C", 1.0)};
    const SetupList s = find_setups(run);
    REQUIRE(s.setups.size() == 2);
    REQUIRE(s.troubles.size() == 1);
    CHECK(s.troubles[0].what.find("50.0 mm apart") != std::string::npos);
    CHECK(s.setups[0].difference() == Approx(0.25));
  }
  SECTION("reversing keeps an aborted set-up out") {
    run.sights = {sight(back, "A", 1.2), sight(fore, "", 0.9), sight(back, "", 1.5), sight(back, "", 1.7),
                  sight(fore, "C", 1.1)};
    const double there = reduce_run(run, find_setups(run)).difference;
    CHECK(there == Approx(0.9));
    const LevelRun turned = reversed(run);
    CHECK(reduce_run(turned, find_setups(turned)).difference == Approx(-there));
  }
  SECTION("a missing fore sight, a start without back sight, a break") {
    run.sights = {sight(fore, "X", 1.0), sight(back, "A", 1.2), sight(fore, "B", 0.9), sight(back, "Q", 1.5),
                  sight(fore, "R", 1.1)};
    const SetupList s = find_setups(run);
    REQUIRE(s.troubles.size() == 2);
    CHECK(s.troubles[0].what == "no back sight before it");
    CHECK(s.troubles[1].what.find("breaks") != std::string::npos);
    const auto parts = split_at_breaks(run);
    REQUIRE(parts.size() == 3);
    CHECK(parts[2].sights.front().mark == "Q");
  }
}

TEST_CASE("properties of runs: reversing negates, chaining adds, splitting undoes it") {
  for (unsigned seed = 1; seed <= 60; ++seed) {
    const LevelRun a = random_run(seed, 3 + static_cast<int>(seed % 9), "A", "M"),
                   b = random_run(seed + 1000, 2 + static_cast<int>(seed % 5), "M", "Z");
    const ReducedRun ra = reduce_run(a, find_setups(a)), rb = reduce_run(b, find_setups(b));
    const LevelRun back_again = reversed(a);
    const ReducedRun rr = reduce_run(back_again, find_setups(back_again));
    CHECK(rr.difference == Approx(-ra.difference).margin(1e-12));
    CHECK(rr.length == Approx(ra.length));
    CHECK(rr.from == ra.to);
    // A side shot keeps its height above the marks.
    for (const LevelPoint &p : ra.points)
      if (!p.turn) CHECK(rr.find(p.mark)->difference - rr.difference == Approx(p.difference).margin(1e-12));
    const LevelRun both = chained(a, b);
    const ReducedRun rc = reduce_run(both, find_setups(both));
    CHECK(rc.difference == Approx(ra.difference + rb.difference).margin(1e-12));
    CHECK(rc.setups == ra.setups + rb.setups);
    const auto [first, second] = split_at(both, "M");
    CHECK(reduce_run(first, find_setups(first)).difference == Approx(ra.difference).margin(1e-12));
    CHECK(reduce_run(second, find_setups(second)).difference == Approx(rb.difference).margin(1e-12));
    const LevelBook book = reduce_book(both, find_setups(both), 412.3);
    CHECK(book.agrees());
    for (const BookRow &r : book.rows) CHECK(r.height == Approx(r.by_collimation).margin(1e-9));
    CHECK_THROWS_AS(chained(b, a), InputError);
    CHECK_THROWS_AS(split_at(a, "nowhere"), InputError);
  }
}

TEST_CASE("misclosures at every known mark, before and after distribution") {
  const LevelRun run = random_run(7, 12, "A", "Z");
  const ReducedRun r = reduce_run(run, find_setups(run));
  const double ha = 300, hm = ha + r.find("T5")->difference + 0.0040, hz = ha + r.difference - 0.0030;
  const KnownHeights known{{"A", {ha, 0.001}}, {"T5", {hm, 0}}, {"Z", {hz, 0.002}}};
  const LevelLimits limits{4, 0};
  const LevelWeights weights{0.001, 0};
  const auto m = misclosures(r, known, limits, weights);
  REQUIRE(m.size() == 2);
  CHECK(m[0].value == Approx(-0.0040).margin(1e-9));
  CHECK(m[1].value == Approx(0.0070).margin(1e-9));
  CHECK(m[0].limit == Approx(0.004 * std::sqrt(m[0].length / 1000)));
  CHECK(m[1].sd == Approx(std::sqrt(1e-6 * m[1].length / 1000 + 4e-6)));
  for (Distribution how : {Distribution::distance, Distribution::setups, Distribution::none}) {
    const auto h = line_heights(r, known, how, weights);
    for (const LineHeight &x : h) {
      if (x.known) CHECK(x.height == known.at(x.mark).height); // to the last digit
      if (how == Distribution::none && !x.known) CHECK(x.correction == 0);
    }
    // Corrections grow evenly between known marks.
    if (how == Distribution::setups) {
      double last = 0;
      for (const LineHeight &x : h)
        if (x.turn && x.mark != "A" && x.distance < r.find("T5")->distance) {
          CHECK(x.correction - last == Approx(0.0040 / 5).margin(1e-9));
          last = x.correction;
        }
    }
  }
  // The middle benchmark computed instead of held: the whole misclosure is shared over the line.
  const auto h = line_heights(r, known, Distribution::distance, weights, {"T5"});
  const auto at = std::find_if(h.begin(), h.end(), [](const auto &x) { return x.mark == "T5"; });
  CHECK(!at->known);
  const LevelPoint &t5 = *r.find("T5");
  CHECK(at->correction == Approx(-0.0030 * t5.distance / r.length).margin(1e-9));
  // A loop needs no known height.
  const LevelRun loop = random_run(9, 6, "L", "L");
  const auto closure = misclosures(reduce_run(loop, find_setups(loop)), {}, limits, weights);
  REQUIRE(closure.size() == 1);
  CHECK(closure[0].kind == Misclosure::Kind::loop);
  CHECK(closure[0].value == Approx(reduce_run(loop, find_setups(loop)).difference));
}

TEST_CASE("double running: sections, and the standard error that was put in comes out") {
  std::mt19937 random(11);
  std::normal_distribution<double> normal;
  const double sd = 0.0008; // m per √km, single run
  double single = 0, mean = 0;
  const int trials = 200, sections = 20;
  for (int t = 0; t < trials; ++t) {
    ReducedRun there, again;
    there.points.push_back({"P0", 0, 0, 0, true, 0});
    for (int i = 1; i <= sections; ++i) {
      const double km = 0.4 + 0.05 * (i % 5), true_rise = 3.0 * normal(random);
      LevelPoint p = there.points.back();
      p.mark = "P" + std::to_string(i);
      p.distance += 1000 * km, p.difference += true_rise + sd * std::sqrt(km) * normal(random);
      there.points.push_back(p);
      // Backwards: built from the far end later.
      again.points.push_back(
          {"P" + std::to_string(i), true_rise + sd * std::sqrt(km) * normal(random), 1000 * km, 1, true, 0});
    }
    std::vector<LevelPoint> back_points{{"P" + std::to_string(sections), 0, 0, 0, true, 0}};
    for (int i = sections; i >= 1; --i) {
      const LevelPoint &s = again.points[static_cast<std::size_t>(i - 1)];
      LevelPoint p = back_points.back();
      p.mark = "P" + std::to_string(i - 1);
      p.distance += s.distance, p.difference -= s.difference;
      back_points.push_back(p);
    }
    again.points = back_points;
    const DoubleRunning d = double_running(there, again, 3);
    REQUIRE(d.sections.size() == static_cast<std::size_t>(sections));
    single += d.single * d.single / trials, mean += d.mean * d.mean / trials;
  }
  CHECK(std::sqrt(single) == Approx(sd).epsilon(0.04));
  CHECK(std::sqrt(mean) == Approx(sd / std::sqrt(2.0)).epsilon(0.04));
}
