// Reading RINEX 3 against what the same machine does with the same bytes: finding line ends (a bound) and converting
// the numbers with the C library.
#include "base/text.h"
#include "formats/rinex_observation.h"
#include "numbers.h"
#include <benchmark/benchmark.h>
#include <cstring>

using namespace ampletie;

static const std::string &text() {
  static const std::string t = gunzip(read_file(AMPLETIE_SOURCE_DIR "/demo/data/R11-s1.rnx.gz"));
  return t;
}

static void read_observations(benchmark::State &state) {
  for (auto _ : state) benchmark::DoNotOptimize(read_rinex_observation(text()).values.size());
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations()) * static_cast<std::int64_t>(text().size()));
}
BENCHMARK(read_observations);

static void numbers_with_strtod(benchmark::State &state) {
  for (auto _ : state) benchmark::DoNotOptimize(numbers_by_strtod(text()));
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations()) * static_cast<std::int64_t>(text().size()));
}
BENCHMARK(numbers_with_strtod);

static void line_ends(benchmark::State &state) {
  for (auto _ : state) {
    std::size_t n = 0;
    const char *p = text().data(), *end = p + text().size();
    while (p < end && (p = static_cast<const char *>(std::memchr(p, '\n', static_cast<std::size_t>(end - p)))))
      ++n, ++p;
    benchmark::DoNotOptimize(n);
  }
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations()) * static_cast<std::int64_t>(text().size()));
}
BENCHMARK(line_ends);
