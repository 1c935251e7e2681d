// Lines and waves in residuals against certified values and simulated noise.
#include "base/angle.h"
#include "results/residual_patterns.h"
#include "support/norris.h"
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
ResidualPattern pattern(PatternAxis against, const std::vector<std::pair<double, double>> &points) {
  ResidualPattern p;
  p.kind = "levels", p.against = against;
  for (const auto &[x, v] : points) p.points.push_back({x, v, {}});
  fit_pattern(p);
  return p;
}
} // namespace

TEST_CASE("the line of a pattern: Norris of the NIST Statistical Reference Datasets, certified") {
  std::vector<std::pair<double, double>> points;
  for (std::size_t i = 0; i < 36; ++i) points.emplace_back(testing::norris_x[i], testing::norris_y[i]);
  const ResidualPattern p = pattern(PatternAxis::length, points);
  CHECK(p.slope == Approx(1.00211681802045).epsilon(1e-10));
  CHECK(p.slope_sd == Approx(0.429796848199937e-3).epsilon(1e-8));
  CHECK(p.statistic == Approx(5436385.54079785).epsilon(1e-7)); // F of the certified analysis of variance
  CHECK(p.shows());
}

TEST_CASE("noise shows a pattern in one of a thousand, a swing of the bearing is found where it points") {
  std::mt19937_64 random(17);
  std::normal_distribution<double> normal;
  std::uniform_real_distribution<double> turn(0, 2 * pi);
  const int n = 20000;
  int line = 0, wave = 0;
  for (int k = 0; k < n; ++k) {
    std::vector<std::pair<double, double>> a, b;
    for (int i = 0; i < 14; ++i) {
      a.emplace_back(100 * normal(random), 0.002 * normal(random));
      b.emplace_back(turn(random), 0.002 * normal(random));
    }
    line += pattern(PatternAxis::height_difference, a).shows(), wave += pattern(PatternAxis::bearing, b).shows();
  }
  CAPTURE(line, wave);
  CHECK(line > 6);
  CHECK(line < 36); // 20 ± 4.5
  CHECK(wave > 6);
  CHECK(wave < 36);
  std::vector<std::pair<double, double>> points;
  for (int i = 0; i < 40; ++i) {
    const double x = turn(random);
    points.emplace_back(x, 0.008 * std::cos(x - radians(70)) + 0.001 * normal(random));
  }
  const ResidualPattern p = pattern(PatternAxis::bearing, points);
  CHECK(p.shows());
  CHECK(p.slope == Approx(0.008).margin(4 * p.slope_sd));
  CHECK(degrees(p.phase) == Approx(70).margin(6));
  CHECK_THAT(p.words(), Contains("swing by") && Contains("most towards"));
}

TEST_CASE("what has no spread, or follows nothing, says nothing") {
  std::vector<std::pair<double, double>> same, flat;
  for (int i = 0; i < 12; ++i) same.emplace_back(500, 0.001 * i), flat.emplace_back(i, i % 2 ? 0.001 : -0.001);
  CHECK(pattern(PatternAxis::length, same).limit == 0);
  CHECK_FALSE(pattern(PatternAxis::length, flat).shows());
  CHECK(pattern(PatternAxis::length, flat).words().empty());
}
