#pragma once
#include "judgement/doubts.h"
#include "network/mistakes.h"

namespace ampletie {

/// What would make everything agree, in words.
struct NetworkCause {
  Explanation explanation;
  std::string mistake; ///< "the height of the antenna in R07 05-12 08:00 was entered 83 mm too large: …"
  std::string effect;  ///< what was tried: which tests pass then, and what it moves
  Section section = Section::network;
  Thing thing; ///< of the first mistake: where to go
  std::vector<Correction> corrections;

  std::string sentence() const { return mistake + " (" + effect + ")"; }
};
/// Of a network whose tests fail, best first (`explain_network`). Names those vectors, levels, set-ups and marks as
/// people know them; sizes that a usual mistake explains are named so. Throws `InputError` as adjusting does.
std::vector<NetworkCause> network_causes(const JobSnapshot &s, const NetworkRun &run);

} // namespace ampletie
