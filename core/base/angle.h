#pragma once
#include <numbers>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

constexpr double pi = std::numbers::pi;
constexpr double rad_per_deg = pi / 180.0;
constexpr double rad_per_arcsec = pi / 648000.0;
constexpr double radians(double degrees) { return degrees * rad_per_deg; }
constexpr double degrees(double rad) { return rad / rad_per_deg; }

/// Median of angles that may lie on both sides of a full turn, radians; of none 0.
double median_angle(std::vector<double> all);

/// Reads an angle in degrees as control lists write them: `46.28428`, `46d17'03.4"N`, `46d17m03.4s`, `46:17:03.4 N`,
/// `46 17 03.4`, `-3°10′`, with a hemisphere letter before or after; typographic marks as well. Marks in the wrong
/// order (`12'30"` without degrees) are refused, and so is a small `s` behind a figure where it may mean seconds or
/// south. A packed form (46.17034 for 46°17'03.4") cannot be told from decimal degrees and is not guessed here. Returns
/// decimal degrees, or nothing.
std::optional<double> parse_angle_deg(std::string_view text);

/// Degrees of a packed angle, ddd.mmssss; nothing when its minutes or seconds would be 60 or more.
std::optional<double> unpacked_deg(double packed);

/// `46°17'03.41207"` with `decimals` digits of the second; sign in front.
std::string format_dms(double degrees, int decimals);

} // namespace ampletie
