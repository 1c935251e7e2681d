#include "formats/sp3.h"
#include "base/error.h"
#include "formats/rinex_header.h"
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace ampletie {
using namespace rinex;

Sp3File read_sp3(std::string_view text_in) {
  Sp3File f;
  LineReader in(text_in);
  std::string_view line;
  if (!in.next(line)) throw InputError({}, 0, "the file is empty");
  if (line.size() < 50 || line[0] != '#' || (line[1] != 'a' && line[1] != 'c' && line[1] != 'd'))
    throw InputError({}, 1, "not an SP3-a, SP3-c or SP3-d file");
  f.version = line[1];
  f.frame = text(line, 46, 5);
  bool ended = false;
  int time_lines = 0, header_hashes = 1;
  bool utc = false;
  double offset = 0; // from the file's time system to GPS time
  while (in.next(line)) {
    const long at = in.number();
    if (starts_with_nocase(line, "EOF")) {
      ended = true;
      break;
    }
    if (starts_with_nocase(line, "##") && header_hashes++ == 1) {
      f.interval = number(line, 24, 14, at, "the interval");
    } else if (starts_with_nocase(line, "%c") && time_lines++ == 0) {
      const std::string system = text(line, 9, 3);
      utc = system == "UTC" || system == "GLO"; // GLONASS time is kept three hours ahead, but written as UTC here
      if (system == "BDT")
        offset = 14;
      else if (system == "TAI")
        offset = -19;
      else if (!utc && system != "GPS" && system != "GAL" && system != "QZS" && system != "ccc" && !system.empty())
        throw InputError({}, at, "the time system " + system + " is not read; GPS, GAL, QZS, BDT, GLO, UTC and TAI are",
                         10);
    } else if (!line.empty() && line[0] == '*') {
      Calendar c;
      c.year = whole(line, 3, 4, at, "the year");
      c.month = whole(line, 8, 2, at, "the month");
      c.day = whole(line, 11, 2, at, "the day");
      c.hour = whole(line, 14, 2, at, "the hour");
      c.minute = whole(line, 17, 2, at, "the minute");
      c.second = number(line, 20, 11, at, "the second");
      if (c.month < 1 || c.month > 12 || c.day < 1 || c.day > 31 || c.year < 1980 || c.year > 2200)
        throw InputError({}, at, "the epoch's date is impossible");
      Sp3Epoch e;
      e.time = gps_time(c) + offset;
      if (utc) e.time = gps_from_utc(e.time);
      if (!f.epochs.empty() && e.time <= f.epochs.back().time)
        throw InputError({}, at, "the epoch is not later than the one before it");
      f.epochs.push_back(std::move(e));
    } else if (!line.empty() && line[0] == 'P') {
      if (f.epochs.empty()) throw InputError({}, at, "a position stands before the first epoch");
      // SP3-a knows GPS alone and leaves its letter away.
      std::string name(field(line, 1, 3));
      if (f.version == 'a' && name[0] == ' ') name[0] = 'G';
      const auto sat = parse_sat(name);
      if (!sat) throw InputError({}, at, "a satellite was expected here", 2);
      Vec3 p;
      for (int i = 0; i < 3; ++i)
        p[i] = 1000 * number(line, static_cast<std::size_t>(4 + 14 * i), 14, at, "a coordinate");
      if (p.norm() > 1) f.epochs.back().position[*sat] = p;
      const auto clock = parse_number(field(line, 46, 14));
      if (clock && std::abs(*clock) < 999999) f.epochs.back().clock[*sat] = *clock * 1e-6;
    }
  }
  if (f.epochs.empty()) throw InputError({}, in.number(), "the file holds no epochs");
  if (!ended) throw InputError({}, in.number(), "the file does not end with EOF: it is cut off");
  return f;
}

std::string write_sp3(const Sp3File &f) {
  const Calendar c = calendar(f.epochs.front().time);
  const GpsTime t0 = f.epochs.front().time;
  std::string out = fmt::format("#dP{:04} {:2} {:2} {:2} {:2} {:11.8f} {:7} ORBIT {:>5} FIT  SIM\n", c.year, c.month,
                                c.day, c.hour, c.minute, c.second, f.epochs.size(), f.frame);
  out += fmt::format("## {:4} {:15.8f} {:14.8f} {:5} {:15.13f}\n", t0.week(), t0.time_of_week(), f.interval,
                     static_cast<int>(std::floor(mjd(t0))), mjd(t0) - std::floor(mjd(t0)));
  std::set<SatId> sats;
  for (const auto &e : f.epochs)
    for (const auto &[s, p] : e.position) sats.insert(s);
  const std::size_t rows = std::max<std::size_t>(5, (sats.size() + 16) / 17);
  auto it = sats.begin();
  for (std::size_t r = 0; r < rows; ++r) {
    out += r == 0 ? fmt::format("+  {:3}   ", sats.size()) : std::string("+        ");
    for (int k = 0; k < 17; ++k) out += it != sats.end() ? (it++)->name() : "  0";
    out += '\n';
  }
  for (std::size_t r = 0; r < rows; ++r)
    out += "++       " + std::string([] {
             std::string z;
             for (int k = 0; k < 17; ++k) z += "  0";
             return z;
           }()) +
           "\n";
  out += "%c M  cc GPS ccc cccc cccc cccc cccc ccccc ccccc ccccc ccccc\n%c cc cc ccc ccc cccc cccc cccc cccc ccccc "
         "ccccc ccccc ccccc\n";
  out += "%f  0.0000000  0.000000000  0.00000000000  0.000000000000000\n%f  0.0000000  0.000000000  0.00000000000  "
         "0.000000000000000\n";
  out += "%i    0    0    0    0      0      0      0      0         0\n%i    0    0    0    0      0      0      0    "
         "  0         0\n";
  for (const auto &e : f.epochs) {
    const Calendar t = calendar(e.time);
    out += fmt::format("*  {:04} {:2} {:2} {:2} {:2} {:11.8f}\n", t.year, t.month, t.day, t.hour, t.minute, t.second);
    for (const auto &[s, p] : e.position) {
      const auto clk = e.clock.find(s);
      out += fmt::format("P{}{:14.6f}{:14.6f}{:14.6f}{:14.6f}\n", s.name(), p.x() / 1000, p.y() / 1000, p.z() / 1000,
                         clk == e.clock.end() ? 999999.999999 : clk->second * 1e6);
    }
  }
  return out + "EOF\n";
}

} // namespace ampletie
