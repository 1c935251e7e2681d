#pragma once
#include "gnss/static/static_vector.h"

namespace ampletie {

/// A part of the sky without satellites below 35°, from the directions of the residuals: the widest gap in azimuth
/// beside the one around the pole that the orbits leave by themselves (from memory: satellites with 55° inclination are
/// not seen there between 25° and 65° of latitude, some 100° wide).
struct EmptySky {
  double from_deg = 0, to_deg = 0; ///< azimuth, clockwise
  double width_deg() const { return to_deg - from_deg; }
};
std::optional<EmptySky> obstructed_side(const StaticVector &v);

} // namespace ampletie
