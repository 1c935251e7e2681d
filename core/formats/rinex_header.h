#pragma once
#include "base/error.h"
#include "base/text.h"
#include <string>
#include <string_view>

namespace ampletie::rinex {

inline std::string_view label(std::string_view line) { return trimmed(field(line, 60, 20)); }
inline std::string text(std::string_view line, std::size_t from, std::size_t length) {
  return std::string(trimmed(field(line, from, length)));
}
/// A required number of a header or record field.
inline double number(std::string_view line, std::size_t from, std::size_t length, long at, const char *what) {
  const auto v = parse_number(field(line, from, length));
  if (!v) throw InputError({}, at, std::string(what) + " is missing or not a number", static_cast<long>(from) + 1);
  return *v;
}
inline int whole(std::string_view line, std::size_t from, std::size_t length, long at, const char *what) {
  const auto v = parse_integer(field(line, from, length));
  if (!v)
    throw InputError({}, at, std::string(what) + " is missing or not a whole number", static_cast<long>(from) + 1);
  return static_cast<int>(*v);
}
/// A header line: content padded to 60 columns, then its label.
inline std::string header_line(std::string content, std::string_view name) {
  content.resize(60, ' ');
  return content + std::string(name) + "\n";
}

} // namespace ampletie::rinex
