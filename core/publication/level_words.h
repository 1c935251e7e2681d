#pragma once
#include "job/levels.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {

/// A number with its decimals; nothing for what was not measured.
inline std::string fixed(double x, int decimals) {
  return std::isfinite(x) ? fmt::format("{:.{}f}", x, decimals) : std::string();
}
/// What a height of a single line is worth.
inline std::string height_state(const LevelLine &l, const LineHeight &h) {
  return h.known ? "known" : l.known.empty() ? "from zero" : "provisional";
}

} // namespace ampletie
