#pragma once
#include <string>

namespace ampletie::testing {

/// A line of a header as RINEX and its relatives write it: the label from column 61 on.
inline std::string header_line(std::string text, const std::string &label) {
  text.resize(60, ' ');
  return text + label + "\n";
}

} // namespace ampletie::testing
