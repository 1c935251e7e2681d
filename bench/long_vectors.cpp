// Six vectors of 130 to 450 km, four hours at 30 s, from precise orbits, on two threads, after reading: against one
// triangular product per observation of a state of their size, the arithmetic that cannot be avoided.
#include "support/strata.h"
#include <Eigen/Dense>
#include <benchmark/benchmark.h>
#include <thread>

using namespace ampletie;
using namespace ampletie::testing;

struct LongPair {
  const Judged *judged;
  const PreciseOrbits *orbits;
  std::string mark;
};
struct LongSessions {
  std::vector<Judged> judged;
  std::vector<std::unique_ptr<PreciseOrbits>> orbits;
  std::vector<LongPair> pairs;
  LongSessions() {
    judged.reserve(2);
    for (std::uint64_t seed : {31001, 31002}) {
      const sky::Scenario s = scenario_of(stratum("long"), seed);
      judged.push_back(judge(s));
      orbits.push_back(std::make_unique<PreciseOrbits>(std::vector<Sp3File>{judged.back().campaign.orbits}));
      for (const auto &u : s.sessions[0].setups)
        if (u.mark != "BASE") pairs.push_back({&judged.back(), orbits.back().get(), u.mark});
    }
  }
};
static const LongSessions &sessions() {
  static const LongSessions s;
  return s;
}

static void six_long_vectors(benchmark::State &state) {
  const LongSessions &s = sessions();
  for (auto _ : state) {
    // Occupations first, shared by their vectors, then the vectors; both on two threads.
    std::map<std::pair<const Judged *, std::string>, OccupationModel> models;
    std::vector<std::pair<const LongPair *, std::string>> work;
    for (const LongPair &p : s.pairs) {
      if (models.emplace(std::pair(p.judged, "BASE"), OccupationModel{}).second) work.emplace_back(&p, "BASE");
      models[{p.judged, p.mark}] = {};
      work.emplace_back(&p, p.mark);
    }
    auto both = [](std::size_t n, const auto &body) {
      std::thread other([&] {
        for (std::size_t i = 1; i < n; i += 2) body(i);
      });
      for (std::size_t i = 0; i < n; i += 2) body(i);
      other.join();
    };
    both(work.size(), [&](std::size_t i) {
      const auto &[p, mark] = work[i];
      models.at({p->judged, mark}) =
          model_occupation(p->judged->file(mark, "s"), *p->orbits, p->judged->marker.at(mark + "/s"), {}, {}, {});
    });
    both(s.pairs.size(), [&](std::size_t i) {
      const LongPair &p = s.pairs[i];
      benchmark::DoNotOptimize(
          solve_static(models.at({p.judged, "BASE"}), models.at({p.judged, p.mark}), *p.orbits, {}, {}, {}).d);
    });
  }
}
BENCHMARK(six_long_vectors)->Unit(benchmark::kMillisecond)->UseRealTime();

static void updates_of_their_size(benchmark::State &state) {
  // 480 epochs, 9 satellites, two carriers and two codes; 60 unknowns; six vectors on two threads.
  auto run = [] {
    Eigen::MatrixXd p = Eigen::MatrixXd::Identity(60, 60);
    const Eigen::VectorXd g = Eigen::VectorXd::Constant(60, 1e-6);
    for (int i = 0; i < 3 * 480 * 36; ++i) p.selfadjointView<Eigen::Lower>().rankUpdate(g, -1);
    benchmark::DoNotOptimize(p.data());
  };
  for (auto _ : state) {
    std::thread other(run);
    run();
    other.join();
  }
}
BENCHMARK(updates_of_their_size)->Unit(benchmark::kMillisecond)->UseRealTime();
