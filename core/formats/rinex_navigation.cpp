#include "formats/rinex_navigation.h"
#include "formats/rinex_header.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
using namespace rinex;

int lines_after(char system) { return system == 'R' || system == 'S' ? 3 : 7; }

Ephemeris from_record(SatId sat, GpsTime toc, const double (&v)[31], long line) {
  Ephemeris e;
  e.sat = sat;
  e.toc = toc;
  e.line = line;
  e.af0 = v[0], e.af1 = v[1], e.af2 = v[2];
  e.iode = static_cast<int>(v[3]), e.crs = v[4], e.delta_n = v[5], e.m0 = v[6];
  e.cuc = v[7], e.ecc = v[8], e.cus = v[9], e.sqrt_a = v[10];
  e.cic = v[12], e.omega0 = v[13], e.cis = v[14];
  e.i0 = v[15], e.crc = v[16], e.omega = v[17], e.omega_dot = v[18];
  e.idot = v[19], e.source = static_cast<int>(v[20]);
  const int week = static_cast<int>(v[21]);
  e.toe = gps_time(week, v[11]);
  e.accuracy = v[23];
  e.health = static_cast<int>(v[24]);
  e.group_delay = v[25];
  e.group_delay_2 = sat.system == 'E' ? v[26] : 0;
  e.transmitted = gps_time(week, v[27]);
  return e;
}
} // namespace

NavigationFile read_rinex_navigation(std::string_view text_in) {
  NavigationFile f;
  LineReader in(text_in);
  std::string_view line;
  bool first = true, ended = false;
  while (!ended && in.next(line)) {
    const long at = in.number();
    const auto name = label(line);
    if (first) {
      if (name != "RINEX VERSION / TYPE") throw InputError({}, at, "not a RINEX file: the first line names no version");
      f.version = number(line, 0, 9, at, "the RINEX version");
      if (f.version < 3.0 || f.version >= 3.06)
        throw InputError({}, at, fmt::format("RINEX {:.2f} navigation is not read; 3.00 to 3.05 is", f.version));
      if (field(line, 20, 1) != "N") throw InputError({}, at, "not a navigation file", 21);
      first = false;
    } else if (name == "IONOSPHERIC CORR") {
      const auto kind = field(line, 0, 4);
      if (kind == "GPSA" || kind == "GPSB") {
        f.klobuchar.resize(8);
        for (std::size_t i = 0; i < 4; ++i)
          f.klobuchar[i + (kind == "GPSB" ? 4 : 0)] = number(line, 5 + 12 * i, 12, at, "an ionosphere coefficient");
      }
    } else if (name == "END OF HEADER")
      ended = true;
  }
  if (first) throw InputError({}, 0, "the file is empty");
  if (!ended) throw InputError({}, in.number(), "the header does not end: the file is cut off or not RINEX");

  while (in.next(line)) {
    if (trimmed(line).empty()) continue;
    const long at = in.number();
    const auto sat = parse_sat(line);
    if (!sat) throw InputError({}, at, "a satellite was expected here", 1);
    const bool used = sat->system == 'G' || sat->system == 'E';
    double v[31] = {};
    Calendar c;
    if (used) {
      c.year = whole(line, 4, 4, at, "the year");
      c.month = whole(line, 9, 2, at, "the month");
      c.day = whole(line, 12, 2, at, "the day");
      c.hour = whole(line, 15, 2, at, "the hour");
      c.minute = whole(line, 18, 2, at, "the minute");
      c.second = whole(line, 21, 2, at, "the second");
      if (c.year < 1980 || c.year > 2200 || c.month < 1 || c.month > 12 || c.day < 1 || c.day > 31)
        throw InputError({}, at, "the record's date is impossible");
      for (std::size_t i = 0; i < 3; ++i) v[i] = number(line, 23 + 19 * i, 19, at, "a clock coefficient");
    }
    for (int row = 0; row < lines_after(sat->system); ++row) {
      if (!in.next(line)) throw InputError({}, in.number(), "the file ends inside the record of " + sat->name());
      if (!used) continue;
      for (std::size_t i = 0; i < 4; ++i) {
        const auto piece = trimmed(field(line, 4 + 19 * i, 19));
        const auto index = static_cast<std::size_t>(3 + 4 * row) + i;
        if (piece.empty()) {
          if (row < 5) throw InputError({}, in.number(), "an orbit element is missing", static_cast<long>(5 + 19 * i));
          continue; // trailing fields may be left out
        }
        const auto value = parse_number(piece);
        if (!value)
          throw InputError({}, in.number(), "an orbit element is not a number", static_cast<long>(5 + 19 * i));
        v[index] = *value;
      }
    }
    if (!used) {
      ++f.skipped;
      continue;
    }
    if (v[10] < 1000 || v[10] > 10000 || v[8] < 0 || v[8] >= 1 || v[11] < 0 || v[11] > 604800 || v[21] < 0 ||
        v[21] > 20000)
      throw InputError({}, at, "the orbit of " + sat->name() + " is impossible");
    f.ephemerides.push_back(from_record(*sat, gps_time(c), v, at));
  }
  if (f.ephemerides.empty() && f.skipped == 0) throw InputError({}, in.number(), "the file holds no ephemerides");
  return f;
}

std::string write_rinex_navigation(const NavigationFile &f) {
  std::string out = header_line(fmt::format("{:9.2f}{:11}{:<20}{:<20}", 3.05, "", "N: GNSS NAV DATA", "M: MIXED"),
                                "RINEX VERSION / TYPE");
  out += header_line("ample simulate", "PGM / RUN BY / DATE");
  if (f.klobuchar.size() == 8)
    for (std::size_t k = 0; k < 2; ++k)
      out += header_line(fmt::format("{} {:12.4E}{:12.4E}{:12.4E}{:12.4E}", k ? "GPSB" : "GPSA", f.klobuchar[4 * k],
                                     f.klobuchar[4 * k + 1], f.klobuchar[4 * k + 2], f.klobuchar[4 * k + 3]),
                         "IONOSPHERIC CORR");
  out += header_line("", "END OF HEADER");
  for (const Ephemeris &e : f.ephemerides) {
    const Calendar c = calendar(e.toc);
    auto row = [&](double a, double b, double d, double g) {
      out += fmt::format("    {:19.12E}{:19.12E}{:19.12E}{:19.12E}\n", a, b, d, g);
    };
    out += fmt::format("{} {:04} {:02} {:02} {:02} {:02} {:02}{:19.12E}{:19.12E}{:19.12E}\n", e.sat.name(), c.year,
                       c.month, c.day, c.hour, c.minute, static_cast<int>(c.second), e.af0, e.af1, e.af2);
    row(e.iode, e.crs, e.delta_n, e.m0);
    row(e.cuc, e.ecc, e.cus, e.sqrt_a);
    row(e.toe.time_of_week(), e.cic, e.omega0, e.cis);
    row(e.i0, e.crc, e.omega, e.omega_dot);
    row(e.idot, e.source, e.toe.week(), 0);
    row(e.accuracy, e.health, e.group_delay, e.sat.system == 'E' ? e.group_delay_2 : e.iode);
    row(e.transmitted - gps_time(e.toe.week(), 0), e.sat.system == 'E' ? 0 : 4, 0, 0);
  }
  return out;
}

} // namespace ampletie
