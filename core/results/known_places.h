#pragma once
#include "results/vectors.h"

namespace ampletie {

/// Places of marks that traverses may hang on: held ones as published, others as vectors and levels place them. Empty
/// where nothing tells where the job is.
KnownPlaces known_places(const JobSnapshot &s, const std::vector<VectorResult> &vectors);

} // namespace ampletie
