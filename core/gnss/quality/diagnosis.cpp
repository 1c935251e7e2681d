#include "gnss/quality/diagnosis.h"
#include "base/angle.h"
#include <algorithm>

namespace ampletie {

std::optional<EmptySky> obstructed_side(const StaticVector &v) {
  std::vector<double> azimuths;
  for (const ResidualSample &r : v.residuals)
    if (degrees(static_cast<double>(r.elevation)) < 35) azimuths.push_back(degrees(static_cast<double>(r.azimuth)));
  if (azimuths.size() < 20) return {};
  std::sort(azimuths.begin(), azimuths.end());
  EmptySky widest;
  for (std::size_t i = 0; i < azimuths.size(); ++i) {
    const double from = azimuths[i], to = i + 1 < azimuths.size() ? azimuths[i + 1] : azimuths.front() + 360;
    // The pole's own gap, north here, takes 50° to each side of what it covers.
    const double covered = std::max(0.0, std::min(to, 410.0) - std::max(from, 310.0)) +
                           std::max(0.0, std::min(to, 50.0) - std::max(from, -50.0));
    if (to - from - covered > widest.width_deg()) widest = {from, to - covered};
  }
  if (widest.width_deg() < 90) return {};
  return widest;
}

} // namespace ampletie
