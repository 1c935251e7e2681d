#include "formats/rinex_observation.h"
#include "formats/rinex_header.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {

using namespace rinex;

/// Fixed-point field of an observation: optional blanks, sign, digits, one point. Much faster than a general parser,
/// exact for the 13 digits that the format allows. Returns false when malformed.
bool fixed_point(const char *p, const char *end, double &out) {
  static constexpr double scale[] = {1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6};
  while (p < end && *p == ' ') ++p;
  if (p == end) {
    out = 0;
    return true;
  }
  const bool negative = *p == '-';
  if (negative || *p == '+') ++p;
  std::int64_t n = 0;
  int decimals = -1, digits = 0;
  for (; p < end && *p != ' '; ++p) {
    if (*p == '.' && decimals < 0)
      decimals = 0;
    else if (*p >= '0' && *p <= '9') {
      n = n * 10 + (*p - '0');
      ++digits;
      if (decimals >= 0) ++decimals;
    } else
      return false;
  }
  while (p < end && *p == ' ') ++p;
  if (p != end || digits == 0 || digits > 17 || decimals > 6) return false;
  out = static_cast<double>(n) / scale[decimals < 0 ? 0 : decimals];
  if (negative) out = -out;
  return true;
}

void read_header(LineReader &in, ObservationFile &f) {
  std::string_view line;
  bool first = true, ended = false;
  char types_of = ' ';
  std::size_t types_left = 0;
  while (!ended && in.next(line)) {
    const long at = in.number();
    const std::string_view name = label(line);
    if (first) {
      if (name != "RINEX VERSION / TYPE") throw InputError({}, at, "not a RINEX file: the first line names no version");
      f.version = number(line, 0, 9, at, "the RINEX version");
      if (f.version < 3.0 || f.version >= 3.06)
        throw InputError({}, at, fmt::format("RINEX {:.2f} observations are not read; 3.00 to 3.05 are", f.version));
      if (field(line, 20, 1) != "O") throw InputError({}, at, "not an observation file", 21);
      first = false;
      continue;
    }
    f.header_lines.emplace(std::string(name), at);
    if (name == "MARKER NAME")
      f.marker = text(line, 0, 60);
    else if (name == "MARKER NUMBER")
      f.marker_number = text(line, 0, 20);
    else if (name == "PGM / RUN BY / DATE")
      f.program = text(line, 0, 20);
    else if (name == "REC # / TYPE / VERS") {
      f.receiver_serial = text(line, 0, 20);
      f.receiver = text(line, 20, 20);
      f.receiver_firmware = text(line, 40, 20);
    } else if (name == "ANT # / TYPE") {
      f.antenna_serial = text(line, 0, 20);
      std::string_view t = field(line, 20, 20);
      while (!t.empty() && t.back() == ' ') t.remove_suffix(1);
      f.antenna = std::string(t);
    } else if (name == "APPROX POSITION XYZ") {
      for (int i = 0; i < 3; ++i)
        f.approximate[i] = number(line, static_cast<std::size_t>(14 * i), 14, at, "a coordinate");
    } else if (name == "ANTENNA: DELTA H/E/N") {
      for (int i = 0; i < 3; ++i)
        f.delta_hen[i] = number(line, static_cast<std::size_t>(14 * i), 14, at, "an antenna offset");
    } else if (name == "INTERVAL") {
      const double v = number(line, 0, 10, at, "the interval");
      if (v > 0) f.interval = v;
    } else if (name == "SYS / # / OBS TYPES") {
      if (types_left == 0) {
        types_of = field(line, 0, 1).empty() ? ' ' : line[0];
        const int n = whole(line, 3, 3, at, "the number of observation types");
        if (n < 1 || n > 200 || types_of == ' ') throw InputError({}, at, "the list of observation types is malformed");
        types_left = static_cast<std::size_t>(n);
      }
      auto &list = f.types[types_of];
      for (std::size_t i = 0; i < 13 && types_left > 0; ++i, --types_left) {
        const std::string t = text(line, 7 + 4 * i, 3);
        if (t.size() != 3) throw InputError({}, at, "an observation type is missing", static_cast<long>(8 + 4 * i));
        list.push_back(t);
      }
    } else if (name == "TIME OF FIRST OBS") {
      const std::string system = text(line, 48, 3);
      if (!system.empty() && system != "GPS" && system != "GAL")
        throw InputError({}, at, "the time system " + system + " is not read yet; GPS time is");
    } else if (name == "END OF HEADER")
      ended = true;
  }
  if (first) throw InputError({}, 0, "the file is empty");
  if (!ended) throw InputError({}, in.number(), "the header does not end: the file is cut off or not RINEX");
  if (types_left) throw InputError({}, in.number(), "the list of observation types is incomplete");
  if (f.types.empty()) throw InputError({}, in.number(), "the header lists no observation types");
}

GpsTime epoch_time(std::string_view line, long at) {
  Calendar c;
  c.year = whole(line, 2, 4, at, "the year");
  c.month = whole(line, 7, 2, at, "the month");
  c.day = whole(line, 10, 2, at, "the day");
  c.hour = whole(line, 13, 2, at, "the hour");
  c.minute = whole(line, 16, 2, at, "the minute");
  c.second = number(line, 18, 11, at, "the second");
  if (c.year < 1980 || c.year > 2200 || c.month < 1 || c.month > 12 || c.day < 1 || c.day > 31 || c.hour < 0 ||
      c.hour > 23 || c.minute < 0 || c.minute > 59 || c.second < 0 || c.second >= 61)
    throw InputError({}, at, "the epoch's date is impossible");
  return gps_time(c);
}

} // namespace

ObservationFile read_rinex_observation(std::string_view text) {
  ObservationFile f;
  LineReader in(text);
  read_header(in, f);
  f.values.reserve(text.size() / 20);
  std::array<const std::vector<std::string> *, 128> types{};
  for (const auto &[system, list] : f.types)
    if (static_cast<unsigned char>(system) < 128) types[static_cast<std::size_t>(system)] = &list;

  std::string_view line;
  while (in.next(line)) {
    const long at = in.number();
    if (trimmed(line).empty()) continue;
    if (line[0] != '>') throw InputError({}, at, "an epoch line should start here ('>')");
    if (line.size() < 35) throw InputError({}, at, "the file ends inside an epoch line");
    const int flag = whole(line, 31, 1, at, "the epoch flag"),
              count = whole(line, 32, 3, at, "the number of satellites");
    if (count < 0) throw InputError({}, at, "the number of satellites is negative");
    if (flag > 1) {
      if (flag == 2 || flag == 3)
        throw InputError({}, at,
                         flag == 2 ? "the antenna starts to move here: moving receivers are not read yet"
                                   : "a new site starts here: files with several sites are not read yet");
      for (int i = 0; i < count; ++i)
        if (!in.next(line)) throw InputError({}, in.number(), "the file ends inside an event");
      f.event_records += static_cast<std::size_t>(count);
      continue;
    }
    ObservationEpoch e;
    e.time = epoch_time(line, at);
    e.flag = static_cast<std::uint8_t>(flag);
    e.first = static_cast<std::uint32_t>(f.records.size());
    e.line = at;
    if (!f.epochs.empty() && e.time <= f.epochs.back().time)
      throw InputError({}, at, "the epoch is not later than the one before it");
    for (int i = 0; i < count; ++i) {
      if (!in.next(line))
        throw InputError({}, in.number(),
                         fmt::format("the file ends inside the epoch {}: {} of {} satellites", iso(e.time), i, count));
      const auto sat = parse_sat(line);
      if (!sat) throw InputError({}, in.number(), "a satellite was expected here", 1);
      const auto *list = types[static_cast<std::size_t>(sat->system)];
      if (!list)
        throw InputError({}, in.number(),
                         std::string("the header lists no observation types for system ") + sat->system, 1);
      f.records.push_back({*sat, static_cast<std::uint32_t>(f.values.size())});
      for (std::size_t k = 0; k < list->size(); ++k) {
        const std::size_t from = 3 + 16 * k;
        Observable o;
        if (from < line.size()) {
          const std::size_t stop = std::min(line.size(), from + 14);
          if (!fixed_point(line.data() + from, line.data() + stop, o.value))
            throw InputError({}, in.number(), "an observation is not a number", static_cast<long>(from) + 1);
          auto digit = [&](std::size_t i2) -> std::uint8_t {
            if (i2 >= line.size() || line[i2] == ' ') return 0;
            if (line[i2] < '0' || line[i2] > '9')
              throw InputError({}, in.number(), "a signal flag is not a digit", static_cast<long>(i2) + 1);
            return static_cast<std::uint8_t>(line[i2] - '0');
          };
          o.lli = digit(from + 14);
          o.strength = digit(from + 15);
        }
        f.values.push_back(o);
      }
    }
    e.count = static_cast<std::uint32_t>(count);
    f.epochs.push_back(e);
  }
  if (f.epochs.empty()) throw InputError({}, in.number(), "the file holds no observations");
  return f;
}

std::string write_rinex_observation(const ObservationFile &f) {
  std::string out;
  std::string systems;
  for (const auto &[s, list] : f.types) systems += s;
  out += header_line(
      fmt::format("{:9.2f}{:11}{:<20}{:<20}", 3.05, "", "OBSERVATION DATA", systems.size() == 1 ? systems : "M"),
      "RINEX VERSION / TYPE");
  out += header_line(fmt::format("{:<20}", f.program), "PGM / RUN BY / DATE");
  out += header_line(f.marker, "MARKER NAME");
  if (!f.marker_number.empty()) out += header_line(f.marker_number, "MARKER NUMBER");
  out += header_line("GEODETIC", "MARKER TYPE");
  out += header_line("", "OBSERVER / AGENCY");
  out += header_line(fmt::format("{:<20}{:<20}{:<20}", f.receiver_serial, f.receiver, f.receiver_firmware),
                     "REC # / TYPE / VERS");
  out += header_line(fmt::format("{:<20}{:<20}", f.antenna_serial, f.antenna), "ANT # / TYPE");
  out += header_line(fmt::format("{:14.4f}{:14.4f}{:14.4f}", f.approximate.x(), f.approximate.y(), f.approximate.z()),
                     "APPROX POSITION XYZ");
  out += header_line(fmt::format("{:14.4f}{:14.4f}{:14.4f}", f.delta_hen.x(), f.delta_hen.y(), f.delta_hen.z()),
                     "ANTENNA: DELTA H/E/N");
  for (const auto &[s, list] : f.types) {
    std::string row;
    for (std::size_t i = 0; i < list.size(); ++i) {
      if (i % 13 == 0) row = i == 0 ? fmt::format("{}  {:3}", s, list.size()) : "      ";
      row += " " + list[i];
      if (i % 13 == 12 || i + 1 == list.size()) out += header_line(row, "SYS / # / OBS TYPES");
    }
  }
  if (f.interval) out += header_line(fmt::format("{:10.3f}", *f.interval), "INTERVAL");
  if (!f.epochs.empty()) {
    const Calendar c = calendar(f.epochs.front().time);
    out += header_line(
        fmt::format("{:6}{:6}{:6}{:6}{:6}{:13.7f}     GPS", c.year, c.month, c.day, c.hour, c.minute, c.second),
        "TIME OF FIRST OBS");
  }
  out += header_line("", "END OF HEADER");
  for (const ObservationEpoch &e : f.epochs) {
    const Calendar c = calendar(e.time);
    fmt::format_to(std::back_inserter(out), "> {:04} {:02} {:02} {:02} {:02}{:11.7f}  {:1}{:3}\n", c.year, c.month,
                   c.day, c.hour, c.minute, c.second, e.flag, e.count);
    for (std::uint32_t r = e.first; r < e.first + e.count; ++r) {
      const SatelliteRecord &rec = f.records[r];
      out += rec.sat.name();
      const std::size_t n = f.types.at(rec.sat.system).size();
      for (std::size_t k = 0; k < n; ++k) {
        const Observable &o = f.values[rec.first + k];
        if (!o.present())
          out.append(16, ' ');
        else {
          fmt::format_to(std::back_inserter(out), "{:14.3f}", o.value);
          out += o.lli ? static_cast<char>('0' + o.lli) : ' ';
          out += o.strength ? static_cast<char>('0' + o.strength) : ' ';
        }
      }
      while (out.back() == ' ') out.pop_back();
      out += '\n';
    }
  }
  return out;
}

double nominal_interval(const ObservationFile &f) {
  if (f.interval) return *f.interval;
  std::map<std::int64_t, int> counts;
  for (std::size_t i = 1; i < f.epochs.size(); ++i)
    ++counts[(f.epochs[i].time.ns - f.epochs[i - 1].time.ns) / 1'000'000];
  std::int64_t best = 0;
  int most = 0;
  for (auto [ms, n] : counts)
    if (n > most) best = ms, most = n;
  return static_cast<double>(best) * 1e-3;
}

} // namespace ampletie
