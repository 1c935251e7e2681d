#pragma once
#include "time/gps_time.h"

namespace ampletie {

/// How instants are shown to people; files and the command line keep GPS time.
struct TimeStyle {
  enum class Kind { gps, local, day_of_year } kind = Kind::gps;
  double zone_h = 0; ///< hours ahead of UTC, for `local`
};

/// "09:10", for local time counted from UTC by the zone.
std::string shown_clock(GpsTime t, const TimeStyle &s);
/// "05-12 09:10", or "132 09:10" with the day of the year.
std::string shown_day_clock(GpsTime t, const TimeStyle &s);
/// "GPS time", "UTC+02:00", "day of year, GPS time".
std::string time_scale_name(const TimeStyle &s);

} // namespace ampletie
