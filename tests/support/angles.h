#pragma once
#include "base/angle.h"
#include <cmath>

namespace ampletie::testing {

constexpr double second = rad_per_arcsec;

/// Degrees, minutes and seconds as handbooks print them, rad; the sign is that of the degrees.
inline double dms(double d, double m, double s) { return std::copysign(radians(std::abs(d) + m / 60 + s / 3600), d); }

} // namespace ampletie::testing
