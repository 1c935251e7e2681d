// Statistics of tracks by kind: track_statistics KIND FIRST_SEED COUNT [-v]
#include "support/tracks.h"
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fmt/format.h>

int main(int argc, char **argv) {
  using namespace ampletie::testing;
  if (argc < 4) {
    std::fprintf(stderr, "usage: track_statistics KIND FIRST_SEED COUNT [-v]\n");
    return 2;
  }
  const bool talk = argc > 4 && std::strcmp(argv[4], "-v") == 0;
  TrackTally all;
  const auto first = std::strtoull(argv[2], nullptr, 10);
  for (unsigned long long seed = first; seed < first + std::strtoull(argv[3], nullptr, 10); ++seed) {
    const auto o = run_track(track_stratum(argv[1]), seed);
    all.add(*o);
    if (!talk) continue;
    TrackTally own;
    own.add(*o);
    std::printf("%llu: %s\n", seed, own.line().c_str());
    for (const auto &n : o->solution->track.notes) std::printf("   %s\n", n.c_str());
    std::fflush(stdout);
  }
  std::printf("%s\n", all.line().c_str());
}
