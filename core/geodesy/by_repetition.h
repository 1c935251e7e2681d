#pragma once
#include "base/angle.h"
#include "geodesy/ellipsoid.h"
#include <algorithm>
#include <cmath>
#include <optional>

namespace ampletie {

/// The place that a way in latitude and longitude leads to `to`, to 10⁻¹³ rad. Shifts between datums hardly change over
/// their own size: what the way misses by is taken off until it is nothing. Nothing where that does not end.
template <class Way> std::optional<Geodetic> led_from(const Geodetic &to, const Way &way) {
  Geodetic x = to;
  for (int i = 0; i < 20; ++i) {
    const Geodetic y = way(x);
    const double dlat = to.lat - y.lat, dlon = std::remainder(to.lon - y.lon, 2 * pi);
    x.lat += dlat, x.lon += dlon;
    if (std::max(std::abs(dlat), std::abs(dlon)) < 1e-13) return x;
  }
  return {};
}

} // namespace ampletie
