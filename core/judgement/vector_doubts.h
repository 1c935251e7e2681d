#pragma once
#include "judgement/doubt_list.h"

namespace ampletie {

/// Vectors that are not fixed, weak, noisy, short, or lack ocean loading.
void vector_doubts(DoubtList &list, const JobSnapshot &s, const std::vector<VectorResult> &vectors);

/// Loops and repeated vectors that do not close, with the mistakes that would explain all of them.
void closure_doubts(DoubtList &list, const JobSnapshot &s, const LoopReport &report);

} // namespace ampletie
