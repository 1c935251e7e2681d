#pragma once
#include "job/traverse_tests.h"
#include "job/traverses.h"

namespace ampletie {

/// Mistakes that would explain what of `r.tests` fails, each tried on the set-ups that are concerned and on what hangs
/// on them; the one that clears most first. Tried: names of two targets exchanged, another name, target and instrument
/// heights (those of other set-ups, or what the difference asks for), prism constants, pressures left in, a pointing
/// left out, a set-up left out.
std::vector<TraverseCause> explain_traverses(const TraverseReport &r, const JobState &state, const KnownPlaces &known,
                                             const JobDatum *datum);

} // namespace ampletie
