// Networks of 100, 1,000 and 10,000 marks in several shapes. The selected inverse is quoted against the numerical
// factorisation of the same matrix, the factorisation against Eigen's SimplicialLLT.
#include "network/network.h"
#include <Eigen/Sparse>
#include <benchmark/benchmark.h>
#include <random>

using namespace ampletie;

enum Shape { mesh, star, sessions };

static NetworkInput network(int n, Shape shape) {
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

static void adjust_whole(benchmark::State &state) {
  const NetworkInput in = network(static_cast<int>(state.range(0)), static_cast<Shape>(state.range(1)));
  std::size_t fill = 0;
  for (auto _ : state) fill = adjust_network(in, {}).adjustment.normals->factor_nonzeros();
  state.counters["factor_nonzeros"] = static_cast<double>(fill);
}
BENCHMARK(adjust_whole)->ArgsProduct({{100, 1000, 10000}, {mesh, star, sessions}})->Unit(benchmark::kMillisecond);

/// Several held marks: each is predicted from the others.
static void adjust_held(benchmark::State &state) {
  NetworkInput in = network(static_cast<int>(state.range(0)), mesh);
  const auto n = in.marks.size();
  for (std::size_t i = 1; i < static_cast<std::size_t>(state.range(1)); ++i)
    in.marks[i * n / static_cast<std::size_t>(state.range(1))].hold = Hold::full;
  for (auto _ : state) benchmark::DoNotOptimize(adjust_network(in, {}).control.size());
}
BENCHMARK(adjust_held)->ArgsProduct({{1000}, {1, 4, 16}})->Unit(benchmark::kMillisecond);

/// Normal equations of a mesh of 3 × n unknowns, lower triangle.
static std::vector<NormalEquations::Entry> entries(int n, int &size) {
  const int side = static_cast<int>(std::sqrt(n));
  size = 3 * side * side;
  std::vector<NormalEquations::Entry> out;
  auto couple = [&](int a, int b) {
    for (int i = 0; i < 3; ++i)
      for (int j = 0; j < 3; ++j) {
        out.push_back({3 * std::max(a, b) + i, 3 * std::min(a, b) + j, i == j ? -1.0 : -0.1});
        if (j <= i)
          out.push_back({3 * a + i, 3 * a + j, i == j ? 1.3 : 0.1}),
              out.push_back({3 * b + i, 3 * b + j, i == j ? 1.3 : 0.1});
      }
  };
  for (int i = 0; i < side * side; ++i) {
    if ((i + 1) % side) couple(i, i + 1);
    if (i + side < side * side) couple(i, i + side);
  }
  return out;
}

static void factorise(benchmark::State &state) {
  int size = 0;
  const auto e = entries(static_cast<int>(state.range(0)), size);
  for (auto _ : state) benchmark::DoNotOptimize(NormalEquations(size, e).factor_nonzeros());
}
BENCHMARK(factorise)->Arg(1000)->Arg(10000)->Unit(benchmark::kMillisecond);

static void selected_inverse(benchmark::State &state) {
  int size = 0;
  const auto e = entries(static_cast<int>(state.range(0)), size);
  for (auto _ : state) {
    state.PauseTiming();
    NormalEquations n(size, e);
    state.ResumeTiming();
    n.invert();
    benchmark::DoNotOptimize(n.inverse(0, 0));
  }
}
BENCHMARK(selected_inverse)->Arg(1000)->Arg(10000)->Unit(benchmark::kMillisecond);

static void eigen_simplicial(benchmark::State &state) {
  int size = 0;
  std::vector<Eigen::Triplet<double>> t;
  for (const auto &e : entries(static_cast<int>(state.range(0)), size)) t.emplace_back(e.row, e.column, e.value);
  for (auto _ : state) {
    Eigen::SparseMatrix<double> a(size, size);
    a.setFromTriplets(t.begin(), t.end());
    Eigen::SimplicialLLT<Eigen::SparseMatrix<double>, Eigen::Lower> llt(a);
    benchmark::DoNotOptimize(llt.info());
  }
}
BENCHMARK(eigen_simplicial)->Arg(1000)->Arg(10000)->Unit(benchmark::kMillisecond);
