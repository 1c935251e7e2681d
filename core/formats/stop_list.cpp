#include "formats/stop_list.h"
#include "formats/control_list.h"
#include "formats/listed_columns.h"
#include "time/gps_time.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
constexpr Alias stop_words[] = {
    {"name", "name point mark station pt point_id point_name id stop_name"},
    {"start", "start start_time begin from from_time time_start gps_start arrived arrival"},
    {"end", "end end_time until to to_time stop stop_time time_end gps_stop left departure"},
    {"seconds", "seconds duration duration_s"},
    {"day", "day date"},
    {"code", "code feature"},
    {"height", "height antenna_height ant_height pole_height h_ant rod"},
    {"height_to", "height_to measured_to point_of_antenna"},
};

Columns stop_columns(const std::vector<std::string> &heads, std::vector<std::string> *unread) {
  Columns out;
  for (std::size_t i = 0; i < heads.size(); ++i) {
    const auto [name, unit] = understood(heads[i], stop_words);
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
};
Instant instant(std::string text, const std::string &column, long line) {
  text = trimmed(text);
  if (!text.empty() && (text.back() == 'Z' || text.back() == 'z')) text.pop_back();
  Instant out;
  const auto gap = text.find_first_of("T ");
  std::string time = text;
  if (gap != std::string::npos) out.day = day_of(text.substr(0, gap)), time = trimmed(text.substr(gap + 1));
  out.second = clock_of(time);
  if (std::isnan(out.second) || (gap != std::string::npos && out.day.empty()))
    throw InputError({}, line, "\"" + printable(text).substr(0, 40) + "\" in column " + column + " is no time");
  return out;
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
  const Instant from = instant(c.point(c.cell("start")), "start", line);
  r.day = from.day, r.from = from.second;
  if (columns.count("day")) {
    const std::string text(trimmed(c.cell("day")));
    if (!text.empty() && (r.day = day_of(text)).empty())
      throw InputError({}, line, "\"" + printable(text).substr(0, 40) + "\" in column day is no date");
  }
  if (columns.count("end") && !trimmed(c.cell("end")).empty()) {
    const Instant to = instant(c.point(c.cell("end")), "end", line);
    r.to = to.second;
    if (r.to < r.from) r.to += 86400; // over midnight
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

} // namespace ampletie
