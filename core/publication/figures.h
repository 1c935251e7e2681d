#pragma once
#include "base/text.h"

namespace ampletie {

/// Millimetres with one decimal.
inline std::string mm(double metres) { return fixed(metres * 1000, 1); }

} // namespace ampletie
