#pragma once
#include <cmath>
#include <fmt/format.h>
#include <string>

namespace ampletie {

/// A number with its decimals; nothing for what was not measured.
inline std::string fixed(double x, int decimals) {
  return std::isfinite(x) ? fmt::format("{:.{}f}", x, decimals) : std::string();
}
/// Millimetres with one decimal.
inline std::string mm(double metres) { return fixed(metres * 1000, 1); }

} // namespace ampletie
