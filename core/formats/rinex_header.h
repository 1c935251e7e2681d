#pragma once
#include "base/error.h"
#include "base/text.h"
#include "time/gps_time.h"
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
/// An instant from calendar fields, checked for what no calendar holds.
inline GpsTime checked_time(const Calendar &c, long at) {
  if (c.year < 1980 || c.year > 2200 || c.month < 1 || c.month > 12 || c.day < 1 || c.day > 31 || c.hour < 0 ||
      c.hour > 24 || c.minute < 0 || c.minute > 59 || c.second < 0 || c.second >= 61)
    throw InputError({}, at, "the epoch's date is impossible");
  return gps_time(c);
}
/// An instant in the six columns of headers: year, month, day, hour and minute of six characters each, then the second.
inline GpsTime header_time(std::string_view line, long at) {
  Calendar c;
  c.year = whole(line, 0, 6, at, "the year");
  c.month = whole(line, 6, 6, at, "the month");
  c.day = whole(line, 12, 6, at, "the day");
  c.hour = whole(line, 18, 6, at, "the hour");
  c.minute = whole(line, 24, 6, at, "the minute");
  c.second = number(line, 30, 13, at, "the second");
  return checked_time(c, at);
}
/// A header line: content padded to 60 columns, then its label.
inline std::string header_line(std::string content, std::string_view name) {
  content.resize(60, ' ');
  return content + std::string(name) + "\n";
}

} // namespace ampletie::rinex
