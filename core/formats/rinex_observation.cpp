#include "formats/rinex_observation.h"
#include "formats/rinex_header.h"
#include "formats/site_builder.h"
#include <cmath>
#include <fmt/format.h>
#include <utility>

namespace ampletie {
namespace rinex {

bool fixed_point(const char *p, const char *end, double &out) {
  // Optional blanks, sign, digits, one point: much faster than a general parser, exact for the digits the format
  // allows.
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
      if (++digits > 17) return false;
      n = n * 10 + (*p - '0');
      if (decimals >= 0) ++decimals;
    } else
      return false;
  }
  while (p < end && *p == ' ') ++p;
  if (p != end || digits == 0 || decimals > 6) return false;
  out = static_cast<double>(n) / scale[decimals < 0 ? 0 : decimals];
  if (negative) out = -out;
  return true;
}

void read_header(LineReader &in, std::string_view line, SiteBuilder &b) {
  const long at = in.number();
  if (label(line) != "RINEX VERSION / TYPE")
    throw InputError({}, at, "not a RINEX file: the first line names no version");
  b.version = number(line, 0, 9, at, "the RINEX version");
  const bool known = (b.version >= 2.0 && b.version < 2.13) || (b.version >= 3.0 && b.version < 3.06) ||
                     (b.version >= 4.0 && b.version < 4.03);
  if (!known)
    throw InputError(
        {}, at,
        fmt::format("RINEX {:.2f} observations are not read; 2.10–2.12, 3.00–3.05 and 4.00–4.02 are", b.version));
  if (field(line, 20, 1) != "O") throw InputError({}, at, "not an observation file", 21);
  b.facts = {};
  b.facts.version = b.version;
  const auto system = field(line, 40, 1);
  b.default_system = system.empty() || system == " " || system == "M" ? 'G' : system[0];
  while (in.next(line))
    if (b.header_line(line, in.number(), false)) {
      b.header_complete(in.number(), false);
      return;
    }
  throw InputError({}, in.number(), "the header does not end: the file is cut off or not RINEX");
}

namespace {
GpsTime epoch_time(std::string_view line, long at) {
  Calendar c;
  c.year = whole(line, 2, 4, at, "the year");
  c.month = whole(line, 7, 2, at, "the month");
  c.day = whole(line, 10, 2, at, "the day");
  c.hour = whole(line, 13, 2, at, "the hour");
  c.minute = whole(line, 16, 2, at, "the minute");
  c.second = number(line, 18, 11, at, "the second");
  return checked_time(c, at);
}

std::uint8_t digit(std::string_view line, std::size_t i, long at) {
  if (i >= line.size() || line[i] == ' ') return 0;
  if (line[i] < '0' || line[i] > '9')
    throw InputError({}, at, "a signal flag is not a digit", static_cast<long>(i) + 1);
  return static_cast<std::uint8_t>(line[i] - '0');
}

Observable observation(std::string_view line, std::size_t from, long at) {
  Observable o;
  if (from >= line.size()) return o;
  const std::size_t stop = std::min(line.size(), from + 14);
  if (!fixed_point(line.data() + from, line.data() + stop, o.value))
    throw InputError({}, at, "an observation is not a number", static_cast<long>(from) + 1);
  o.lli = digit(line, from + 14, at);
  o.strength = digit(line, from + 15, at);
  return o;
}

/// Whether a line that ends the text ends in the middle of a value (F14.3 and two flags).
bool ends_inside_value(std::string_view line, std::size_t first) {
  if (line.size() <= first) return false;
  const std::size_t n = (line.size() - first) % 16;
  return n != 0 && n < 14;
}

/// Blank columns cost nothing in a file and sixteen bytes here; no receiver writes so many of them.
void hold_to_size(const ObservationFile &f, std::size_t text, long at) {
  if (f.values.size() > text / 2 + 1'000'000)
    throw InputError({}, at, "the header promises far more observations than the lines hold: the file is damaged");
}

/// Header lines that follow an event.
void event_lines(LineReader &in, SiteBuilder &b, int count, int flag) {
  std::string_view line;
  if (flag == 2) b.start_moving();
  for (int i = 0; i < count; ++i) {
    if (!in.next(line)) throw InputError({}, in.number(), "the file ends inside an event");
    if (flag != 6) b.header_line(line, in.number(), true);
  }
  if (flag == 3 || flag == 4) b.header_complete(in.number(), flag == 3);
  b.site().event_records += static_cast<std::size_t>(count);
}
} // namespace

namespace {
/// A text that ends early gives its whole epochs and says what is missing; what is wrong before the end is an error.
template <class Step> void read_epochs(LineReader &in, SiteBuilder &b, Step &&step) {
  std::string_view line;
  while (in.next(line)) {
    try {
      if (!step(in, b, line)) return;
    } catch (const InputError &e) {
      if (!in.at_end() || b.more_follows) throw;
      b.cut_off(fmt::format("line {}: {}", e.line(), e.reason()));
      return;
    }
  }
}

/// One epoch or event, beginning with `line`; false when another version took over to the end of the text.
bool read_epoch_3(LineReader &in, SiteBuilder &b, std::string_view line) {
  const long at = in.number();
  if (trimmed(line).empty()) return true;
  if (label(line) == "RINEX VERSION / TYPE") { // another file was appended
    b.spliced();
    read_header(in, line, b);
    if (b.version < 3) {
      read_body_2(in, b);
      return false;
    }
    return true;
  }
  if (label(line) == "COMMENT") return true;
  if (line[0] != '>') throw InputError({}, at, "an epoch line should start here ('>')");
  if (line.size() < 35) throw InputError({}, at, "the file ends inside an epoch line");
  const int flag = whole(line, 31, 1, at, "the epoch flag"), count = whole(line, 32, 3, at, "the number of satellites");
  if (count < 0 || flag < 0 || flag > 6) throw InputError({}, at, "the epoch flag or count is impossible");
  if (flag > 1) {
    if (flag == 5 && !trimmed(field(line, 2, 27)).empty()) b.site().marks.push_back(b.to_gps(epoch_time(line, at)));
    event_lines(in, b, count, flag);
    return true;
  }
  const GpsTime time = b.to_gps(epoch_time(line, at));
  const bool wanted = b.begin_epoch(time, flag, at);
  ObservationFile &f = b.site();
  for (int i = 0; i < count; ++i) {
    if (!in.next(line))
      throw InputError({}, in.number(),
                       fmt::format("the file ends inside the epoch {}: {} of {} satellites", iso(time), i, count));
    const auto sat = parse_sat(line);
    if (!sat) throw InputError({}, in.number(), "a satellite was expected here", 1);
    const auto *c = b.columns(sat->system);
    if (!c)
      throw InputError({}, in.number(), std::string("the header lists no observation types for system ") + sat->system,
                       1);
    if (b.open_end && in.at_end() && (ends_inside_value(line, 3) || line.size() + 13 < 3 + 16 * c->codes.size()))
      throw InputError({}, in.number(), "the last line is cut off");
    if (!wanted) continue;
    f.records.push_back({*sat, static_cast<std::uint16_t>(c->width), static_cast<std::uint32_t>(f.values.size())});
    if (c->plain) {
      for (std::size_t k = 0; k < c->width; ++k) f.values.push_back(observation(line, 3 + 16 * k, in.number()));
      continue;
    }
    f.values.resize(f.values.size() + c->width);
    for (std::size_t k = 0; k < c->codes.size(); ++k) {
      Observable o = observation(line, 3 + 16 * k, in.number());
      o.value /= c->scale[k];
      f.values[f.records.back().first + static_cast<std::size_t>(c->to[k])] = o;
    }
  }
  hold_to_size(f, in.size(), at);
  if (wanted) b.end_epoch();
  return true;
}
} // namespace

void read_body_3(LineReader &in, SiteBuilder &b) { read_epochs(in, b, read_epoch_3); }

namespace {
/// One epoch or event, beginning with `line`; false when another version took over to the end of the text.
bool read_epoch_2(LineReader &in, SiteBuilder &b, std::string_view line) {
  const long at = in.number();
  if (trimmed(line).empty()) return true;
  if (label(line) == "RINEX VERSION / TYPE") {
    b.spliced();
    read_header(in, line, b);
    if (b.version >= 3) {
      read_body_3(in, b);
      return false;
    }
    return true;
  }
  if (label(line) == "COMMENT") return true;
  if (line.size() < 32 && trimmed(field(line, 28, 4)).empty())
    throw InputError({}, at, "an epoch line should stand here");
  const int flag = trimmed(field(line, 28, 1)).empty() ? 0 : whole(line, 28, 1, at, "the epoch flag"),
            count = whole(line, 29, 3, at, "the number of satellites");
  if (count < 0 || flag < 0 || flag > 6) throw InputError({}, at, "the epoch flag or count is impossible");
  auto time_of = [&] {
    Calendar c;
    const int year = whole(line, 1, 2, at, "the year");
    c.year = year + (year < 80 ? 2000 : 1900);
    c.month = whole(line, 4, 2, at, "the month");
    c.day = whole(line, 7, 2, at, "the day");
    c.hour = whole(line, 10, 2, at, "the hour");
    c.minute = whole(line, 13, 2, at, "the minute");
    c.second = number(line, 15, 11, at, "the second");
    return b.to_gps(checked_time(c, at));
  };
  if (flag > 1 && flag < 6) {
    if (flag == 5 && !trimmed(field(line, 0, 26)).empty()) b.site().marks.push_back(time_of());
    event_lines(in, b, count, flag);
    return true;
  }
  const GpsTime time = time_of();
  std::vector<SatId> sats;
  for (int i = 0; i < count; ++i) {
    if (i > 0 && i % 12 == 0 && !in.next(line)) throw InputError({}, in.number(), "the file ends inside an epoch line");
    auto piece = std::string(field(line, static_cast<std::size_t>(32 + 3 * (i % 12)), 3));
    if (!piece.empty() && piece[0] == ' ') piece[0] = b.default_system;
    const auto sat = parse_sat(piece);
    if (!sat) throw InputError({}, in.number(), "a satellite was expected here", 33 + 3 * (i % 12));
    sats.push_back(*sat);
  }
  const bool wanted = flag != 6 && b.begin_epoch(time, flag, at);
  ObservationFile &f = b.site();
  for (std::size_t i = 0; i < sats.size(); ++i) {
    const auto *c = b.columns(sats[i].system);
    if (!c) throw InputError({}, in.number(), "the header lists no observation types");
    if (wanted) {
      f.records.push_back({sats[i], static_cast<std::uint16_t>(c->width), static_cast<std::uint32_t>(f.values.size())});
      f.values.resize(f.values.size() + c->width);
    }
    for (std::size_t k = 0; k < c->codes.size(); ++k) {
      if (k % 5 == 0 && !in.next(line))
        throw InputError({}, in.number(),
                         fmt::format("the file ends inside the epoch {}: {} of {} satellites", iso(time), i, count));
      if (b.open_end && in.at_end() && ends_inside_value(line, 0))
        throw InputError({}, in.number(), "the last line is cut off");
      if (!wanted) continue;
      Observable o = observation(line, 16 * (k % 5), in.number());
      o.value /= c->scale[k];
      if (c->to[k] >= 0) f.values[f.records.back().first + static_cast<std::size_t>(c->to[k])] = o;
    }
  }
  hold_to_size(f, in.size(), at);
  if (wanted) b.end_epoch();
  return true;
}
} // namespace

void read_body_2(LineReader &in, SiteBuilder &b) { read_epochs(in, b, read_epoch_2); }

} // namespace rinex

using namespace rinex;

namespace {
void read_first_header(LineReader &in, SiteBuilder &b) {
  std::string_view line;
  if (!in.next(line)) throw InputError({}, 0, "the file is empty");
  read_header(in, line, b);
}
void read_body(LineReader &in, SiteBuilder &b) { b.version < 3 ? read_body_2(in, b) : read_body_3(in, b); }
} // namespace

std::vector<ObservationFile> read_rinex_observations(std::string_view text) {
  LineReader in(text);
  SiteBuilder b;
  read_first_header(in, b);
  b.open_end = text.back() != '\n';
  b.site().values.reserve(text.size() / 20);
  read_body(in, b);
  return b.finish(in.number());
}

ObservationBlockReader::ObservationBlockReader(std::size_t epochs, Take take)
    : builder_(std::make_unique<SiteBuilder>()) {
  builder_->block = std::move(take), builder_->block_epochs = epochs;
}
ObservationBlockReader::~ObservationBlockReader() = default;

void ObservationBlockReader::add(std::string_view piece) {
  constexpr std::size_t worth_reading = std::size_t{1} << 20;
  const std::size_t before = waiting_.size(), from = before ? before - 1 : 0;
  waiting_ += piece;
  if (waiting_.size() < worth_reading || (begun_ && builder_->version < 3)) return;
  // An epoch of RINEX 3 begins with a line of its own kind: all before the last of them is whole. Sought in what is new
  // alone: what is older has none, and waits as a whole.
  const auto last = std::string_view(waiting_).substr(from).rfind("\n>");
  if (last == std::string_view::npos) return;
  read(std::string_view(waiting_).substr(0, from + last + 1), false);
  waiting_.erase(0, from + last + 1);
}

void ObservationBlockReader::finish() {
  read(waiting_, true);
  builder_->finish(lines_);
}

void ObservationBlockReader::read(std::string_view text, bool last) {
  LineReader in(text, lines_);
  builder_->more_follows = !last;
  if (!std::exchange(begun_, true)) read_first_header(in, *builder_);
  builder_->open_end = last && !text.empty() && text.back() != '\n';
  read_body(in, *builder_);
  lines_ = in.number();
}

ObservationFile read_rinex_observation(std::string_view text) {
  auto all = read_rinex_observations(text);
  if (all.size() > 1)
    throw InputError({}, all[1].epochs.front().line, fmt::format("the file holds {} sites", all.size()));
  return std::move(all.front());
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
  for (const auto &[code, cycles] : f.phase_shift)
    out += header_line(fmt::format("{} {} {:8.5f}", code[0], code.substr(1), cycles), "SYS / PHASE SHIFT");
  if (f.types.count('R')) {
    std::string row;
    std::size_t n = 0;
    for (const auto &[sat, channel] : f.glonass_channel) {
      if (n % 8 == 0) row = n == 0 ? fmt::format("{:3} ", f.glonass_channel.size()) : "    ";
      row += fmt::format("{} {:2} ", sat.name(), channel);
      if (++n % 8 == 0 || n == f.glonass_channel.size()) out += header_line(row, "GLONASS SLOT / FRQ #");
    }
    row.clear();
    for (const auto &[code, bias] : f.glonass_code_phase_bias) row += fmt::format(" {} {:8.3f}", code, bias);
    out += header_line(row, "GLONASS COD/PHS/BIS");
  }
  if (f.leap_seconds) out += header_line(fmt::format("{:6}", *f.leap_seconds), "LEAP SECONDS");
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
      for (std::size_t k = 0; k < rec.count; ++k) {
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
