// An hour of a moving receiver, forward and backward, and the reading of its codes beside it; four systems at 1 Hz, and
// ten minutes at 10 and 20 Hz. The bound: what lasts is estimated by dense updates of some fifty numbers.
#include "support/tracks.h"
#include "base/parallel.h"
#include <benchmark/benchmark.h>

using namespace ampletie;
using namespace ampletie::testing;

namespace {
struct Data {
  Judged judged;
  std::unique_ptr<Orbits> orbits;
  sky::Scenario scenario;
};
Data &data(double minutes, double interval) {
  static std::map<std::pair<double, double>, Data> all;
  Data &d = all[{minutes, interval}];
  if (!d.orbits) {
    TrackStratum s = track_stratum("vehicle");
    s.systems = "GREC", s.minutes = minutes, s.interval = interval;
    d.scenario = scenario_of(s, 1);
    d.judged = judge(d.scenario);
    d.orbits = std::make_unique<BroadcastOrbits>(d.judged.campaign.navigation);
  }
  return d;
}
void solve_track(benchmark::State &state) {
  Data &d = data(static_cast<double>(state.range(0)), 1 / static_cast<double>(state.range(1)));
  AntennaSetup base, rover;
  base.arp_offset_enu = {0, 0, 1.2}, rover.arp_offset_enu = {0, 0, 1.9};
  std::size_t epochs = 0;
  for (auto _ : state) {
    OccupationModel b, r; // as a job does
    both_at_once([&] { r = model_track(d.judged.file("CAR", "s"), *d.orbits, rover, {}, {}); },
                 [&] {
                   b = model_occupation(d.judged.file("BASE", "b"), *d.orbits, d.judged.marker.at("BASE/b"), base, {},
                                        {});
                 });
    const auto k = solve_kinematic(b, r, *d.orbits, {}, {}, {});
    epochs += k->track.epochs.size();
    state.counters["fixed"] =
        static_cast<double>(k->track.count(TrackState::fixed)) / static_cast<double>(k->track.epochs.size());
  }
  state.counters["epochs/s"] = benchmark::Counter(static_cast<double>(epochs), benchmark::Counter::kIsRate);
}
void reduce_track(benchmark::State &state) {
  Data &d = data(static_cast<double>(state.range(0)), 1 / static_cast<double>(state.range(1)));
  for (auto _ : state) benchmark::DoNotOptimize(model_track(d.judged.file("CAR", "s"), *d.orbits, {}, {}, {}));
}
} // namespace
BENCHMARK(solve_track)->Args({60, 1})->Args({10, 10})->Args({10, 20})->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK(reduce_track)->Args({60, 1})->Unit(benchmark::kMillisecond)->UseRealTime();
