// Sessions of many rovers: in one filter, and leg by leg, against the static vectors of the same rovers.
#include "support/sessions.h"
#include "gnss/static/session_solution.h"
#include <benchmark/benchmark.h>
#include <map>

using namespace ampletie;
using namespace ampletie::testing;

static const PreparedSession &session_of(int rovers) {
  static std::map<int, PreparedSession> kept;
  const auto it = kept.find(rovers);
  return it != kept.end() ? it->second
                          : kept.emplace(rovers, prepare_session(stratum("short"), 640001, rovers)).first->second;
}

static void vectors_alone(benchmark::State &state) {
  const PreparedSession &p = session_of(static_cast<int>(state.range(0)));
  for (auto _ : state)
    for (std::size_t k = 1; k < p.models.size(); ++k)
      benchmark::DoNotOptimize(solve_static(p.models[0], p.models[k], *p.orbits, {}, {}, {}).d);
}
BENCHMARK(vectors_alone)->Arg(6)->Arg(24)->Arg(48)->Unit(benchmark::kMillisecond);

static void in_one_filter(benchmark::State &state) {
  const PreparedSession &p = session_of(static_cast<int>(state.range(0)));
  const auto legs = p.legs(p.vectors.size());
  for (auto _ : state) benchmark::DoNotOptimize(solve_jointly(p.models[0], legs, *p.orbits, {}, {}).cov.data());
}
BENCHMARK(in_one_filter)->Arg(3)->Arg(6)->Arg(12)->Unit(benchmark::kMillisecond);

static void leg_by_leg(benchmark::State &state) {
  const PreparedSession &p = session_of(static_cast<int>(state.range(0)));
  const auto legs = p.legs(p.vectors.size());
  for (auto _ : state) benchmark::DoNotOptimize(solve_by_legs(p.models[0], legs, *p.orbits, {}, {}).cov.data());
}
BENCHMARK(leg_by_leg)->Arg(3)->Arg(6)->Arg(12)->Arg(24)->Arg(48)->Unit(benchmark::kMillisecond);
