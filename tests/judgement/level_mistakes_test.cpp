// Mistakes of a levelling crew, drawn by seed: is the right cause named first? (docs/verification.md, mistakes)
#include "judgement/level_doubts.h"
#include "results/levels.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <random>

using namespace ampletie;

namespace {

enum class Mistake { none, twice, exchanged, whole, staff, sight };
constexpr Mistake mistakes[] = {Mistake::twice, Mistake::exchanged, Mistake::whole, Mistake::staff, Mistake::sight};

/// A line from one benchmark over a second to a third, uphill, with two staffs; one mistake in it, or none.
struct Drawn {
  std::mt19937_64 random;
  std::normal_distribution<double> normal;
  LevelLine line;
  std::string expected; ///< how the right cause begins or what it holds

  explicit Drawn(std::uint64_t seed, Mistake mistake) : random(seed) {
    const int setups = 60;
    const double sight_slope = mistake == Mistake::sight ? pick(0.05, 0.2) * 1e-3 * sign() : 0;
    const double staff_ppm = mistake == Mistake::staff ? pick(250, 500) * sign() : 0;
    const double more_back = mistake == Mistake::sight ? 5 : 0; // back sights longer, m
    const int at = static_cast<int>(random() % (setups - 4)) + 2;
    double height = 500, true_mid = 0, true_end = 0;
    for (int k = 0; k < setups; ++k) {
      const double rise = 1.2 + 0.4 * normal(random) * 0.5;
      const std::string from = k == 0 ? "HB1" : name(k), to = k == setups - 1 ? "HB3" : name(k + 1);
      const double back = 30 + 2 * normal(random) + more_back, fore = 30 + 2 * normal(random) - more_back;
      const std::string staff = k < setups / 2 ? "A" : "B";
      const double ppm = staff == "B" ? staff_ppm : 0, instrument = std::max(rise, 0.0) + 0.4 + 0.2 * pick(0, 1);
      auto reading = [&](double above, double distance) {
        return std::round(1e5 * ((above + sight_slope * distance) / (1 + 1e-6 * ppm) + 5e-5 * normal(random))) / 1e5;
      };
      StaffSight b = sight(SightKind::back, from, reading(instrument, back), back, staff),
                 f = sight(SightKind::fore, to, reading(instrument - rise, fore), fore, staff);
      if (mistake == Mistake::whole && k == at) {
        const double slip = (random() % 2 ? 1.0 : 0.1) * sign();
        (random() % 2 ? b : f).reading += slip;
        expected = "a reading wrong by";
      }
      line.run.sights.push_back(b);
      line.run.sights.push_back(f);
      if (mistake == Mistake::twice && k == at && !named(at) && !named(at + 1)) {
        b.line += 2, f.line += 2;
        line.run.sights.push_back(b);
        line.run.sights.push_back(f);
        expected = "booked twice";
      }
      height += rise;
      if (to == "HB2") true_mid = height;
      if (to == "HB3") true_end = height;
    }
    line.known = {{"HB1", {500, 0.001}}, {"HB2", {true_mid, 0.001}}, {"HB3", {true_end, 0.001}}};
    if (mistake == Mistake::exchanged) {
      for (StaffSight &s : line.run.sights) s.mark = s.mark == "HB2" ? "P40" : s.mark == "P40" ? "HB2" : s.mark;
      expected = "exchanged in the book";
    }
    if (mistake == Mistake::staff) expected = "staff B with a scale of";
    if (mistake == Mistake::sight) expected = "a line of sight sloping";
    line.id = "l", line.name = "drawn";
    line.setups = find_setups(line.run);
    line.reduced = reduce_run(line.run, line.setups);
    line.misclosures = misclosures(line.reduced, line.known, limits(), {0.001, 0});
  }
  static LevelLimits limits() { return {4, 0}; }

private:
  static bool named(int k) { return k == 20 || k == 40 || k == 30; }
  static std::string name(int k) { return k == 30 ? "HB2" : named(k) ? "P" + std::to_string(k) : ""; }
  double pick(double a, double b) { return a + (b - a) * static_cast<double>(random() >> 11) * 0x1.0p-53; }
  double sign() { return random() % 2 ? 1 : -1; }
  StaffSight sight(SightKind k, const std::string &mark, double reading, double distance, const std::string &staff) {
    StaffSight s;
    s.kind = k, s.mark = mark, s.reading = reading, s.distance = distance, s.staff = staff;
    s.line = static_cast<long>(line.run.sights.size()) + 1;
    s.id = fmt::format("r-{}", s.line);
    return s;
  }
};

} // namespace

TEST_CASE("mistakes of a crew: the right cause first, and none on clean lines") {
  std::map<Mistake, std::array<int, 3>> tally; // drawn, first, among the first three
  int drawn = 0, first = 0, among = 0;
  for (std::uint64_t seed = 1; drawn < 320; ++seed) {
    const Mistake m = mistakes[seed % std::size(mistakes)];
    const Drawn d(52000 + seed, m);
    if (d.expected.empty()) continue; // the place that was drawn has a name: nothing would be counted twice there
    const Misclosure *worst = worst_closure(d.line.misclosures);
    REQUIRE(worst);
    if (worst->within_limit() && worst->within_propagated()) continue; // too small to be seen
    ++drawn;
    const auto causes = level_causes(d.line, *worst, Drawn::limits());
    int place = -1;
    for (std::size_t i = 0; i < causes.size() && place < 0; ++i)
      if (causes[i].find(d.expected) != std::string::npos) place = static_cast<int>(i);
    auto &t = tally[m];
    ++t[0], t[1] += place == 0, t[2] += place >= 0 && place < 3;
    first += place == 0, among += place >= 0 && place < 3;
  }
  for (const auto &[m, t] : tally) {
    INFO("kind " << static_cast<int>(m) << ": " << t[0] << " drawn, " << t[1] << " first, " << t[2] << " among three");
    CHECK(t[0] > 20);
    CHECK(t[2] >= 0.9 * t[0]);
  }
  INFO(first << " first and " << among << " among the first three of " << drawn);
  CHECK(first >= 0.80 * drawn);
  CHECK(among >= 0.95 * drawn);
  int named = 0;
  const int clean = 300;
  for (std::uint64_t seed = 1; seed <= clean; ++seed) {
    const Drawn d(91000 + seed, Mistake::none);
    for (const Misclosure &m : d.line.misclosures) named += !m.within_limit() || !m.within_propagated();
  }
  CHECK(named <= 0.05 * clean);
}

TEST_CASE("the size that a cause names is that of the mistake") {
  double worst_staff = 0, worst_twice = 0;
  int staffs = 0, twice = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    const Drawn s(61000 + seed, Mistake::staff);
    const Misclosure &m = s.line.misclosures.back(); // all of staff B lies there
    for (const auto &c : level_causes(s.line, m, Drawn::limits())) {
      if (c.find("staff B") != 0) continue;
      const double ppm = std::stod(c.substr(c.find("of ") + 3));
      // Put right with that scale, what is left is noise.
      LevelCorrections k;
      k.staff_ppm["B"] = ppm;
      const auto left =
          misclosures(reduce_run(s.line.run, s.line.setups, k), s.line.known, Drawn::limits(), {0.001, 0});
      worst_staff = std::max(worst_staff, std::abs(left.back().value));
      ++staffs;
    }
    const Drawn t(62000 + seed, Mistake::twice);
    if (t.expected.empty()) continue;
    const Misclosure *w = worst_closure(t.line.misclosures);
    for (const auto &c : level_causes(t.line, *w, Drawn::limits())) twice += c.find("it closes") != std::string::npos;
    worst_twice = std::max(worst_twice, std::abs(w->value));
  }
  CHECK(staffs > 50);
  CHECK(worst_staff < 0.0015);
  CHECK(twice > 40);
  CHECK(worst_twice > 0.5);
}

TEST_CASE("a benchmark that is computed is no anchor for causes either") {
  Drawn d(71, Mistake::none);
  d.line.known["HB2"].height += 0.050; // it sank
  d.line.misclosures = misclosures(d.line.reduced, d.line.known, Drawn::limits(), {0.001, 0});
  REQUIRE(d.line.misclosures.size() == 2);
  CHECK(!d.line.misclosures[0].within_limit());
  CHECK(!d.line.misclosures[1].within_limit());
  CHECK(d.line.misclosures[0].value + d.line.misclosures[1].value == Approx(0).margin(0.003));
  const auto h = line_heights(d.line.reduced, d.line.known, Distribution::distance, {0.001, 0}, {"HB2"});
  for (const LineHeight &x : h)
    if (x.mark == "HB2") CHECK(std::abs(x.height - d.line.known["HB2"].height + 0.050) < 0.003);
  d.line.computed = {"HB2"};
  for (const auto &c : level_causes(d.line, d.line.misclosures[0], Drawn::limits()))
    CHECK(c.find("exchanged") == std::string::npos);
}
