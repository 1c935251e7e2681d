// A broadcast message that is hundreds of metres off: healthy by its own word, seen by the code, left out.
#include "gnss/model/orbit_check.h"
#include "support/strata.h"
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using namespace ampletie::testing;

TEST_CASE("a message that is far off stands out among the others, a wrong place of the receiver does not") {
  std::mt19937 random(4);
  std::normal_distribution<double> noise(0, 1.5);
  const auto run = [&](double off, double place, bool free) {
    OrbitCheck c;
    for (int epoch = 0; epoch < 60; ++epoch) {
      for (int k = 1; k <= 9; ++k)
        c.add({'G', static_cast<std::uint8_t>(k)}, 1,
              3000 + noise(random) + (k == 4 ? off : 0) + place * std::sin(0.7 * k), free);
      c.add({'R', 1}, 1, 5000, free); // alone in its system: nothing to compare with
      c.end_epoch();
    }
    return c.bad();
  };
  CHECK(run(0, 0, true).empty());
  CHECK(run(12, 0, true).empty());
  const auto far = run(665, 0, true);
  REQUIRE(far.size() == 1);
  CHECK(far[0].sat == SatId{'G', 4});
  CHECK(far[0].off == Approx(665).margin(1));
  CHECK(run(40, 0, false).empty()); // one frequency: the ionosphere may do that
  CHECK(run(0, 80, true).empty());  // the receiver stands 80 m elsewhere
}

TEST_CASE("a broken broadcast message costs its satellite, not the integers") {
  const Stratum &s = stratum("short");
  const sky::Scenario c = scenario_of(s, 812, 1);
  Judged j = judge(c);
  const Experiment e;
  const auto sound = solve_all(j, c, e, s.length_to, s.length_from);
  REQUIRE(sound.size() == 1);
  // The satellite that was seen most: 665 m along its track (as a fit that did not converge once gave).
  std::map<SatId, int> seen;
  for (const CarrierArc &a : sound[0].vector.arcs) seen[a.sat] += a.epochs;
  const auto most =
      std::max_element(seen.begin(), seen.end(), [](const auto &a, const auto &b) { return a.second < b.second; });
  for (Ephemeris &m : j.campaign.navigation.ephemerides)
    if (m.sat == most->first) m.m0 += 2.5e-5;
  const auto broken = solve_all(j, c, e, s.length_to, s.length_from);
  REQUIRE(broken.size() == 1);
  CHECK(broken[0].wrong == 0);
  CHECK(broken[0].vector.solution == Solution::fixed);
  CHECK((broken[0].vector.d - sound[0].vector.d).norm() < 0.006);
  CHECK(std::none_of(broken[0].vector.arcs.begin(), broken[0].vector.arcs.end(),
                     [&](const CarrierArc &a) { return a.sat == most->first; }));
  CHECK(std::any_of(broken[0].vector.notes.begin(), broken[0].vector.notes.end(), [&](const std::string &n) {
    return n.find(most->first.name() + " from") == 0 && n.find("m off by the code") != std::string::npos;
  }));
}
