// Statistics of tracks by kind: track_statistics KIND FIRST_SEED COUNT [-v|two|forward|no-interpolation]
// (two: from two bases together; forward: without the way back; no-interpolation: without what a slow base costs)
#include "gnss/kinematic/joint_track.h"
#include "support/tracks.h"
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fmt/format.h>

int main(int argc, char **argv) {
  using namespace ampletie::testing;
  if (argc < 4) {
    std::fprintf(stderr, "usage: track_statistics KIND FIRST_SEED COUNT [-v|two|forward|no-interpolation]\n");
    return 2;
  }
  if (argc > 4 && std::strcmp(argv[4], "two") == 0) {
    FixedEpochs one, other, both;
    std::size_t compared = 0, apart = 0;
    for (int k = 0; k < std::atoi(argv[3]); ++k) {
      const auto o =
          run_from_two_bases(track_stratum(argv[1]), std::strtoull(argv[2], nullptr, 10) + static_cast<unsigned>(k));
      const ampletie::JointTrack j =
          ampletie::join_tracks({{&o->from_base->track, "BASE", 0.0}, {&o->from_other->track, "OTHER", 2e-6}});
      one.add(*o, o->from_base->track), other.add(*o, o->from_other->track), both.add(*o, j.track);
      compared += j.comparisons[0].epochs, apart += j.comparisons[0].apart;
    }
    std::printf("%s\n  one:   %s\n  other: %s\n  both:  %s\n  %zu epochs compared, %zu apart\n", argv[1],
                one.line().c_str(), other.line().c_str(), both.line().c_str(), compared, apart);
    return 0;
  }
  const bool talk = argc > 4 && std::strcmp(argv[4], "-v") == 0;
  TrackExperiment experiment;
  if (argc > 4 && std::strcmp(argv[4], "forward") == 0) experiment.solve.backward = false;
  if (argc > 4 && std::strcmp(argv[4], "no-interpolation") == 0) experiment.solve.interpolation_noise = false;
  TrackTally all;
  const auto first = std::strtoull(argv[2], nullptr, 10);
  for (unsigned long long seed = first; seed < first + std::strtoull(argv[3], nullptr, 10); ++seed) {
    const auto o = run_track(track_stratum(argv[1]), seed, experiment);
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
