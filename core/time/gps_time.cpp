#include "time/gps_time.h"
#include "base/text.h"
#include <array>
#include <chrono>
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
constexpr std::int64_t second_ns = 1'000'000'000, day_ns = 86400 * second_ns, week_ns = 7 * day_ns;
constexpr long mjd_origin = 44244; // 1980-01-06

struct Leap {
  int year, month, gps_minus_utc;
};
// IERS Bulletin C, TAI − UTC less 19 s.
constexpr std::array<Leap, 19> leaps{{{1980, 1, 0},
                                      {1981, 7, 1},
                                      {1982, 7, 2},
                                      {1983, 7, 3},
                                      {1985, 7, 4},
                                      {1988, 1, 5},
                                      {1990, 1, 6},
                                      {1991, 1, 7},
                                      {1992, 7, 8},
                                      {1993, 7, 9},
                                      {1994, 7, 10},
                                      {1996, 1, 11},
                                      {1997, 7, 12},
                                      {1999, 1, 13},
                                      {2006, 1, 14},
                                      {2009, 1, 15},
                                      {2012, 7, 16},
                                      {2015, 7, 17},
                                      {2017, 1, 18}}};

constexpr int unix_mjd = 40587; ///< of 1970-01-01

std::int64_t floor_div(std::int64_t a, std::int64_t b) { return a / b - (a % b < 0 ? 1 : 0); }
} // namespace

int GpsTime::week() const { return static_cast<int>(floor_div(ns, week_ns)); }
double GpsTime::time_of_week() const { return static_cast<double>(ns - week() * week_ns) / 1e9; }

double operator-(GpsTime a, GpsTime b) { return static_cast<double>(a.ns - b.ns) / 1e9; }
GpsTime operator+(GpsTime t, double seconds) { return {t.ns + std::llround(seconds * 1e9)}; }

GpsTime gps_time(int week, double tow) { return {week * week_ns + std::llround(tow * 1e9)}; }

long modified_julian_day(int year, int month, int day) {
  using namespace std::chrono;
  // A day beyond the month's end counts on, as do the hours of a leap second's minute.
  const sys_days first = std::chrono::year{year} / std::chrono::month{static_cast<unsigned>(month)} / 1;
  return static_cast<long>(first.time_since_epoch().count()) + day - 1 + unix_mjd;
}

int day_of_year(int year, int month, int day) {
  return static_cast<int>(modified_julian_day(year, month, day) - modified_julian_day(year, 1, 1)) + 1;
}

GpsTime gps_time(const Calendar &c) {
  const std::int64_t days = modified_julian_day(c.year, c.month, c.day) - mjd_origin;
  return {days * day_ns + (c.hour * 3600 + c.minute * 60) * second_ns + std::llround(c.second * 1e9)};
}

Calendar calendar(GpsTime t) {
  const std::int64_t days = floor_div(t.ns, day_ns);
  const std::int64_t rest = t.ns - days * day_ns;
  const std::chrono::year_month_day date{std::chrono::sys_days{std::chrono::days{days + mjd_origin - unix_mjd}}};
  Calendar c;
  c.year = static_cast<int>(date.year());
  c.month = static_cast<int>(static_cast<unsigned>(date.month()));
  c.day = static_cast<int>(static_cast<unsigned>(date.day()));
  c.hour = static_cast<int>(rest / (3600 * second_ns));
  c.minute = static_cast<int>(rest / (60 * second_ns) % 60);
  c.second = static_cast<double>(rest % (60 * second_ns)) / 1e9;
  return c;
}

double mjd(GpsTime t) {
  return static_cast<double>(mjd_origin) + static_cast<double>(t.ns) / static_cast<double>(day_ns);
}

double decimal_year(GpsTime t) {
  const int year = calendar(t).year;
  const GpsTime a = gps_time(Calendar{year, 1, 1, 0, 0, 0}), b = gps_time(Calendar{year + 1, 1, 1, 0, 0, 0});
  return year + (t - a) / (b - a);
}

GpsTime from_decimal_year(double decimal) {
  const int year = static_cast<int>(std::floor(decimal));
  const GpsTime a = gps_time(Calendar{year, 1, 1, 0, 0, 0}), b = gps_time(Calendar{year + 1, 1, 1, 0, 0, 0});
  return a + (decimal - year) * (b - a);
}

std::string iso(GpsTime t) {
  const Calendar c = calendar(t);
  const int whole = static_cast<int>(c.second);
  std::string out = fmt::format("{:04}-{:02}-{:02}T{:02}:{:02}:{:02}", c.year, c.month, c.day, c.hour, c.minute, whole);
  const std::int64_t frac = ((t.ns % second_ns) + second_ns) % second_ns;
  if (frac) {
    std::string f = fmt::format("{:09}", frac);
    while (f.back() == '0') f.pop_back();
    out += "." + f;
  }
  return out;
}

std::string iso_ms(GpsTime t) {
  constexpr std::int64_t ms = 1'000'000;
  const std::int64_t rest = ((t.ns % ms) + ms) % ms;
  t.ns += rest >= ms / 2 ? ms - rest : -rest;
  const std::int64_t part = ((t.ns % second_ns) + second_ns) % second_ns;
  t.ns -= part;
  return iso(t) + (part ? fmt::format(".{:03}", part / ms) : "");
}

std::optional<GpsTime> parse_iso(std::string_view text) {
  text = trimmed(text);
  if (!text.empty() && text.back() == 'Z') return {}; // UTC is not GPS time; the caller must convert
  if (text.size() < 10 || text[4] != '-' || text[7] != '-') return {};
  Calendar c;
  const auto y = parse_integer(text.substr(0, 4)), m = parse_integer(text.substr(5, 2)),
             d = parse_integer(text.substr(8, 2));
  if (!y || !m || !d || *m < 1 || *m > 12 || *d < 1 || *d > 31) return {};
  c.year = static_cast<int>(*y), c.month = static_cast<int>(*m), c.day = static_cast<int>(*d);
  if (text.size() > 10) {
    if (text.size() < 16 || (text[10] != 'T' && text[10] != ' ') || text[13] != ':') return {};
    const auto h = parse_integer(text.substr(11, 2)), mi = parse_integer(text.substr(14, 2));
    const auto s = text.size() > 16 && text[16] == ':' ? parse_number(text.substr(17)) : std::optional<double>(0.0);
    if (!h || !mi || !s || *h > 23 || *mi > 59 || *s < 0 || *s >= 61) return {};
    c.hour = static_cast<int>(*h), c.minute = static_cast<int>(*mi), c.second = *s;
  }
  const GpsTime t = gps_time(c);
  const Calendar back = calendar(t);
  if (back.month != c.month && c.hour < 23) return {}; // 31 February
  return t;
}

GpsTime gps_from_utc(GpsTime label) {
  const int after = gps_minus_utc(label + 30.0);
  const GpsTime t = label + static_cast<double>(after);
  return gps_minus_utc(t) == after ? t : label + static_cast<double>(gps_minus_utc(label));
}

int gps_minus_utc(GpsTime t) {
  int value = 0;
  for (const Leap &l : leaps) {
    // The step happens at 00:00 UTC, which is `gps_minus_utc` seconds later in GPS time.
    GpsTime at = gps_time(Calendar{l.year, l.month, 1, 0, 0, 0}) + static_cast<double>(l.gps_minus_utc);
    if (t >= at || l.year == 1980) value = l.gps_minus_utc;
  }
  return value;
}

} // namespace ampletie
