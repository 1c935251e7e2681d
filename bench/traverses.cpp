// 2,000 set-ups with 100,000 pointings in 100 loops: read through a recipe, reduced, closed; and one decision about a
// target height on a job that holds them. Against converting the numbers of the same text with the C library.
#include "numbers.h"
#include "open_job/job.h"
#include "support/test_job.h"
#include <benchmark/benchmark.h>
#include <cmath>
#include <fmt/format.h>

using namespace ampletie;

/// Loops of 20 stations on a circle; each sights its neighbours and three details, in five sets of two faces.
static const std::string &text() {
  static const std::string t = [] {
    std::string s = "unit;m;gon\n";
    unsigned x = 1;
    auto noise = [&] { return 4e-4 * (static_cast<double>((x = x * 1664525 + 1013904223) >> 8) / (1 << 24) - 0.5); };
    const double side = 2 * 500 * std::sin(M_PI / 20);
    for (int loop = 0; loop < 100; ++loop) {
      s += fmt::format("job;L{};S1;2026-05-{:02}\n", loop, 1 + loop % 28);
      for (int k = 0; k < 20; ++k) {
        s += fmt::format("stn;L{}.{};1.500\nair;950.0;15.0\n", loop, k);
        const auto see = [&](const std::string &mark, const char *kind, double gon, double length) {
          s += fmt::format("tgt;{};{};1.500;0.0000\n", mark, kind);
          for (int set = 1; set <= 5; ++set)
            for (int face : {1, 2})
              s += fmt::format("p;{};{};{:.5f};{:.5f};{:.4f};08:00:00\n", set, face,
                               std::fmod(gon + (face - 1) * 200 + noise() + 400, 400.0),
                               face == 1 ? 100 + noise() : 300 + noise(), length + noise());
        };
        see(fmt::format("L{}.{}", loop, (k + 19) % 20), "orientation", 10, side);
        see(fmt::format("L{}.{}", loop, (k + 1) % 20), "control", 10 + 180, side);
        for (int d = 0; d < 3; ++d) see(fmt::format("d{}.{}.{}", loop, k, d), "detail", 50 + 40 * d, 30 + d);
      }
      s += "end\n";
    }
    return s;
  }();
  return t;
}

static void read_and_reduce(benchmark::State &state) {
  for (auto _ : state) {
    const FieldBook b = read_field_book(shipped_pointing_recipes()[0], text(), "book");
    std::size_t n = 0;
    for (const StationSetup &s : b.setups) n += reduce_sets(s, {}).targets.size();
    if (b.setups.size() != 2000 || n != 10000) state.SkipWithError("not what was written");
  }
}
BENCHMARK(read_and_reduce)->Unit(benchmark::kMillisecond);

static void reduce(benchmark::State &state) {
  const FieldBook b = read_field_book(shipped_pointing_recipes()[0], text(), "book");
  for (auto _ : state) {
    std::size_t n = 0;
    for (const StationSetup &s : b.setups) n += reduce_sets(s, {}).targets.size();
    benchmark::DoNotOptimize(n);
  }
}
BENCHMARK(reduce)->Unit(benchmark::kMillisecond);

static void decide_a_target_height(benchmark::State &state) {
  testing::TemporaryFolder folder;
  Job job = Job::create(folder / "b.tie", testing::demo_settings());
  job.take_bytes({{"book.txt", text()}});
  const std::string id = job.snapshot()->traverses().field.setups[700]->setup.id;
  double h = 1.5;
  for (auto _ : state) job.decide("set", id, {{"targets", {{"L35.1", {{"height", h += 0.0001}}}}}}, "bench");
}
BENCHMARK(decide_a_target_height)->Unit(benchmark::kMillisecond);

static void numbers_with_strtod(benchmark::State &state) {
  for (auto _ : state) benchmark::DoNotOptimize(numbers_by_strtod(text()));
}
BENCHMARK(numbers_with_strtod)->Unit(benchmark::kMillisecond);
