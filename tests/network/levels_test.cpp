// Levels, vectors and the geoid in one adjustment (geodesy: the geoid is an observation with an error, never a
// constant). The true surface differs from the grid by a random field that shares nothing with the correction surface:
// a sum of waves with the Gaussian covariance of the prior (random Fourier features, Rahimi and Recht 2007).
#include "base/error.h"
#include "network/network.h"
#include "network/network_frame.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
constexpr double geoid_sd = 0.15, correlation = 15e3;

struct Land {
  std::mt19937_64 random;
  std::normal_distribution<double> normal;
  std::vector<Vec3> truth;          // Cartesian
  std::vector<double> grid, height; // undulation of the grid, true physical height
  explicit Land(std::uint64_t seed, int marks = 14) : random(seed) {
    const int waves = 400;
    std::vector<std::array<double, 3>> field;
    std::uniform_real_distribution<double> phase(0, 6.283185307);
    for (int w = 0; w < waves; ++w)
      field.push_back({normal(random) * std::sqrt(2.0) / correlation, normal(random) * std::sqrt(2.0) / correlation,
                       phase(random)});
    const Geodetic origin{0.8080, 0.2420, 400};
    const Mat3 axes = local_axes(origin);
    for (int i = 0; i < marks; ++i) {
      const double e = 5000.0 * (i % 4) + 800 * normal(random), n = 4500.0 * (i / 4) + 800 * normal(random);
      Geodetic g = to_geodetic(to_cartesian(origin) + axes.transpose() * Vec3(e, n, 0));
      g.h = 450 + 200 * normal(random);
      double error = 0;
      for (const auto &[ke, kn, p] : field) error += geoid_sd * std::sqrt(2.0 / waves) * std::cos(ke * e + kn * n + p);
      truth.push_back(to_cartesian(g));
      grid.push_back(46 + 2e-5 * e - 3e-5 * n);
      height.push_back(g.h - grid.back() - error);
    }
  }
  double noise(double sd) { return sd * normal(random); }

  /// The first mark is a reference station, benchmarks are known by their physical heights, the rest is measured.
  NetworkInput measure() {
    NetworkInput in;
    in.geoid = GeoidPrior{geoid_sd, correlation};
    const auto n = truth.size();
    for (std::size_t i = 0; i < n; ++i) {
      NetworkMark m;
      m.name = "M" + std::to_string(i);
      m.undulation = grid[i];
      m.position = {truth[i] + (i ? Vec3(0.2, -0.1, 0.3) : Vec3(Vec3::Zero())), frame, 2026.36};
      if (i == 0) {
        m.hold = Hold::full, m.published_sd = {0.001, 0.001, 0.002};
        m.position.xyz +=
            local_axes(to_geodetic(truth[i])).transpose() * Vec3(noise(0.001), noise(0.001), noise(0.002));
      }
      if (i == 3 || i == 10) {
        m.hold = Hold::height, m.physical = true;
        m.published_sd = {0, 0, 0.002};
        Geodetic g = to_geodetic(truth[i]);
        g.h = height[i] + noise(0.002) + grid[i];
        m.position.xyz = to_cartesian(g) + local_axes(g).transpose() * Vec3(0.1, 0.1, 0);
      }
      in.marks.push_back(m);
    }
    for (std::size_t i = 1; i < n; ++i)
      for (std::size_t from : {std::size_t{0}, i - 1}) {
        if (from == 0 && i == 1 && !in.vectors.empty()) continue;
        NetworkVector v;
        v.id = "v" + std::to_string(in.vectors.size());
        v.from = in.marks[from].name, v.to = in.marks[i].name;
        v.from_setup = v.id + "a", v.to_setup = v.id + "b";
        for (const auto &[id, mark] : {std::pair{v.from_setup, v.from}, {v.to_setup, v.to}})
          in.setups.push_back({id, mark, Vec3(0.001, 0.001, 0.0015)});
        const Mat3 axes = local_axes(to_geodetic(truth[i]));
        v.cov = axes.transpose() * Vec3(4e-6, 6e-6, 36e-6).asDiagonal() * axes;
        const Vec3 setups = axes.transpose() * Vec3(noise(0.001 * std::sqrt(2.0)), noise(0.001 * std::sqrt(2.0)),
                                                    noise(0.0015 * std::sqrt(2.0)));
        v.d = truth[i] - truth[from] + setups +
              axes.transpose() * Vec3(noise(0.002), noise(std::sqrt(6e-6)), noise(0.006));
        v.frame = frame, v.epoch = 2026.36;
        in.vectors.push_back(v);
      }
    auto level = [&](std::size_t a, std::size_t b) {
      const double length = (truth[a] - truth[b]).norm(), sd = 0.0012 * std::sqrt(length / 1000);
      in.levels.push_back({"d" + std::to_string(in.levels.size()), in.marks[a].name, in.marks[b].name, "",
                           height[b] - height[a] + noise(sd), sd, length});
    };
    for (std::size_t i = 0; i + 1 < n; ++i) level(i, i + 1);
    level(0, 5), level(4, 9);
    return in;
  }
};
} // namespace

TEST_CASE("levels with vectors and geoid: errors agree with what is printed, physical heights too") {
  const int seeds = 250;
  double up = 0, physical = 0;
  int count = 0, failed = 0, in95 = 0, geoid = 0;
  for (int k = 0; k < seeds; ++k) {
    Land land(static_cast<std::uint64_t>(4000 + k));
    const NetworkInput in = land.measure();
    const NetworkResult r = adjust_network(in, {});
    failed += !r.adjustment.passes;
    for (const BlockTest &t : r.adjustment.tests) geoid += t.kind == "geoid" && !t.passes;
    for (std::size_t i = 1; i < r.marks.size(); ++i) {
      const AdjustedMark &m = r.marks[i];
      const Vec3 e = local_axes(to_geodetic(land.truth[i])) * (m.position.xyz - land.truth[i]);
      up += e.z() * e.z() / m.network_cov_enu(2, 2);
      const double h = to_geodetic(m.position.xyz).h - in.marks[i].undulation - m.geoid_correction - land.height[i];
      const double q = h * h / (m.height_sd * m.height_sd);
      physical += q, in95 += q < 3.841;
      ++count;
    }
  }
  CHECK(up / count == Approx(1).margin(0.1));
  CHECK(physical / count == Approx(1).margin(0.1));
  CHECK(in95 / static_cast<double>(count) == Approx(0.95).margin(0.02));
  CHECK(failed < 0.10 * seeds);
  CHECK(geoid < 0.02 * seeds);
}

TEST_CASE("a geoid taken as errorless contradicts the levels") {
  int failed = 0;
  const int seeds = 60;
  for (int k = 0; k < seeds; ++k) {
    Land land(static_cast<std::uint64_t>(7000 + k));
    NetworkInput in = land.measure();
    in.geoid->sd = 1e-4;
    failed += !adjust_network(in, {}).adjustment.passes;
  }
  CHECK(failed >= 0.9 * seeds);
}

TEST_CASE("held physical heights come out as they were held, whatever the geoid") {
  Land land(11);
  NetworkInput in = land.measure();
  const NetworkResult r = adjust_network(in, {});
  for (std::size_t i : {std::size_t{3}, std::size_t{10}}) {
    const double h = to_geodetic(in.marks[i].position.xyz).h - in.marks[i].undulation;
    const AdjustedMark &m = r.marks[i];
    CHECK(to_geodetic(m.position.xyz).h - in.marks[i].undulation - m.geoid_correction == Approx(h).margin(1e-6));
    CHECK(m.height_sd == Approx(0.002).epsilon(1e-6)); // its own published uncertainty, nothing else
    CHECK(std::abs(m.geoid_correction) > 1e-4);
  }
  // The surface is a check of the grid by itself.
  const auto geoid = std::find_if(r.adjustment.tests.begin(), r.adjustment.tests.end(),
                                  [](const BlockTest &t) { return t.kind == "geoid"; });
  REQUIRE(geoid != r.adjustment.tests.end());
  CHECK(geoid->passes);
  // Order does not matter.
  std::reverse(in.levels.begin(), in.levels.end());
  std::reverse(in.vectors.begin(), in.vectors.end());
  const NetworkResult again = adjust_network(in, {});
  for (std::size_t i = 0; i < r.marks.size(); ++i)
    CHECK((again.marks[i].position.xyz - r.marks[i].position.xyz).norm() < 1e-8);
  // What a mark follows: levels are among it.
  const auto follows = influences_on(r, "M5");
  CHECK(follows.count("d4") == 1);
  CHECK(follows.count("held M3") == 1);
}

TEST_CASE("marks that only levels lead to, and groups that only levels join") {
  Land land(12);
  NetworkInput in = land.measure();
  // M13 loses its vectors: its place is a guess, its height comes from the levels alone.
  std::erase_if(in.vectors, [](const auto &v) { return v.from == "M13" || v.to == "M13"; });
  in.marks[13].plan_known = false;
  in.marks[13].position.xyz += Vec3(300, -200, 150);
  const NetworkResult r = adjust_network(in, {});
  const AdjustedMark &m = r.marks[13];
  const double h = to_geodetic(m.position.xyz).h - in.marks[13].undulation - m.geoid_correction;
  CHECK(h == Approx(land.height[13]).margin(4 * m.height_sd));
  CHECK(m.cov_enu(0, 0) == 0);
  CHECK(m.levels == 1);
  // Without a stated accuracy of the geoid nothing joins them.
  in.geoid->sd = 0;
  CHECK_THROWS_WITH(adjust_network(in, {}), Contains("no stated accuracy"));
  // Levels with nothing that holds a height.
  NetworkInput loose;
  loose.geoid = GeoidPrior{0.1, 1e4};
  for (const char *name : {"P", "Q"}) {
    NetworkMark k;
    k.name = name, k.plan_known = false;
    k.position = {land.truth[0], frame, 2026.36};
    loose.marks.push_back(k);
  }
  loose.levels = {{"x", "P", "Q", "", 1.0, 0.001, 1000}};
  CHECK_THROWS_WITH(adjust_network(loose, {}), Contains("in height"));
}
