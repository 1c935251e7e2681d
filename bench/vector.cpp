// One static vector of an hour, against the dense matrix product that moves the same number of state covariances.
#include "base/text.h"
#include "support/sky_truth.h"
#include <Eigen/Dense>
#include <benchmark/benchmark.h>

using namespace ampletie;

struct Prepared {
  testing::Judged j;
  BroadcastOrbits orbits{{}};
  OccupationModel base, rover;
  Prepared() {
    sky::Scenario s = sky::read_scenario(read_file(AMPLETIE_SOURCE_DIR "/demo/scenario.json"));
    s.sessions.resize(1);
    j = testing::judge(s);
    orbits = BroadcastOrbits(j.campaign.navigation);
    base = model("REFA");
    rover = model("R11");
  }
  OccupationModel model(const std::string &mark) const {
    return model_occupation(j.file(mark, "s1"), orbits, j.marker.at(mark + "/s1"), {}, {}, {});
  }
};
static const Prepared &prepared() {
  static const Prepared p;
  return p;
}

static void reduce_occupation(benchmark::State &state) {
  prepared(); // the simulation is not what is measured
  for (auto _ : state) benchmark::DoNotOptimize(prepared().model("R11").epochs.size());
}
BENCHMARK(reduce_occupation)->Unit(benchmark::kMillisecond);

static void solve_vector(benchmark::State &state) {
  for (auto _ : state)
    benchmark::DoNotOptimize(solve_static(prepared().base, prepared().rover, prepared().orbits, {}, {}, {}).d);
}
BENCHMARK(solve_vector)->Unit(benchmark::kMillisecond);

static void rank_one_updates(benchmark::State &state) {
  // 120 epochs, 72 observations each, 120 unknowns: the arithmetic of the filter alone.
  Eigen::MatrixXd p = Eigen::MatrixXd::Identity(120, 120);
  const Eigen::VectorXd g = Eigen::VectorXd::Constant(120, 1e-6);
  for (auto _ : state) {
    for (int i = 0; i < 120 * 72; ++i) p.noalias() -= g * g.transpose();
    benchmark::DoNotOptimize(p.data());
  }
}
BENCHMARK(rank_one_updates)->Unit(benchmark::kMillisecond);
