#pragma once
#include "publication/figures.h"
#include "results/levels.h"

namespace ampletie {

/// What a height of a single line is worth.
inline std::string height_state(const LevelLine &l, const LineHeight &h) {
  return h.known ? "known" : l.known.empty() ? "from zero" : "provisional";
}

} // namespace ampletie
