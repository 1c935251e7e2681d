#include "base/size_words.h"
#include "base/angle.h"
#include "base/text.h"
#include <cmath>

namespace ampletie {
namespace {
std::string signed_text(double v, int decimals, bool sign, const char *unit) {
  const std::string t = fixed(v, decimals);
  const bool plus = sign && v > 0 && t.find_first_of("123456789") != std::string::npos;
  return (plus ? "+" : "") + t + unit;
}
} // namespace

std::string length_words(double m, int decimals, bool sign) {
  if (std::abs(m) >= 1000) return signed_text(m / 1000, 3, sign, " km");
  if (std::abs(m) >= 1) return signed_text(m, 3, sign, " m");
  return signed_text(m * 1000, decimals, sign, " mm");
}

std::string angle_words(double rad, int decimals, bool sign) {
  return std::abs(rad) >= rad_per_deg ? signed_text(degrees(rad), 4, sign, "°")
                                      : signed_text(rad / rad_per_arcsec, decimals, sign, "″");
}

std::string side_words(double east, double north) {
  static constexpr const char *names[] = {"north", "north-east", "east", "south-east",
                                          "south", "south-west", "west", "north-west"};
  const double turn = std::atan2(east, north) / (2 * M_PI) * 8;
  return names[(std::lround(turn) + 8) % 8];
}

} // namespace ampletie
