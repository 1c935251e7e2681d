#include "gnss/model/antenna_model.h"
#include "base/angle.h"
#include "formats/antex.h"
#include <Eigen/Dense>
#include <cmath>

namespace ampletie {

AntennaChoice choose_calibration(const Antenna &a, char system, char band) {
  const auto own = a.frequencies.find(antex_frequency(system, band));
  if (own != a.frequencies.end()) return {&own->second, {}};
  const double hz = carrier_hz(system, band);
  AntennaChoice best;
  double nearest = 60e6;
  for (const auto &[name, f] : a.frequencies) {
    const char b = name.size() == 3 ? name[2] : ' ';
    const double distance = std::abs(carrier_hz(name[0], b) - hz);
    if (distance < nearest) nearest = distance, best = {&f, name};
  }
  if (nearest < 2e6) best.stands_in.clear();
  return best;
}

const SatelliteAntenna *satellite_antenna(const std::vector<SatelliteAntenna> &list, SatId sat, GpsTime t) {
  for (const SatelliteAntenna &a : list)
    if (a.sat == sat && (!a.from || t >= *a.from) && (!a.until || t <= *a.until)) return &a;
  return nullptr;
}

const AntennaFrequency *satellite_frequency(const Antenna &a, char system, char band) {
  const double wanted = carrier_hz(system, band);
  const AntennaFrequency *best = nullptr;
  double nearest = 1e12;
  for (const auto &[name, f] : a.frequencies) {
    if (name.size() != 3 || name[0] != system) continue;
    const double away = std::abs(carrier_hz(system, name[2]) - wanted);
    if (away < nearest) nearest = away, best = &f;
  }
  return best;
}

double satellite_antenna_correction(const Antenna &a, const AntennaFrequency &f, const Vec3 &satellite,
                                    const Vec3 &unit, const Vec3 &sun) {
  const Vec3 z = -satellite.normalized(), y = z.cross(sun - satellite).normalized(), x = y.cross(z);
  const Vec3 offset = f.offset_neu.x() * x + f.offset_neu.y() * y + f.offset_neu.z() * z;
  const double nadir = degrees(std::acos(std::clamp(-unit.dot(z), -1.0, 1.0)));
  return unit.dot(offset) + variation_at(a, f.no_azimuth, nadir);
}

} // namespace ampletie
