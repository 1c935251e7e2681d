#pragma once
#include <compare>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace ampletie {

/// Calendar instant in whatever scale its context names; `second` may be fractional.
struct Calendar {
  int year = 1980, month = 1, day = 6, hour = 0, minute = 0;
  double second = 0;
};

/// An instant in GPS time, whole nanoseconds since 1980-01-06 00:00:00 GPS time. A type of its own, so that it cannot
/// be taken for UTC. Range: some 290 years around the origin.
struct GpsTime {
  std::int64_t ns = 0;
  auto operator<=>(const GpsTime &) const = default;
  int week() const;
  double time_of_week() const; ///< seconds, [0, 604800)
};

/// Difference in seconds (exact to 1e-7 s over a century, exact to the ns over weeks).
double operator-(GpsTime a, GpsTime b);
GpsTime operator+(GpsTime t, double seconds);

GpsTime gps_time(int week, double time_of_week);
GpsTime gps_time(const Calendar &calendar_in_gps_time);
Calendar calendar(GpsTime t);
/// Days from 1858-11-17 to a calendar date (proleptic Gregorian).
long modified_julian_day(int year, int month, int day);
int day_of_year(int year, int month, int day);
/// Modified Julian date in the GPS scale.
double mjd(GpsTime t);
double decimal_year(GpsTime t);
GpsTime from_decimal_year(double year);

/// `2026-05-12T09:10:00`, fractional seconds only when there are any.
std::string iso(GpsTime t);
/// The same to the millisecond, which is written only when there is one.
std::string iso_ms(GpsTime t);
/// Reads `2026-05-12` and `2026-05-12T09:10:00[.fff]` as GPS time; nothing when malformed.
std::optional<GpsTime> parse_iso(std::string_view text);

/// The instant of a UTC label that was read as if it were GPS time: 2017-01-01 00:00:00 UTC is 00:00:18. The second
/// that is put in (23:59:60) has no label of its own here and is taken for the one after it.
GpsTime gps_from_utc(GpsTime label);
/// GPS − UTC in seconds at an instant (IERS Bulletin C; 18 s since 2017). Throws before 1980.
int gps_minus_utc(GpsTime t);
/// Terrestrial Time minus GPS time: 32.184 + 19 s (IAU, definition).
constexpr double tt_minus_gps = 51.184;

} // namespace ampletie
