#pragma once
#include "results/network_run.h"

namespace ampletie {

/// What an adjusted mark reaches of what is asked of it; 95 % values in m.
struct AccuracyVerdict {
  AskedAccuracy asked;
  double plan95 = 0, height95 = 0; ///< reached, of the kind that is asked for; NaN: not determined
  bool physical = false;           ///< the height is the physical one that is issued, else the ellipsoidal one
  bool plan_fails = false, height_fails = false;
  /// A physical height is asked for, and nobody states how good the geoid's grid is: neither reached nor not.
  bool height_undetermined = false;
  std::vector<std::string> causes; ///< of what fails, each found by comparing figures
  bool fails() const { return plan_fails || height_fails; }
  bool reached() const { return !fails() && !height_undetermined; }
};

/// Compares what is asked with what the network gives. A held mark is as good as it was published; nothing is asked of
/// it. Where no levels say more, a physical height carries the stated uncertainty of the geoid's grid.
AccuracyVerdict accuracy_verdict(const JobState &state, const NetworkRun &run, const AdjustedMark &m);

/// "plan 24 mm, 20 mm asked; height …" of what fails, in words.
std::string shortfall(const AccuracyVerdict &v);

} // namespace ampletie
