#include "formats/rinex_clock.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/rinex_header.h"
#include <fmt/format.h>

namespace ampletie {
using namespace rinex;

ClockFile read_rinex_clock(std::string_view text_in) {
  ClockFile f;
  LineReader in(text_in);
  std::string_view line;
  bool header = true, first = true;
  double offset = 0; // from the file's time system to GPS time
  while (in.next(line)) {
    const long at = in.number();
    if (first) {
      // Version 3.04 moved the labels by five columns.
      if (line.find("RINEX VERSION / TYPE") == std::string_view::npos || line.find('C') == std::string_view::npos)
        throw InputError({}, at, "not a RINEX clock file");
      const double version = number(line, 0, 9, at, "the version");
      if (version < 2 || version >= 3.05)
        throw InputError({}, at, fmt::format("version {:.2f} of clock files is not read; 2.00 to 3.04 are", version));
      first = false;
      continue;
    }
    if (header) {
      if (line.find("TIME SYSTEM ID") != std::string_view::npos) {
        const std::string system(trimmed(line.substr(0, 9)));
        if (system == "BDT" || system == "BDS")
          offset = 14;
        else if (system != "GPS" && system != "GAL" && system != "QZS" && !system.empty())
          throw InputError({}, at, "clocks in the time system " + system + " are not read; GPS, GAL, QZS and BDT are");
      }
      header = line.find("END OF HEADER") == std::string_view::npos;
      continue;
    }
    if (line.size() < 3 || trimmed(line).empty()) continue;
    const auto kind = line.substr(0, 3);
    if (kind == "AR ") ++f.stations;
    if (kind != "AS ") continue;
    std::vector<std::string_view> word;
    for (std::size_t i = 3; i < line.size();) {
      while (i < line.size() && line[i] == ' ') ++i;
      std::size_t end = i;
      while (end < line.size() && line[end] != ' ') ++end;
      if (end > i) word.push_back(line.substr(i, end - i));
      i = end;
    }
    if (word.size() < 9) throw InputError({}, at, "a satellite's clock record is cut off");
    const auto sat = parse_sat(word[0]);
    if (!sat) throw InputError({}, at, "a satellite was expected here", 4);
    Calendar c;
    std::array<long, 5> part{};
    for (std::size_t i = 0; i < 5; ++i) {
      const auto v = parse_integer(word[1 + i]);
      if (!v) throw InputError({}, at, "the time of a clock record is not a number");
      part[i] = *v;
    }
    const auto second = parse_number(word[6]);
    std::string value(word[8]);
    for (char &x : value)
      if (x == 'D' || x == 'd') x = 'E';
    const auto clock = parse_number(value);
    if (!second || !clock || std::abs(*clock) > 1) throw InputError({}, at, "a clock value is not a number of seconds");
    if (part[0] < 1980 || part[0] > 2200 || part[1] < 1 || part[1] > 12 || part[2] < 1 || part[2] > 31 || part[3] < 0 ||
        part[3] > 24 || part[4] < 0 || part[4] > 59 || *second < 0 || *second >= 61)
      throw InputError({}, at, "the time of a clock record is impossible");
    c.year = static_cast<int>(part[0]), c.month = static_cast<int>(part[1]), c.day = static_cast<int>(part[2]);
    c.hour = static_cast<int>(part[3]), c.minute = static_cast<int>(part[4]), c.second = *second;
    auto &list = f.satellites[*sat];
    const GpsTime t = gps_time(c) + offset;
    if (!list.empty() && t < list.back().first)
      throw InputError({}, at, "the clock record is earlier than the one before it");
    if (list.empty() || t > list.back().first) list.emplace_back(t, *clock);
  }
  if (first) throw InputError({}, 0, "the file is empty");
  if (header) throw InputError({}, in.number(), "the header does not end: the file is cut off");
  if (f.satellites.empty()) throw InputError({}, in.number(), "the file holds no satellite clocks");
  return f;
}

} // namespace ampletie
