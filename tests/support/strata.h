#pragma once
#include "support/sky_truth.h"

namespace ampletie::testing {

/// A kind of static session: length × duration × sky, with how it is solved.
struct Stratum {
  std::string name, systems;
  double length_from, length_to; ///< m
  double height_range;           ///< m, of a rover against the base
  double hours, interval;
  bool precise = false, obstructed = false, third_frequency = false;
};
/// The strata of the acceptance table.
const std::vector<Stratum> &strata();
const Stratum &stratum(const std::string &name);

/// One session of a stratum: a base and up to three rovers at places drawn by the seed, between 40° and 55° north. With
/// one rover every vector is a session of its own.
sky::Scenario scenario_of(const Stratum &s, std::uint64_t seed, int rovers = 3);

/// Sums over many vectors of one stratum.
struct Tally {
  int vectors = 0, fixed = 0, partly = 0, wrong = 0, accepted = 0;
  Vec3 square = Vec3::Zero(), printed = Vec3::Zero(); ///< of the errors east north up; of their printed variances
  double nse = 0, nse_plan = 0, nse_up = 0, worst_plan = 0, worst_up = 0, fit = 0, noise = 0, slow = 0, share = 0;
  int in50 = 0, in95 = 0, in99 = 0, plan95 = 0, up95 = 0;
  void add(const Outcome &o);
  double own_plan = 0, own_up = 0; ///< normalised squared error with the set-ups' errors taken off
  Vec3 rms() const { return (square / std::max(1, vectors)).cwiseSqrt(); }
  std::string line() const;
};

/// Solves the vectors of `count` seeds from `first` on whose length lies in the stratum.
Tally run_stratum(const Stratum &s, std::uint64_t first, int count, const Experiment &e, bool talk = false,
                  int rovers = 3, bool dump = false);

} // namespace ampletie::testing
