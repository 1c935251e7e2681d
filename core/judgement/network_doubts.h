#pragma once
#include "judgement/doubt_list.h"
#include "judgement/network_causes.h"

namespace ampletie {

/// What the adjusted network says: its tests, each that fails with what would explain it, marks that nothing checks,
/// check marks and accuracies that are missed, held marks that disagree, heights without an accuracy. `causes`: what
/// was tried for the network as a whole.
void network_doubts(DoubtList &list, const JobSnapshot &s, const std::vector<VectorResult> &vectors,
                    const NetworkRun &run, const std::vector<NetworkCause> &causes = {});

} // namespace ampletie
