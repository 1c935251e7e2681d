// 50,000 sights in 500 runs: read through a recipe, cut into set-ups, reduced and closed; against finding the line ends
// and converting the numbers of the same text with the C library.
#include "formats/recipe_reading.h"
#include "levelling/line.h"
#include "numbers.h"
#include <benchmark/benchmark.h>
#include <fmt/format.h>

using namespace ampletie;

static const std::string &text() {
  static const std::string t = [] {
    std::string s = "unit;m\n";
    unsigned x = 1;
    auto reading = [&] { return 0.3 + 2.4 * static_cast<double>((x = x * 1664525 + 1013904223) >> 8) / (1 << 24); };
    for (int run = 0; run < 500; ++run) {
      s += fmt::format("run;L{};DL7;A\n", run);
      for (int k = 0; k < 50; ++k)
        s += fmt::format("s;{};B;{:.5f};32.10;08:00:00;1;\ns;{};F;{:.5f};31.90;08:00:30;1;\n", k ? "" : "A", reading(),
                         k == 49 ? "A" : "", reading());
      s += "end\n";
    }
    return s;
  }();
  return t;
}

static std::vector<LevelRun> runs(const RecipeReading &q) {
  std::vector<LevelRun> out;
  for (const RecipeRecord &r : q.records) {
    if (r.what == RecipeLine::What::run_start) out.emplace_back();
    if (r.what != RecipeLine::What::record) continue;
    StaffSight s;
    s.kind = r.find("kind")->text == "back" ? SightKind::back : SightKind::fore;
    if (const auto *m = r.find("mark")) s.mark = m->text;
    s.reading = r.find("reading")->number, s.distance = r.find("distance")->number;
    out.back().sights.push_back(std::move(s));
  }
  return out;
}

static void open_reduce_close(benchmark::State &state) {
  for (auto _ : state) {
    double sum = 0;
    for (const LevelRun &r : runs(read_with(shipped_recipes()[0], text())))
      for (const Misclosure &m : misclosures(reduce_run(r, find_setups(r)), {}, {}, {})) sum += m.value;
    benchmark::DoNotOptimize(sum);
  }
}
BENCHMARK(open_reduce_close)->Unit(benchmark::kMillisecond);

static void numbers_with_strtod(benchmark::State &state) {
  for (auto _ : state) benchmark::DoNotOptimize(numbers_by_strtod(text()));
}
BENCHMARK(numbers_with_strtod)->Unit(benchmark::kMillisecond);
