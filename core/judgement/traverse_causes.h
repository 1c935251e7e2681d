#pragma once
#include "judgement/traverse_tests.h"
#include "results/traverses.h"

namespace ampletie {

/// A single mistake that was tried, and what it clears.
struct TraverseCause {
  std::string sentence;             ///< a clause: "the target height at T06 to T07 is 1.750 m, not 1.300 m"
  std::vector<std::string> cleared; ///< ids of tests that fail before and pass after
  double gain = 0;                  ///< how much less fails, in powers of ten of value over limit
  double effect = 0;                ///< m
  /// The decisions that would put it right.
  std::string verb = "set";
  std::vector<std::pair<std::string, nlohmann::json>> decisions; ///< target, value
};

/// What is thought of everything that total stations say by themselves.
struct TraverseFindings {
  std::vector<TraverseTest> tests;   ///< all that should agree
  std::vector<TraverseCause> causes; ///< what would explain those that fail, best first
};

/// Judges a report. Mistakes that would explain what of its tests fails are each tried on the set-ups that are
/// concerned and on what hangs on them; the one that clears most comes first. Tried: names of two targets exchanged,
/// another name, target and instrument heights (those of other set-ups, or what the difference asks for), prism
/// constants, pressures left in, a pointing left out, a set-up left out. `datum` may be null.
TraverseFindings judge_traverses(const TraverseReport &r, const JobState &state, const KnownPlaces &known,
                                 const JobDatum *datum);

} // namespace ampletie
