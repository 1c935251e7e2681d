#include "formats/rinex_navigation.h"
#include "formats/rinex_header.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
using namespace rinex;

constexpr int bdt_week = 1356; // BeiDou's week 0 in GPS weeks
constexpr double bdt_seconds = 14;

int lines_after(char system) { return system == 'R' || system == 'S' ? 3 : 7; }

Ephemeris from_record(SatId sat, GpsTime toc, const double (&v)[35], long line) {
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
  const bool bds = sat.system == 'C';
  const int week = static_cast<int>(v[21]) + (bds ? bdt_week : 0);
  const double shift = bds ? bdt_seconds : 0;
  e.toe = gps_time(week, v[11]) + shift;
  e.accuracy = v[23];
  e.health = static_cast<int>(v[24]);
  e.group_delay = v[25];
  e.group_delay_2 = sat.system == 'E' || bds ? v[26] : 0;
  e.transmitted = gps_time(week, v[27]) + shift;
  return e;
}

GlonassState glonass(SatId sat, GpsTime t, const double (&v)[35], long line) {
  GlonassState s;
  s.sat = sat;
  s.time = t;
  s.line = line;
  s.clock = v[0], s.drift = v[1];
  for (int i = 0; i < 3; ++i) {
    const auto k = static_cast<std::size_t>(3 + 4 * i);
    s.position[i] = 1000 * v[k], s.velocity[i] = 1000 * v[k + 1], s.acceleration[i] = 1000 * v[k + 2];
  }
  s.health = static_cast<int>(v[6]);
  s.channel = static_cast<int>(v[10]);
  // Some writers give the frequency number modulo 256 or 128.
  if (s.channel > 128) s.channel -= 256;
  s.age_days = static_cast<int>(v[14]);
  return s;
}

/// One record, whose first line has been read; numbers start at `indent` in the lines after it.
struct RecordReader {
  LineReader &in;
  NavigationFile &f;
  int version;

  void read(std::string_view line, SatId sat, bool used) const {
    const long at = in.number();
    const std::size_t shift = version == 2 ? 1 : 0; // columns to the left of those of version 3
    double v[35] = {};
    Calendar c;
    if (used) {
      if (version == 2) {
        c.year = whole(line, 3, 2, at, "the year");
        c.year += c.year < 80 ? 2000 : 1900;
        c.month = whole(line, 6, 2, at, "the month");
        c.day = whole(line, 9, 2, at, "the day");
        c.hour = whole(line, 12, 2, at, "the hour");
        c.minute = whole(line, 15, 2, at, "the minute");
        c.second = number(line, 17, 5, at, "the second");
      } else {
        c.year = whole(line, 4, 4, at, "the year");
        c.month = whole(line, 9, 2, at, "the month");
        c.day = whole(line, 12, 2, at, "the day");
        c.hour = whole(line, 15, 2, at, "the hour");
        c.minute = whole(line, 18, 2, at, "the minute");
        c.second = whole(line, 21, 2, at, "the second");
      }
      for (std::size_t i = 0; i < 3; ++i) v[i] = number(line, 23 - shift + 19 * i, 19, at, "a clock coefficient");
    }
    int rows = lines_after(sat.system);
    for (int row = 0; row < rows; ++row) {
      if (!in.next(line)) throw InputError({}, in.number(), "the file ends inside the record of " + sat.name());
      for (std::size_t i = 0; used && i < 4; ++i) {
        const auto from = 4 - shift + 19 * i;
        const auto piece = trimmed(field(line, from, 19));
        const auto index = static_cast<std::size_t>(3 + 4 * row) + i;
        if (piece.empty()) {
          if (row < std::min(5, rows) && !(sat.system == 'C' && row == 4))
            if (!(sat.system == 'R' && i == 3))
              throw InputError({}, in.number(), "an orbit element is missing", static_cast<long>(from + 1));
          continue; // trailing fields may be left out
        }
        const auto value = parse_number(piece);
        if (!value || std::abs(*value) > 1e30)
          throw InputError({}, in.number(), "an orbit element is not a number", static_cast<long>(from + 1));
        v[index] = *value;
      }
      if (sat.system == 'R' && row == 2 && version > 2) {
        // 3.05 may add a fourth line.
        LineReader ahead = in;
        std::string_view next;
        if (ahead.next(next) && next.substr(0, 4) == "    " && !trimmed(next).empty() && rows == 3) ++rows;
      }
    }
    if (!used) {
      ++f.skipped;
      return;
    }
    const GpsTime label = checked_time(c, at);
    if (sat.system == 'R') {
      for (int i : {6, 10, 14})
        if (std::abs(v[i]) > 1e6) throw InputError({}, at, "the record of " + sat.name() + " is impossible");
      GlonassState s = glonass(sat, gps_from_utc(label), v, at);
      const double r = s.position.norm();
      if (r < 2.0e7 || r > 3.1e7) throw InputError({}, at, "the orbit of " + sat.name() + " is impossible");
      if (s.channel < -7 || s.channel > 6) {
        // Some writers put a number of their own where a channel is not known; the other messages are as good as ever.
        ++f.without_channel;
        return;
      }
      f.glonass.push_back(s);
      return;
    }
    bool sane = v[10] > 1000 && v[10] < 10000 && v[8] >= 0 && v[8] < 1 && v[11] >= 0 && v[11] <= 604800 && v[21] >= 0 &&
                v[21] <= 20000 && std::abs(v[27]) < 1e12;
    for (int i : {3, 20, 24}) sane = sane && std::abs(v[i]) < 2e9;
    if (!sane) throw InputError({}, at, "the orbit of " + sat.name() + " is impossible");
    f.ephemerides.push_back(from_record(sat, sat.system == 'C' ? label + bdt_seconds : label, v, at));
  }
};

bool used_system(char s) { return s == 'G' || s == 'E' || s == 'C' || s == 'J' || s == 'R'; }

void coefficients(std::string_view line, long at, std::size_t from, std::size_t first, NavigationFile &f) {
  f.klobuchar.resize(8);
  for (std::size_t i = 0; i < 4; ++i)
    f.klobuchar[i + first] = number(line, from + 12 * i, 12, at, "an ionosphere coefficient");
}

void body_4(LineReader &in, NavigationFile &f) {
  std::string_view line;
  bool have = in.next(line);
  while (have) {
    if (trimmed(line).empty() || line[0] != '>') {
      if (!trimmed(line).empty()) throw InputError({}, in.number(), "a record should start here ('>')", 1);
      have = in.next(line);
      continue;
    }
    const std::string kind = text(line, 2, 3), message = text(line, 10, 4);
    const auto sat = parse_sat(field(line, 6, 3));
    const bool keplerian = message == "LNAV" || message == "INAV" || message == "FNAV" || message == "D1" ||
                           message == "D2" || message == "D1D2" || message == "FDMA";
    if (kind == "EPH" && sat && keplerian && used_system(sat->system)) {
      if (!in.next(line)) throw InputError({}, in.number(), "the file ends inside a record");
      RecordReader{in, f, 4}.read(line, *sat, true);
      have = in.next(line);
      continue;
    }
    if (kind == "ION" && sat && sat->system == 'G' && message == "LNAV") {
      std::vector<double> v;
      for (std::size_t row = 0; row < 3 && in.next(line); ++row)
        for (std::size_t i = row == 0 ? 1 : 0; i < 4 && v.size() < 8; ++i)
          v.push_back(number(line, 4 + 19 * i, 19, in.number(), "an ionosphere coefficient"));
      if (v.size() == 8) f.klobuchar = v;
      have = in.next(line);
      continue;
    }
    if (kind == "EPH") ++f.skipped;
    while ((have = in.next(line)) && (line.empty() || line[0] != '>')) {
    }
  }
}
} // namespace

NavigationFile read_rinex_navigation(std::string_view text_in) {
  NavigationFile f;
  LineReader in(text_in);
  std::string_view line;
  char only = 'G';
  auto header = [&](bool first) {
    bool ended = false;
    while (!ended && (first || in.next(line))) {
      const long at = in.number();
      const auto name = label(line);
      if (first) {
        if (name != "RINEX VERSION / TYPE")
          throw InputError({}, at, "not a RINEX file: the first line names no version");
        f.version = number(line, 0, 9, at, "the RINEX version");
        if (!((f.version >= 2.0 && f.version < 2.13) || (f.version >= 3.0 && f.version < 3.06) ||
              (f.version >= 4.0 && f.version < 4.03)))
          throw InputError(
              {}, at, fmt::format("RINEX {:.2f} navigation is not read; 2, 3.00–3.05 and 4.00–4.02 are", f.version));
        const auto type = field(line, 20, 1);
        if (f.version < 3) {
          only = type == "G" ? 'R' : type == "H" ? 'S' : type == "E" || type == "L" ? 'E' : 'G';
          if (type != "N" && only == 'G') throw InputError({}, at, "not a navigation file", 21);
        } else if (type != "N")
          throw InputError({}, at, "not a navigation file", 21);
        first = false;
      } else if (name == "IONOSPHERIC CORR") {
        const auto kind = field(line, 0, 4);
        if (kind == "GPSA" || kind == "GPSB") coefficients(line, at, 5, kind == "GPSB" ? 4 : 0, f);
      } else if (name == "ION ALPHA")
        coefficients(line, at, 2, 0, f);
      else if (name == "ION BETA")
        coefficients(line, at, 2, 4, f);
      else if (name == "END OF HEADER")
        ended = true;
    }
    if (!ended) throw InputError({}, in.number(), "the header does not end: the file is cut off or not RINEX");
  };
  if (!in.next(line)) throw InputError({}, 0, "the file is empty");
  header(true);
  if (f.version >= 4)
    body_4(in, f);
  else
    while (in.next(line)) {
      if (trimmed(line).empty()) continue;
      if (label(line) == "RINEX VERSION / TYPE") { // daily files put behind each other
        header(true);
        if (f.version >= 4) {
          body_4(in, f);
          break;
        }
        continue;
      }
      if (label(line) == "COMMENT") continue;
      std::string id(field(line, 0, 3));
      if (f.version < 3) id = fmt::format("{}{:>2}", only, trimmed(field(line, 0, 2)));
      const auto sat = parse_sat(id);
      if (!sat) throw InputError({}, in.number(), "a satellite was expected here", 1);
      RecordReader{in, f, f.version < 3 ? 2 : 3}.read(line, *sat, used_system(sat->system));
    }
  if (f.size() == 0 && f.skipped == 0) throw InputError({}, in.number(), "the file holds no ephemerides");
  return f;
}

std::string write_rinex_navigation(const NavigationFile &f) {
  std::string out = header_line(fmt::format("{:9.2f}{:11}{:<20}{:<20}", 3.05, "", "N: GNSS NAV DATA", "M: MIXED"),
                                "RINEX VERSION / TYPE");
  out += header_line("ample", "PGM / RUN BY / DATE");
  if (f.klobuchar.size() == 8)
    for (std::size_t k = 0; k < 2; ++k)
      out += header_line(fmt::format("{} {:12.4E}{:12.4E}{:12.4E}{:12.4E}", k ? "GPSB" : "GPSA", f.klobuchar[4 * k],
                                     f.klobuchar[4 * k + 1], f.klobuchar[4 * k + 2], f.klobuchar[4 * k + 3]),
                         "IONOSPHERIC CORR");
  out += header_line("", "END OF HEADER");
  auto row = [&](double a, double b, double d, double g) {
    out += fmt::format("    {:19.12E}{:19.12E}{:19.12E}{:19.12E}\n", a, b, d, g);
  };
  auto start = [&](SatId sat, GpsTime t, double a, double b, double d) {
    const Calendar c = calendar(t);
    out += fmt::format("{} {:04} {:02} {:02} {:02} {:02} {:02}{:19.12E}{:19.12E}{:19.12E}\n", sat.name(), c.year,
                       c.month, c.day, c.hour, c.minute, static_cast<int>(c.second), a, b, d);
  };
  for (const Ephemeris &e : f.ephemerides) {
    const bool bds = e.sat.system == 'C', gal = e.sat.system == 'E';
    const double shift = bds ? -bdt_seconds : 0;
    const GpsTime toe = e.toe + shift;
    const int week = toe.week() - (bds ? bdt_week : 0);
    start(e.sat, e.toc + shift, e.af0, e.af1, e.af2);
    row(e.iode, e.crs, e.delta_n, e.m0);
    row(e.cuc, e.ecc, e.cus, e.sqrt_a);
    row(toe.time_of_week(), e.cic, e.omega0, e.cis);
    row(e.i0, e.crc, e.omega, e.omega_dot);
    row(e.idot, e.source, week, 0);
    row(e.accuracy, e.health, e.group_delay, gal || bds ? e.group_delay_2 : e.iode);
    row(e.transmitted + shift - gps_time(toe.week(), 0), gal || bds ? 0 : 4, 0, 0);
  }
  for (const GlonassState &s : f.glonass) {
    const GpsTime utc = s.time + -static_cast<double>(gps_minus_utc(s.time));
    start(s.sat, utc, s.clock, s.drift, std::fmod(utc.time_of_week(), 86400));
    const double last[3] = {static_cast<double>(s.health), static_cast<double>(s.channel),
                            static_cast<double>(s.age_days)};
    for (int i = 0; i < 3; ++i) row(s.position[i] / 1000, s.velocity[i] / 1000, s.acceleration[i] / 1000, last[i]);
  }
  return out;
}

} // namespace ampletie
