// Levels alone. LSQ-01: the differential levelling network of Ghilani and Wolf.
#include "base/error.h"
#include "network/level_network.h"
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;

namespace {
LevelNetworkInput lsq01(bool weighted) {
  struct Row {
    const char *from, *to;
    double dh, miles;
  };
  LevelNetworkInput in;
  for (const Row &r : {Row{"X", "A", 5.10, 4},
                       {"A", "Y", 2.34, 3},
                       {"Y", "C", -1.25, 2},
                       {"C", "X", -6.13, 3},
                       {"A", "B", -0.68, 2},
                       {"Y", "B", -3.00, 2},
                       {"B", "C", 1.70, 2}})
    in.levels.push_back(
        {std::string(r.from) + r.to, r.from, r.to, "", r.dh, weighted ? std::sqrt(r.miles / 12) : 1.0, r.miles * 1000});
  in.held = {{"X", {100.00, 0}}, {"Y", {107.50, 0}}};
  return in;
}
} // namespace

TEST_CASE("LSQ-01: the levelling network, without and with weights") {
  const LevelNetworkResult a = adjust_levels(lsq01(false), {});
  CHECK(a.find("A")->height == Approx(105.141).margin(5e-4));
  CHECK(a.find("B")->height == Approx(104.483).margin(5e-4));
  CHECK(a.find("C")->height == Approx(106.188).margin(5e-4));
  CHECK(std::sqrt(a.adjustment.vtpv / a.adjustment.redundancy) == Approx(0.050).margin(5e-4));
  const double v[] = {0.0410, 0.0190, -0.0624, -0.0576, 0.0219, -0.0171, 0.0048};
  for (std::size_t i = 0; i < 7; ++i)
    CHECK(a.adjustment.tests[i].observations[0].residual == Approx(v[i]).margin(1e-4));
  const LevelNetworkResult b = adjust_levels(lsq01(true), {});
  CHECK(b.find("A")->height == Approx(105.150).margin(5e-4));
  CHECK(b.find("B")->height == Approx(104.489).margin(5e-4));
  CHECK(b.find("C")->height == Approx(106.197).margin(5e-4));
  CHECK(std::sqrt(b.adjustment.vtpv / b.adjustment.redundancy) == Approx(0.107).margin(5e-4));
}

TEST_CASE("levels alone: datum, minimal constraint, order and chaining do not matter") {
  const LevelNetworkResult full = adjust_levels(lsq01(true), {});
  LevelNetworkInput turned = lsq01(true);
  std::reverse(turned.levels.begin(), turned.levels.end());
  for (auto &l : turned.levels) std::swap(l.from, l.to), l.difference = -l.difference;
  const LevelNetworkResult t = adjust_levels(turned, {});
  for (const auto &m : full.marks) CHECK(t.find(m.name)->height == Approx(m.height).margin(1e-12));
  // Shifting the datum shifts all heights.
  LevelNetworkInput shifted = lsq01(true);
  for (auto &[name, h] : shifted.held) h.first += 250;
  const LevelNetworkResult s = adjust_levels(shifted, {});
  for (const auto &m : full.marks) CHECK(s.find(m.name)->height == Approx(m.height + 250).margin(1e-9));
  // Minimal: one held mark, two redundancies less one.
  LevelNetworkInput minimal = lsq01(true);
  minimal.minimal = true;
  CHECK(adjust_levels(minimal, {}).adjustment.redundancy == full.adjustment.redundancy - 1);
  // A chain of two sections with added variances is one section.
  LevelNetworkInput chain;
  chain.levels = {{"1", "P", "Q", "", 1.0, 0.003, 1000},
                  {"2", "Q", "R", "", 2.0, 0.004, 1000},
                  {"3", "P", "R", "", 3.006, 0.005, 2000}};
  chain.held = {{"P", {10, 0.002}}};
  LevelNetworkInput one = chain;
  one.levels = {{"12", "P", "R", "", 3.0, 0.005, 2000}, chain.levels[2]};
  CHECK(adjust_levels(chain, {}).find("R")->height == Approx(adjust_levels(one, {}).find("R")->height).margin(1e-12));
  CHECK(adjust_levels(chain, {}).find("R")->sd == Approx(std::sqrt(0.005 * 0.005 / 2 + 4e-6)).margin(1e-9));
  // Nothing held: heights count from the first mark, and say so.
  chain.held.clear();
  const LevelNetworkResult free = adjust_levels(chain, {});
  CHECK(free.find("P")->height == 0);
  CHECK(free.find("R")->relative);
  // The first is where the first line begins, whatever it is called.
  for (NetworkLevel &l : chain.levels) std::swap(l.from, l.to), l.difference = -l.difference;
  CHECK(adjust_levels(chain, {}).find("Q")->height == 0);
  CHECK(adjust_levels(chain, {}).find("P")->height == Approx(-1.0).margin(0.01));
  CHECK_THROWS_AS(adjust_levels({}, {}), InputError);
}

TEST_CASE("levels alone: errors agree with what is printed") {
  std::mt19937_64 random(77);
  std::normal_distribution<double> normal;
  double nse = 0, km = 0;
  int count = 0, inside = 0;
  const int trials = 400;
  for (int k = 0; k < trials; ++k) {
    LevelNetworkInput in;
    std::vector<double> truth;
    const int n = 9;
    for (int i = 0; i < n; ++i) truth.push_back(100 + 20 * normal(random));
    auto level = [&](int a, int b, double length) {
      const double sd = 0.001 * std::sqrt(length / 1000);
      in.levels.push_back(
          {std::to_string(a) + "-" + std::to_string(b), std::to_string(a), std::to_string(b), "",
           truth[static_cast<std::size_t>(b)] - truth[static_cast<std::size_t>(a)] + sd * normal(random), sd, length});
    };
    for (int i = 0; i < n; ++i) level(i, (i + 1) % n, 800 + 150 * (i % 4));
    level(0, 4, 2500), level(2, 7, 1800);
    for (int h : {0, 5})
      in.held[std::to_string(h)] = {truth[static_cast<std::size_t>(h)] + 0.002 * normal(random), 0.002};
    const LevelNetworkResult r = adjust_levels(in, {});
    km += r.sd_km * r.sd_km / trials;
    for (const auto &m : r.marks) {
      const double e = (m.height - truth[static_cast<std::size_t>(std::stoi(m.name))]) / m.sd;
      nse += e * e, ++count, inside += std::abs(e) < 1.96;
    }
  }
  CHECK(nse / count == Approx(1).margin(0.1));
  CHECK(inside / static_cast<double>(count) == Approx(0.95).margin(0.015));
  CHECK(std::sqrt(km) > 0.0009); // two held marks whose heights are 2 mm off show in it as well
}

TEST_CASE("a line of thousands of named marks is adjusted in the time it takes to walk it, whatever its names") {
  // Names that fall along the line make the longest chain of sets; 30,000 sections once took minutes.
  LevelNetworkInput in;
  const int n = 30'000;
  auto name = [&](int i) { return "P" + std::to_string(900'000 - i); };
  for (int i = 0; i < n; ++i) in.levels.push_back({std::to_string(i), name(i), name(i + 1), "L", 0.001, 0.001, 100});
  in.held[name(n)] = {500, 0};
  const LevelNetworkResult r = adjust_levels(in, {});
  REQUIRE(r.find(name(0)));
  CHECK(r.find(name(0))->height == Approx(500 - 0.001 * n).margin(1e-6));
  CHECK(r.find(name(0))->sd == Approx(0.001 * std::sqrt(n)).epsilon(1e-6));
  CHECK(r.find(name(1))->sections == 2);
  CHECK(r.find(name(n))->sections == 1);
}
