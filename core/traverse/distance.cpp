#include "traverse/distance.h"
#include "base/error.h"
#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace ampletie {

ReducedDistance reduce_slope(double slope, double h1, double h2, double scale, double radius) {
  const double rise = h2 - h1;
  if (!(slope > std::abs(rise)))
    throw InputError(
        fmt::format("a slope distance of {:.3f} m cannot join heights that differ by {:.3f} m", slope, std::abs(rise)));
  ReducedDistance r;
  r.chord = std::sqrt((slope * slope - rise * rise) / ((1 + h1 / radius) * (1 + h2 / radius)));
  r.arc = 2 * radius * std::asin(r.chord / (2 * radius));
  r.grid = r.arc * scale;
  r.combined_factor = scale * radius / (radius + (h1 + h2) / 2);
  return r;
}

double trigonometric_height(const ZenithSight &s, double slope, double k, double radius) {
  const double across = slope * std::sin(s.zenith);
  return slope * std::cos(s.zenith) + (1 - k) * across * across / (2 * radius) + s.instrument_height - s.target_height;
}

double trigonometric_height_over_arc(const ZenithSight &s, double arc, double mean_height, double k, double radius) {
  return arc * (1 + mean_height / radius) / std::tan(s.zenith) + (1 - k) * arc * arc / (2 * radius) +
         s.instrument_height - s.target_height;
}

ReciprocalHeight reciprocal_height(const ZenithSight &there, const ZenithSight &back, double arc, double mean_height,
                                   double radius) {
  ReciprocalHeight r;
  r.difference = arc * (1 + mean_height / radius) * std::tan((back.zenith - there.zenith) / 2) +
                 ((there.instrument_height - there.target_height) - (back.instrument_height - back.target_height)) / 2;
  r.k = 1 - (there.zenith + back.zenith - std::numbers::pi) * radius / arc;
  return r;
}

} // namespace ampletie
