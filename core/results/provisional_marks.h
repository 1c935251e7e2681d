#pragma once
#include "results/traverse_grid.h"
#include "results/traverses.h"

namespace ampletie {

/// Fills the provisional marks of a report: stations of the traverses where their balance puts them, free stations by
/// what they see, side shots, and marks that were only pointed at from several stations, by intersection. A mark that
/// several set-ups place takes the best of them; how far they lie apart is said, nothing is averaged.
void place_marks(TraverseReport &out, const KnownPlaces &known, const TraverseGrid &grid);

} // namespace ampletie
