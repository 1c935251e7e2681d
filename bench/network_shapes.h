#pragma once
// Networks of many marks in several shapes, with set-ups of their own in every session.
#include "network/network.h"
#include <algorithm>
#include <cmath>
#include <random>

namespace ampletie::bench {

enum Shape { mesh, star, sessions };

inline NetworkInput network(int n, Shape shape) {
  std::mt19937_64 random(5);
  std::normal_distribution<double> normal;
  NetworkInput in;
  const Frame frame{"EPSG:7930"};
  const int side = static_cast<int>(std::ceil(std::sqrt(n)));
  for (int i = 0; i < n; ++i) {
    const Geodetic g{0.8 + 1e-4 * (i / side), 0.24 + 1e-4 * (i % side), 300};
    in.marks.push_back({"M" + std::to_string(i),
                        {to_cartesian(g), frame, 2026},
                        i == 0 ? Hold::full : Hold::none,
                        Vec3(0.001, 0.001, 0.002)});
  }
  int k = 0;
  auto add = [&](int a, int b, int session) {
    NetworkVector v;
    v.id = "v" + std::to_string(k++);
    v.from = in.marks[static_cast<std::size_t>(a)].name, v.to = in.marks[static_cast<std::size_t>(b)].name;
    v.from_setup = v.from + "/" + std::to_string(session), v.to_setup = v.to + "/" + std::to_string(session);
    v.d = in.marks[static_cast<std::size_t>(b)].position.xyz - in.marks[static_cast<std::size_t>(a)].position.xyz +
          0.003 * Vec3(normal(random), normal(random), normal(random));
    v.cov = 9e-6 * Mat3::Identity();
    v.frame = frame, v.epoch = 2026;
    in.vectors.push_back(v);
    for (const auto &[s, m] : {std::pair(v.from_setup, v.from), std::pair(v.to_setup, v.to)})
      in.setups.push_back({s, m, Vec3(0.001, 0.001, 0.001)});
  };
  if (shape == mesh) {
    for (int i = 0; i < n; ++i) {
      if ((i + 1) % side && i + 1 < n) add(i, i + 1, i % 3);
      if (i + side < n) add(i, i + side, i % 3);
    }
  } else if (shape == star) {
    for (int i = 1; i < n; ++i) add(0, i, i % 50), add(0, i, 100 + i % 50);
  } else {
    // Sessions of 20 receivers that share five marks with the next session.
    for (int first = 0, s = 0; first + 20 <= n; first += 15, ++s)
      for (int i = 1; i < 20; ++i) add(first, first + i, 2 * s), add(first + i - 1, first + i, 2 * s + 1);
    for (int i = 1; i < n; ++i) add(i - 1, i, 100000);
  }
  std::sort(in.setups.begin(), in.setups.end(), [](const auto &a, const auto &b) { return a.id < b.id; });
  in.setups.erase(
      std::unique(in.setups.begin(), in.setups.end(), [](const auto &a, const auto &b) { return a.id == b.id; }),
      in.setups.end());
  return in;
}

} // namespace ampletie::bench
