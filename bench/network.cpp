// Networks of 100, 1,000 and 10,000 marks in several shapes. The selected inverse is quoted against the numerical
// factorisation of the same matrix, the factorisation against Eigen's SimplicialLLT.
#include "network/influence.h"
#include "network_shapes.h"
#include <Eigen/Sparse>
#include <benchmark/benchmark.h>
#include <sys/resource.h>

using namespace ampletie;
using namespace ampletie::bench;

static void adjust_whole(benchmark::State &state) {
  const NetworkInput in = network(static_cast<int>(state.range(0)), static_cast<Shape>(state.range(1)));
  std::size_t fill = 0;
  for (auto _ : state) fill = adjust_network(in, {}).adjustment.normals->factor_nonzeros();
  state.counters["factor_nonzeros"] = static_cast<double>(fill);
  rusage used{};
  getrusage(RUSAGE_SELF, &used);
  state.counters["peak_MB"] = static_cast<double>(used.ru_maxrss) / 1024;
}
BENCHMARK(adjust_whole)
    ->ArgsProduct({{100, 1000, 10000}, {mesh, star, sessions}})
    ->Args({100000, mesh})
    ->Unit(benchmark::kMillisecond);

/// What an error that no test finds would do to every mark, after the adjustment.
static void external_reliability_of_all(benchmark::State &state) {
  const NetworkResult r =
      adjust_network(network(static_cast<int>(state.range(0)), static_cast<Shape>(state.range(1))), {});
  for (auto _ : state) benchmark::DoNotOptimize(largest_undetected(r).size());
}
BENCHMARK(external_reliability_of_all)
    ->ArgsProduct({{100, 1000, 10000}, {mesh, star, sessions}})
    ->Unit(benchmark::kMillisecond);

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
