#include "formats/stop_list.h"
#include "base/angle.h"
#include "formats/control_list.h"
#include "formats/listed_columns.h"
#include "formats/recipe_rows.h"
#include "time/gps_time.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
constexpr Alias stop_words[] = {
    {"name", "name point mark station pt point_id point_name id stop_name"},
    {"start", "start start_time begin from from_time time_start gps_start arrived arrival"},
    {"start_utc", "start_utc utc_start start_time_utc begin_utc from_utc utc_from"},
    {"end", "end end_time until to to_time stop stop_time time_end gps_stop left departure"},
    {"end_utc", "end_utc utc_end utc_stop end_time_utc stop_utc stop_time_utc until_utc to_utc utc_to"},
    {"seconds", "seconds duration duration_s"},
    {"day", "day date"},
    {"code", "code feature"},
    {"height", "height antenna_height ant_height pole_height h_ant rod"},
    {"height_to", "height_to measured_to point_of_antenna"},
    {"tilt", "tilt tilt_angle pole_tilt inclination"},
    {"tilt_gon", "tilt_gon tilt_angle_gon pole_tilt_gon inclination_gon"},
    {"lean", "lean lean_azimuth tilt_azimuth tilt_direction azimuth_of_tilt"},
    {"lean_gon", "lean_gon lean_azimuth_gon tilt_azimuth_gon tilt_direction_gon azimuth_of_tilt_gon"},
};

/// "start (UTC)", "start [gps]" with the scale as a part of the name: it is no unit of length.
std::string zone_joined(const std::string &head) {
  std::string out = lower(trimmed(head));
  for (const char *scale : {"utc", "gps", "gpst"})
    for (const auto &[open, close] : {std::pair{'(', ')'}, std::pair{'[', ']'}}) {
      const std::string tail = open + std::string(scale) + close;
      if (!out.ends_with(tail)) continue;
      out = trimmed(out.substr(0, out.size() - tail.size()));
      return scale == std::string("utc") ? out + "_utc" : out;
    }
  for (const auto &[unit, ending] : {std::pair{"deg", ""}, {"°", ""}, {"degrees", ""}, {"gon", "_gon"}})
    for (const auto &[open, close] : {std::pair{'(', ')'}, std::pair{'[', ']'}}) {
      const std::string tail = open + std::string(unit) + close;
      if (out.ends_with(tail)) return std::string(trimmed(out.substr(0, out.size() - tail.size()))) + ending;
    }
  for (const char *unit : {"_deg", " deg"})
    if (out.ends_with(unit)) return out.substr(0, out.size() - std::string_view(unit).size());
  return out;
}

Columns stop_columns(const std::vector<std::string> &heads, std::vector<std::string> *unread) {
  Columns out;
  for (std::size_t i = 0; i < heads.size(); ++i) {
    auto [name, unit] = understood(zone_joined(heads[i]), stop_words);
    // Whose head says UTC is the same column as one whose head does not.
    if (name.ends_with("_utc")) out.emplace("utc", Column{i, 1}), name.resize(name.size() - 4);
    if (!name.empty())
      out.emplace(name, Column{i, unit});
    else if (unread && !trimmed(heads[i]).empty())
      unread->push_back(printable(heads[i]).substr(0, 60));
  }
  return out;
}
bool tells_stops(const Columns &c) {
  return c.count("name") && c.count("start") && (c.count("end") || c.count("seconds"));
}

/// "2026-05-12" from that, 12.05.2026, 2026/05/12; empty where it is none.
std::string day_of(std::string_view t) {
  std::string digits[3];
  int part = 0;
  for (char c : t)
    if (c >= '0' && c <= '9')
      digits[part] += c;
    else if ((c == '-' || c == '.' || c == '/') && part < 2 && !digits[part].empty())
      ++part;
    else
      return {};
  if (part != 2) return {};
  if (digits[0].size() == 4) std::swap(digits[0], digits[2]);
  if (digits[2].size() != 4) return {};
  const auto d = parse_integer(digits[0]), m = parse_integer(digits[1]), y = parse_integer(digits[2]);
  if (!d || !m || !y || *m < 1 || *m > 12 || *d < 1 || *d > 31 || *y < 1980) return {};
  return fmt::format("{:04}-{:02}-{:02}", *y, *m, *d);
}

/// Seconds of the day from 10:04:15.5, 10:04 or 100415; NaN where it is none.
double clock_of(std::string_view t) {
  std::vector<std::string> parts{""};
  for (char c : t)
    if (c == ':')
      parts.emplace_back();
    else if ((c >= '0' && c <= '9') || c == '.')
      parts.back() += c;
    else
      return NAN;
  if (parts.size() == 1 && parts[0].find('.') == std::string::npos && parts[0].size() == 6)
    parts = {parts[0].substr(0, 2), parts[0].substr(2, 2), parts[0].substr(4, 2)};
  if (parts.size() < 2 || parts.size() > 3) return NAN;
  const auto h = parse_number(parts[0]), m = parse_number(parts[1]),
             s = parts.size() > 2 ? parse_number(parts[2]) : 0.0;
  if (!h || !m || !s || *h < 0 || *h > 24 || *m < 0 || *m >= 60 || *s < 0 || *s >= 61) return NAN;
  return *h * 3600 + *m * 60 + *s;
}

struct Instant {
  std::string day;
  double second = 0;
  std::optional<double> utc_offset; ///< s; what stands behind the time: Z, +02:00, UTC
};

/// Takes Z, UTC or an offset such as +02:00 off the end of a time of the day.
std::optional<double> taken_zone(std::string &time) {
  const std::string low = lower(time);
  for (const char *zulu : {"utc", "gmt", "z"})
    if (low.ends_with(zulu)) {
      time = trimmed(time.substr(0, time.size() - std::string_view(zulu).size()));
      return 0;
    }
  const auto sign = time.find_last_of("+-");
  if (sign == std::string::npos || sign == 0) return {};
  std::string digits;
  for (char c : time.substr(sign + 1))
    if (c != ':') digits += c;
  if (digits.size() != 2 && digits.size() != 4) return {};
  const auto hours = parse_integer(digits.substr(0, 2)), minutes = parse_integer("0" + digits.substr(2));
  if (!hours || !minutes || *hours > 14 || *minutes > 59) return {};
  const double seconds = static_cast<double>(*hours * 3600 + *minutes * 60) * (time[sign] == '-' ? -1 : 1);
  time = trimmed(time.substr(0, sign));
  return seconds;
}

Instant instant(std::string text, const std::string &column, bool utc, long line) {
  text = trimmed(text);
  Instant out;
  const auto gap = text.find_first_of("T ");
  const std::string day = gap == std::string::npos ? std::string() : day_of(text.substr(0, gap));
  std::string time = day.empty() ? text : std::string(trimmed(std::string_view(text).substr(gap + 1)));
  out.utc_offset = taken_zone(time);
  if (!out.utc_offset && utc) out.utc_offset = 0;
  out.day = day, out.second = clock_of(time);
  if (std::isnan(out.second))
    throw InputError({}, line, "\"" + printable(text).substr(0, 40) + "\" in column " + column + " is no time");
  return out;
}

/// Whole days from one date to another.
double days_between(const std::string &a, const std::string &b) {
  const auto from = parse_iso(a), to = parse_iso(b);
  return from && to ? std::round((*to - *from) / 86400) : 0;
}

/// An angle in degrees or in the gon of a column of its own, rad.
std::optional<double> angle_of(const RowReader &c, const Columns &columns, const std::string &name, double most_deg,
                               long line) {
  std::optional<double> rad;
  if (const std::string gon = name + "_gon"; columns.count(gon)) {
    if (const auto v = c.number(gon.c_str())) rad = *v * pi / 200;
  } else if (const auto v = c.angle(name.c_str(), 360))
    rad = radians(*v);
  if (rad && !(*rad >= 0 && *rad <= radians(most_deg)))
    throw InputError({}, line, fmt::format("the {} of the pole is not between 0 and {} degrees", name, most_deg));
  return rad;
}

StopRow row_of(const RowReader &c, const Columns &columns, long line) {
  StopRow r;
  r.line = line;
  r.name = trimmed(c.cell("name"));
  if (r.name.empty()) throw InputError({}, line, "the stop has no name");
  check_name(r.name, "the name of the stop", line);
  r.code = printable(trimmed(c.cell("code"))).substr(0, 60),
  r.height_to = printable(trimmed(c.cell("height_to"))).substr(0, 60);
  r.height = c.number("height");
  if (r.height && !(*r.height > -1 && *r.height < 30)) throw InputError({}, line, "an antenna height beyond 30 m");
  r.tilt = angle_of(c, columns, "tilt", 60, line), r.lean = angle_of(c, columns, "lean", 360, line);
  if (r.lean && !r.tilt) throw InputError({}, line, "it says where the pole leaned and not by how much");
  const bool utc = columns.count("utc");
  const Instant from = instant(c.point(c.cell("start")), "start", utc, line);
  r.day = from.day, r.from = from.second, r.utc_offset = from.utc_offset;
  if (columns.count("day")) {
    const std::string text(trimmed(c.cell("day")));
    if (!text.empty() && (r.day = day_of(text)).empty())
      throw InputError({}, line, "\"" + printable(text).substr(0, 40) + "\" in column day is no date");
  }
  if (columns.count("end") && !trimmed(c.cell("end")).empty()) {
    const Instant to = instant(c.point(c.cell("end")), "end", utc, line);
    if (to.utc_offset != from.utc_offset)
      throw InputError({}, line, "the start and the end of the stop " + r.name + " are in different time zones");
    r.to = to.second;
    if (!to.day.empty() && !r.day.empty())
      r.to += 86400 * days_between(r.day, to.day);
    else if (r.to < r.from)
      r.to += 86400; // over midnight
  } else if (const auto s = c.number("seconds"))
    r.to = r.from + *s;
  else
    throw InputError({}, line, "the stop " + r.name + " has no end");
  if (!(r.to - r.from >= 0 && r.to - r.from < 43200))
    throw InputError({}, line,
                     "the stop " + r.name + " lasts " + fmt::format("{:.0f} s", r.to - r.from) +
                         ": its times are exchanged?");
  return r;
}
} // namespace

bool looks_like_stop_list(std::string_view text) {
  return heads_suffice(text, [](const auto &heads) { return tells_stops(stop_columns(heads, nullptr)); });
}

StopList read_stop_list(std::string_view text) {
  StopList out;
  read_rows(
      text,
      [&](const std::vector<std::string> &heads, long line) {
        Columns c = stop_columns(heads, &out.unread_columns);
        if (!tells_stops(c)) throw InputError({}, line, "stops need a name, start and end");
        return c;
      },
      [&](const RowReader &c, const Columns &columns, long line) {
        out.rows.push_back(row_of(c, columns, line));
        if (out.rows.size() > most_stops) throw InputError({}, line, "the list holds more than 20000 stops");
      });
  if (out.rows.empty()) throw InputError("the list has heads and no rows");
  return out;
}

StopList read_stop_list(const Recipe &r, std::string_view utf8) {
  StopList out;
  read_recipe_rows(
      r, utf8, [](const std::vector<std::string> &meanings) { return stop_columns(meanings, nullptr); },
      [&](const RowReader &c, const Columns &columns, long line) {
        if (!tells_stops(columns)) throw InputError({}, line, "the row has no name, no start or no end of a stop");
        out.rows.push_back(row_of(c, columns, line));
        if (out.rows.size() > most_stops) throw InputError({}, line, "the list holds more than 20000 stops");
      });
  if (out.rows.empty()) throw InputError("as the recipe reads it, the list has no stops");
  return out;
}

Recipe recipe_of_stop_heads(std::string_view text, const std::string &name) {
  ColumnsOf *columns = [](const std::vector<std::string> &heads) { return stop_columns(heads, nullptr); };
  static const auto meanings = meanings_of_columns("stops", columns);
  return recipe_of_columns(text, name, "stops", columns, meanings);
}

} // namespace ampletie
