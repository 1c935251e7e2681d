#pragma once
#include "base/text.h"

namespace ampletie {

/// A system's name as part of a file's.
inline std::string file_part(const std::string &name) {
  std::string out;
  for (char c : name) out += std::isalnum(static_cast<unsigned char>(c)) || c == '-' || c == '.' ? c : '_';
  return out;
}

/// Millimetres with one decimal.
inline std::string mm(double metres) { return fixed(metres * 1000, 1); }

} // namespace ampletie
