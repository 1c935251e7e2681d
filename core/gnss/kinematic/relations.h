#pragma once
#include "gnss/model/arcs.h"
#include <cstdint>
#include <string>
#include <vector>

namespace ampletie {

/// What is known of the integers of an arc: it differs from the real number that its component (arcs of one system and
/// band) shares by `cycles` whole cycles.
struct ArcRelation {
  int component = -1; ///< −1: real
  std::int64_t cycles = 0;
  bool weak = false; ///< accepted once, as the arc ended; it counts where the other direction says the same
};
using Relations = std::vector<ArcRelation>; ///< by arc

/// Puts together what the two directions found. Arcs of which they say different things stay real, so do those that
/// only one of them accepted weakly. `contradicted` counts arcs of which they said different things.
Relations reconcile(const std::vector<CarrierArc> &arcs, const Relations &forward, const Relations &backward,
                    int &contradicted);

} // namespace ampletie
