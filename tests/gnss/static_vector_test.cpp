#include "base/error.h"
#include "base/text.h"
#include "geodesy/ellipsoid.h"
#include "support/sky_truth.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;

namespace {
sky::Scenario demo(std::uint64_t seed = 0) {
  sky::Scenario s = sky::read_scenario(read_file(AMPLETIE_SOURCE_DIR "/demo/scenario.json"));
  if (seed) s.seed = seed;
  return s;
}
struct Summary {
  int vectors = 0, fixed = 0, wrong = 0, outside = 0, up_to_12 = 0;
  double nse = 0;
};
Summary summarise(const std::vector<Outcome> &all) {
  Summary s;
  for (const Outcome &o : all) {
    ++s.vectors;
    s.fixed += o.vector.solution == Solution::fixed;
    s.wrong += o.wrong > 0;
    s.nse += o.error_enu.dot(o.cov_enu.inverse() * o.error_enu) / 3;
    if (o.length > 12500) continue;
    ++s.up_to_12;
    s.outside += o.error_enu.head<2>().norm() > 0.006 || std::abs(o.error_enu.z()) > 0.012;
  }
  s.nse /= s.vectors;
  return s;
}
} // namespace

TEST_CASE("the demo's vectors: fixed, right, and near the truth") {
  const sky::Scenario scenario = demo();
  const Judged j = judge(scenario);
  for (const bool precise : {false, true}) {
    Experiment e;
    e.precise = precise;
    const Summary s = summarise(solve_all(j, scenario, e));
    INFO((precise ? "precise" : "broadcast"));
    CHECK(s.vectors == 42);
    CHECK(s.fixed == 42);
    CHECK(s.wrong == 0);
    CHECK(s.up_to_12 >= 20);
    CHECK(s.outside <= (precise ? 1 : 0));
    CHECK(s.nse < 1.6);
  }
}

TEST_CASE("ten further seeds: no wrong integer is accepted, nearly all are fixed") {
  Summary sum;
  double nse = 0;
  for (std::uint64_t seed = 71001; seed <= 71010; ++seed) {
    const sky::Scenario scenario = demo(seed);
    const Summary s = summarise(solve_all(judge(scenario), scenario, {}));
    sum.vectors += s.vectors, sum.fixed += s.fixed, sum.wrong += s.wrong;
    nse += s.nse / 10;
  }
  CHECK(sum.vectors == 420);
  CHECK(sum.wrong == 0);
  CHECK(sum.fixed >= 0.95 * sum.vectors);
  // Errors agree with the printed standard deviations: the mean of ten correlated campaigns scatters by some 0.15.
  CHECK(nse > 0.6);
  CHECK(nse < 1.3);
}

TEST_CASE("with a model switched off the acceptance fails: the models are needed") {
  Summary plain, troposphere, antenna, white;
  for (std::uint64_t seed : {71021, 71022, 71023}) {
    const sky::Scenario scenario = demo(seed);
    const Judged j = judge(scenario);
    auto add = [&](Summary &to, const Experiment &e) {
      const Summary s = summarise(solve_all(j, scenario, e));
      to.vectors += s.vectors, to.fixed += s.fixed, to.wrong += s.wrong, to.outside += s.outside, to.nse += s.nse / 3;
    };
    add(plain, {});
    Experiment e;
    e.solve.relative_troposphere = false;
    add(troposphere, e);
    e = {};
    e.antenna_calibration = false;
    add(antenna, e);
    e = {};
    e.solve.correlated_noise = false;
    add(white, e);
  }
  CHECK(plain.nse < 1.3);
  CHECK(plain.fixed >= 0.95 * plain.vectors);
  CHECK(troposphere.nse > 5);
  CHECK(troposphere.fixed < 0.95 * troposphere.vectors);
  CHECK(antenna.nse > 2);
  // White noise makes the printed accuracy too good: the normalised squared error grows by half and more.
  CHECK(white.nse > 1.35 * plain.nse);
}

TEST_CASE("the solution does not depend on which end is called the base") {
  sky::Scenario scenario = demo(71031);
  scenario.sessions.resize(1);
  const Judged j = judge(scenario);
  const BroadcastOrbits orbits(j.campaign.navigation);
  std::map<std::string, OccupationModel> m;
  for (const auto &u : scenario.sessions[0].setups)
    if (u.mark == "PN1" || u.mark == "PS1")
      m[u.mark] = model_occupation(j.file(u.mark, "s1"), orbits, j.marker.at(u.mark + "/s1"),
                                   {{0, 0, u.height}, &j.antennas.at(u.antenna)}, {}, {});
  const StaticVector a = solve_static(m.at("PN1"), m.at("PS1"), orbits, {}, {}, {}),
                     b = solve_static(m.at("PS1"), m.at("PN1"), orbits, {}, {}, {});
  CHECK((a.d + b.d).norm() < 5e-4);
  CHECK(a.solution == b.solution);
  SECTION("leaving a satellite out takes it out") {
    const SatId gone = a.arcs.front().sat;
    const StaticVector c = solve_static(m.at("PN1"), m.at("PS1"), orbits, {}, {{gone, a.first, a.last, ""}}, {});
    for (const CarrierArc &arc : c.arcs) CHECK_FALSE(arc.sat == gone);
    CHECK((c.d - a.d).norm() < 0.02);
  }
  SECTION("too little data is refused with a sentence") {
    OccupationModel part = m.at("PN1");
    part.epochs.resize(5);
    CHECK_THROWS_AS(solve_static(part, m.at("PS1"), orbits, {}, {}, {}), InputError);
  }
  SECTION("stop stops") {
    Progress p;
    p.cancel();
    CHECK_THROWS_AS(solve_static(m.at("PN1"), m.at("PS1"), orbits, {}, {}, p), Cancelled);
  }
  SECTION("unlike signals are not differenced: the band is left out and named") {
    OccupationModel other = m.at("PN1");
    other.signals['G'][1].phase = "L2L";
    const StaticVector c = solve_static(other, m.at("PS1"), orbits, {}, {}, {});
    for (const CarrierArc &arc : c.arcs) CHECK((arc.sat.system == 'E' || arc.signal == "L1C"));
    REQUIRE(c.notes.size() == 1);
    CHECK_THAT(c.notes[0], Catch::Matchers::Contains("different signals"));
  }
}

TEST_CASE("a position from code is good to some metres, and says when it cannot be had") {
  sky::Scenario scenario = demo(71041);
  scenario.sessions.resize(1);
  const Judged j = judge(scenario);
  const BroadcastOrbits orbits(j.campaign.navigation);
  const CodePosition p = code_position(j.file("R07", "s1"), orbits, {{0, 0, 1.5}, nullptr});
  CHECK((p.marker - j.marker.at("R07/s1")).norm() < 4);
  CHECK(p.scatter_m < 8);
  CHECK_THROWS_AS(code_position(j.file("R07", "s1"), BroadcastOrbits({}), {}), InputError);
}

TEST_CASE("the same scenario gives the same bytes") {
  sky::Scenario s = demo(5);
  s.sessions.resize(1);
  s.sessions[0].hours = 0.05;
  const auto a = sky::simulate(s), b = sky::simulate(s);
  CHECK(a.truth_json == b.truth_json);
  CHECK(a.receivers[0].data.values.size() == b.receivers[0].data.values.size());
  bool same = true;
  for (std::size_t i = 0; i < a.receivers[0].data.values.size(); ++i)
    same = same && a.receivers[0].data.values[i].value == b.receivers[0].data.values[i].value;
  CHECK(same);
  CHECK_THROWS_AS(sky::read_scenario("{"), InputError);
  std::string kind = read_file(AMPLETIE_SOURCE_DIR "/demo/scenario.json");
  kind.replace(kind.find("\"slips_per_hour\""), 0, "\"phase\": 0.0001, ");
  CHECK_THROWS_WITH(sky::read_scenario(kind), Catch::Matchers::Contains("floor"));
}
