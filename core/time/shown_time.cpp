#include "time/shown_time.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
Calendar shown(GpsTime t, const TimeStyle &s) {
  return calendar(s.kind == TimeStyle::Kind::local ? t + (s.zone_h * 3600 - gps_minus_utc(t)) : t);
}
} // namespace

std::string shown_clock(GpsTime t, const TimeStyle &s) {
  const Calendar c = shown(t, s);
  return fmt::format("{:02}:{:02}", c.hour, c.minute);
}

std::string shown_day_clock(GpsTime t, const TimeStyle &s) {
  const Calendar c = shown(t, s);
  if (s.kind == TimeStyle::Kind::day_of_year)
    return fmt::format("{:03} {:02}:{:02}", day_of_year(c.year, c.month, c.day), c.hour, c.minute);
  return fmt::format("{:02}-{:02} {:02}:{:02}", c.month, c.day, c.hour, c.minute);
}

std::string time_scale_name(const TimeStyle &s) {
  if (s.kind == TimeStyle::Kind::gps) return "GPS time";
  if (s.kind == TimeStyle::Kind::day_of_year) return "day of year, GPS time";
  const auto minutes = static_cast<int>(std::lround(std::abs(s.zone_h) * 60));
  return fmt::format("UTC{}{:02}:{:02}", s.zone_h < 0 ? "-" : "+", minutes / 60, minutes % 60);
}

} // namespace ampletie
