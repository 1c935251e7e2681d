#pragma once
#include "results/traverses.h"

namespace ampletie {

/// Lays what the field worked out beside ours: coordinates of provisional marks, misclosures of traverses. Where a
/// misclosure differs, other ways of computing are tried, and the one that gives the field's numbers is named.
void compare_with_field(TraverseReport &out, const JobState &state, const KnownPlaces &known, const JobDatum *datum);

} // namespace ampletie
