#pragma once
#include "results/traverses.h"
#include "results/vectors.h"

namespace ampletie {

/// Places of marks that traverses may hang on: held ones as published, others as vectors and levels place them. Empty
/// where nothing tells where the job is.
KnownPlaces known_places(const JobSnapshot &s, const std::vector<VectorResult> &vectors);

/// Bearings from set-ups on known marks to the published places of marks that decisions turn them to.
std::map<std::string, StartBearing> start_bearings(const JobSnapshot &s, const KnownPlaces &known,
                                                   const JobSetups &field);

} // namespace ampletie
