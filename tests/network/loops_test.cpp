// Closures: propagated limits hold with their error probability, and mistakes are explained.
#include "network/loops.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;

namespace {
/// Four marks some kilometres apart, observed in two sessions from A, every mark set up anew.
struct LoopField {
  NetworkInput in;
  std::vector<NetworkVector> dependent;
};
LoopField field(std::uint64_t seed, double sigma = 0.003) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  LoopField f;
  const std::map<std::string, Geodetic> place{{"A", {0.8, 0.23, 300}},
                                              {"B", {0.8005, 0.2305, 420}},
                                              {"C", {0.8008, 0.2296, 350}},
                                              {"D", {0.7994, 0.2303, 900}}};
  for (const auto &[name, g] : place) {
    NetworkMark m;
    m.name = name;
    m.position = {to_cartesian(g), {"ETRF2000"}, 2026.3};
    f.in.marks.push_back(m);
  }
  for (int s = 1; s <= 2; ++s) {
    std::map<std::string, Vec3> antenna; // error of the set-up
    for (const auto &[name, g] : place) {
      NetworkSetup u{name + std::to_string(s), name, Vec3(0.001, 0.001, 0.001)};
      antenna[name] =
          local_axes(g).transpose() * Vec3(0.001 * normal(random), 0.001 * normal(random), 0.001 * normal(random));
      f.in.setups.push_back(u);
    }
    NetworkSession session;
    session.id = "s" + std::to_string(s);
    session.cov = Eigen::MatrixXd::Zero(9, 9);
    Vec3 base; // what the receiver at A adds to all of its vectors
    for (int k = 0; k < 3; ++k) base[k] = sigma * normal(random);
    int i = 0;
    std::map<std::string, Vec3> reached;
    for (const char *to : {"B", "C", "D"}) {
      NetworkVector v;
      v.id = std::string("v") + to + std::to_string(s);
      v.from = "A", v.to = to, v.from_setup = "A" + std::to_string(s), v.to_setup = to + std::to_string(s);
      v.session = session.id, v.frame = {"ETRF2000"}, v.epoch = 2026.3 + 0.001 * s;
      v.d = to_cartesian(place.at(to)) - to_cartesian(place.at("A")) + antenna[to] - antenna["A"];
      for (int k = 0; k < 3; ++k) v.d[k] += sigma * normal(random) - base[k];
      v.cov = Mat3::Identity() * 2 * sigma * sigma;
      for (int k = 0; k < 3; ++k)
        session.cov.block<3, 3>(3 * i, 3 * k) = Mat3::Identity() * sigma * sigma * (i == k ? 2 : 1);
      reached[to] = v.d;
      session.vectors.push_back(v.id);
      f.in.vectors.push_back(v);
      ++i;
    }
    f.in.sessions.push_back(session);
    NetworkVector v = f.in.vectors.back();
    v.id = "x" + std::to_string(s);
    v.from = "B", v.from_setup = "B" + std::to_string(s), v.to = "C", v.to_setup = "C" + std::to_string(s);
    v.d = reached["C"] - reached["B"];
    f.dependent.push_back(v);
  }
  return f;
}
} // namespace

TEST_CASE("closures: repeated vectors are checks, a triangle inside a session is none") {
  LoopField f = field(1);
  const auto loops = find_loops(f.in, f.dependent, {});
  REQUIRE(loops.size() == 5);
  int repeated = 0, inside = 0;
  for (const Loop &l : loops) {
    if (l.repeated()) {
      ++repeated;
      CHECK(l.check == LoopCheck::full);
      CHECK(l.statistic_limit > 16);
      CHECK(l.limit_m == Approx(0.010 + 1e-6 * l.length));
    } else {
      ++inside;
      CHECK(l.marks == std::vector<std::string>{"A", "B", "C"});
      CHECK(l.check == LoopCheck::none);
      CHECK(l.misclosure_enu.norm() < 1e-9);
      CHECK(l.statistic_limit == 0);
    }
  }
  CHECK(repeated == 3);
  CHECK(inside == 2);
  SECTION("the order of input does not matter") {
    std::reverse(f.in.vectors.begin(), f.in.vectors.end());
    std::reverse(f.dependent.begin(), f.dependent.end());
    std::reverse(f.in.sessions.begin(), f.in.sessions.end());
    const auto again = find_loops(f.in, f.dependent, {});
    REQUIRE(again.size() == loops.size());
    for (std::size_t i = 0; i < loops.size(); ++i) {
      CHECK(again[i].id == loops[i].id);
      CHECK(again[i].misclosure_enu == loops[i].misclosure_enu);
    }
  }
  SECTION("without new set-ups a repeated vector checks the solutions only") {
    for (NetworkVector &v : f.in.vectors) v.from_setup = v.from + "1", v.to_setup = v.to + "1";
    for (const Loop &l : find_loops(f.in, {}, {}))
      if (l.repeated()) CHECK(l.check == LoopCheck::same_setups);
  }
}

TEST_CASE("a loop over two sessions knows what its vectors share") {
  // B1–A–C1 of the first session and C2–A–B2 of the second: with the common base taken into account the statistic is
  // χ²; the vectors as independent ones would be too cautious.
  double sum = 0, naive = 0;
  int rejected = 0;
  constexpr int seeds = 3000;
  for (std::uint64_t seed = 1; seed <= seeds; ++seed) {
    LoopField f = field(seed);
    // Second session measured B → C only.
    const NetworkVector bc = f.dependent[1];
    std::erase_if(f.in.vectors, [](const auto &v) { return v.session == "s2"; });
    f.in.sessions.resize(1);
    NetworkVector v = bc;
    v.cov = Mat3::Identity() * 2 * 0.003 * 0.003;
    f.in.vectors.push_back(v);
    const auto loops = find_loops(f.in, {}, {});
    REQUIRE(loops.size() == 1);
    sum += loops[0].statistic / 3;
    rejected += loops[0].statistic > 7.815; // χ² with 3 degrees, 95 % (table)
    f.in.sessions.clear();
    naive += find_loops(f.in, {}, {})[0].statistic / 3;
  }
  CHECK(sum / seeds == Approx(1).margin(0.06));
  CHECK(static_cast<double>(rejected) / seeds == Approx(0.05).margin(0.015));
  CHECK(naive / seeds < 0.85);
}

TEST_CASE("mistakes that closures explain: a height, exchanged marks, a wrong name") {
  int height = 0, swapped = 0, renamed = 0, clean = 0;
  constexpr int seeds = 40;
  for (std::uint64_t seed = 1; seed <= seeds; ++seed) {
    {
      LoopField f = field(seed);
      clean += explain_loops(f.in, find_loops(f.in, {}, {}), {}).empty();
      const Vec3 up = local_axes(to_geodetic(f.in.marks[3].position.xyz)).row(2).transpose();
      for (NetworkVector &v : f.in.vectors)
        if (v.to_setup == "D2") v.d += 0.1 * up;
      const auto causes = explain_loops(f.in, find_loops(f.in, {}, {}), {});
      // Of two set-ups nobody can tell which; both are named, with the size.
      for (const LoopCause &c : causes)
        if (c.kind == LoopCause::Kind::height && c.setup == "D2" && std::abs(std::abs(c.size_m) - 0.1) < 0.02) {
          ++height;
          break;
        }
    }
    {
      LoopField f = field(seed);
      for (NetworkVector &v : f.in.vectors)
        if (v.session == "s2" && v.to != "D") v.to = v.to == "B" ? "C" : "B";
      const auto causes = explain_loops(f.in, find_loops(f.in, {}, {}), {});
      swapped += !causes.empty() && causes[0].kind == LoopCause::Kind::swapped;
    }
    {
      LoopField f = field(seed);
      for (NetworkVector &v : f.in.vectors)
        if (v.to_setup == "B2") v.to = "C";
      const auto causes = explain_loops(f.in, find_loops(f.in, {}, {}), {});
      renamed += !causes.empty() && causes[0].kind == LoopCause::Kind::renamed && causes[0].setup == "B2" &&
                 causes[0].other == "B";
    }
  }
  CHECK(clean >= seeds - 1);
  CHECK(height >= seeds - 1);
  CHECK(swapped >= seeds - 1);
  CHECK(renamed >= seeds - 1);
}
