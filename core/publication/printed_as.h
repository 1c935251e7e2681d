#pragma once
#include "base/angle.h"
#include "publication/issue.h"
#include <fmt/format.h>

namespace ampletie {

/// How coordinates are printed, by the choice that a record holds.
struct PrintedAs {
  LengthUnit unit = LengthUnit::metre;
  int decimals = 4;
  bool north_first = false;
  std::string angles = "dms";

  std::string length(std::optional<double> metres, int fewer = 0) const {
    return metres ? fixed(in_unit(*metres, unit), std::max(0, decimals - fewer)) : std::string("–");
  }
  /// Latitude or longitude, to what the decimals of lengths are worth on the ground (a second is some 31 m).
  std::string angle(double degrees) const {
    if (angles == "deg") return fixed(degrees, decimals + 5);
    if (angles == "gon") return fixed(degrees / 0.9, decimals + 5);
    return format_dms(degrees, decimals + 1);
  }
  /// A bearing to a tenth of a second or so.
  std::string bearing(double rad) const {
    const double deg = degrees(rad);
    return angles == "gon" ? fixed(deg / 0.9, 4) : angles == "deg" ? fixed(deg, 5) : format_dms(deg, 1);
  }
  const char *angle_unit() const { return angles == "deg" ? "°" : angles == "gon" ? "gon" : ""; }
};

/// Records of before hold no choice: then in `unit`, with four decimals.
PrintedAs printed_as(const nlohmann::json &record, LengthUnit unit);

} // namespace ampletie
