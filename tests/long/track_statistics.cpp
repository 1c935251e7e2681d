// Statistics of tracks by kind: track_statistics KIND FIRST_SEED COUNT [-v|two|forward|no-interpolation|one-carrier|gps
// …] (two: from two bases together; forward: without the way back; no-interpolation: without what a slow base costs;
// one-carrier, gps: of lean receivers; south, tropics: elsewhere on Earth)
#include "gnss/kinematic/joint_track.h"
#include "support/tracks.h"
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fmt/format.h>
#include <string>

int main(int argc, char **argv) {
  using namespace ampletie::testing;
  if (argc < 4) {
    std::fprintf(stderr, "usage: track_statistics KIND FIRST_SEED COUNT "
                         "[-v|two|forward|no-interpolation|one-carrier|gps|south|tropics …]\n");
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
  TrackExperiment experiment;
  bool talk = false;
  for (int i = 4; i < argc; ++i) {
    const std::string word = argv[i];
    if (word == "-v") talk = true;
    if (word == "forward") experiment.solve.backward = false;
    if (word == "no-interpolation") experiment.solve.interpolation_noise = false;
    if (word == "one-carrier") experiment.solve.frequencies = 1;
    if (word == "south") experiment.at = {-43.95, -176.56};
    if (word == "tropics") experiment.at = {1.4, 103.8};
    if (word == "gps") experiment.solve.systems = "G";
  }
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
