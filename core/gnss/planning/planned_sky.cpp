#include "gnss/planning/planned_sky.h"
#include "base/angle.h"
#include "base/error.h"
#include "gnss/model/sight.h"
#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

namespace ampletie {
namespace {

/// BeiDou's satellites above the equator stand still; their messages are in a turned frame (BDS-SIS-ICD B1I, 5.2.4.12).
bool geostationary(const Ephemeris &e) {
  return e.sat.system == 'C' && e.sqrt_a > 6400 && std::abs(e.i0) < radians(20);
}

PlannedSky::Elements elements_of_message(const Ephemeris &e) {
  return {e.sat, e.toe, e.sqrt_a * e.sqrt_a, e.ecc, e.i0, e.omega0, e.omega_dot, e.omega, e.m0, e.delta_n};
}

/// Slots of a nominal constellation; angles in degrees, counted from some instant that does not matter.
std::vector<PlannedSky::Elements> nominal_constellation() {
  std::vector<PlannedSky::Elements> out;
  // Arguments of latitude of planes A to F, whose nodes follow at 60°.
  constexpr double first_node = 272.847;
  constexpr double slots[6][4] = {{268.126, 161.786, 11.676, 41.806},  {80.956, 173.336, 309.976, 204.376},
                                  {111.876, 11.796, 339.666, 241.556}, {135.226, 265.446, 35.156, 167.356},
                                  {197.046, 302.596, 66.066, 333.686}, {238.886, 345.226, 105.206, 135.346}};
  std::uint8_t number = 1;
  for (int plane = 0; plane < 6; ++plane)
    for (double u : slots[plane])
      out.push_back(
          {{'G', number++}, {}, 26559.7e3, 0, radians(55), radians(first_node + 60 * plane), 0, 0, radians(u), 0});
  number = 1;
  for (int plane = 0; plane < 3; ++plane)
    for (int slot = 0; slot < 8; ++slot)
      out.push_back({{'E', number++},
                     {},
                     29599.8e3,
                     0,
                     radians(56),
                     radians(120.0 * plane),
                     0,
                     0,
                     radians(45.0 * slot + 15.0 * plane),
                     0});
  return out;
}

/// Kepler's equation; quick for orbits as round as these.
double eccentric_anomaly(double mean, double ecc) {
  double e = mean;
  for (int i = 0; i < 12; ++i) e -= (e - ecc * std::sin(e) - mean) / (1 - ecc * std::cos(e));
  return e;
}

Vec3 position_of(const PlannedSky::Elements &s, GpsTime t) {
  const double since = t - s.toe;
  const double mean = s.anomaly + (std::sqrt(gm_earth / s.a) / s.a + s.motion_step) * since;
  const double e = eccentric_anomaly(std::remainder(mean, 2 * M_PI), s.ecc);
  const double anomaly = std::atan2(std::sqrt(1 - s.ecc * s.ecc) * std::sin(e), std::cos(e) - s.ecc);
  const double u = anomaly + s.perigee, r = s.a * (1 - s.ecc * std::cos(e));
  const double node = s.node + (s.node_rate - omega_earth) * since - omega_earth * s.toe.time_of_week();
  const Vec3 in_plane(r * std::cos(u), r * std::sin(u), 0);
  return Eigen::AngleAxisd(node, Vec3::UnitZ()) * (Eigen::AngleAxisd(s.inclination, Vec3::UnitX()) * in_plane);
}

const std::map<char, std::vector<Signal>> &planned_signals() {
  static const std::map<char, std::vector<Signal>> all{{'G', {{"C1C", "L1C"}, {"C2W", "L2W"}}},
                                                       {'E', {{"C1C", "L1C"}, {"C5Q", "L5Q"}}},
                                                       {'C', {{"C2I", "L2I"}, {"C6I", "L6I"}}},
                                                       {'J', {{"C1C", "L1C"}, {"C2L", "L2L"}}}};
  return all;
}
} // namespace

PlannedSky::PlannedSky(const std::vector<std::shared_ptr<const NavigationFile>> &navigation, double position_sd)
    : position_sd_(position_sd) {
  std::map<SatId, const Ephemeris *> newest;
  for (const auto &file : navigation)
    for (const Ephemeris &e : file->ephemerides) {
      if (e.health != 0 || geostationary(e) || !planned_signals().count(e.sat.system)) continue;
      const Ephemeris *&now = newest[e.sat];
      if (!now || now->toe < e.toe) now = &e;
    }
  for (const auto &[sat, e] : newest) all_.push_back(elements_of_message(*e));
  // A handful of satellites is no sky.
  nominal_ = all_.size() < 15;
  if (nominal_) all_ = nominal_constellation();
}

std::optional<GpsTime> PlannedSky::elements_of() const {
  if (nominal_) return {};
  return std::max_element(all_.begin(), all_.end(), [](const Elements &a, const Elements &b) { return a.toe < b.toe; })
      ->toe;
}

std::optional<SatelliteState> PlannedSky::at(SatId sat, GpsTime transmission, GpsTime) const {
  const auto s = std::find_if(all_.begin(), all_.end(), [&](const Elements &e) { return e.sat == sat; });
  if (s == all_.end()) return {};
  SatelliteState out;
  out.position = position_of(*s, transmission);
  out.velocity = (position_of(*s, transmission + 0.5) - position_of(*s, transmission + -0.5));
  return out;
}

OccupationModel planned_occupation(const PlannedSky &sky, const Vec3 &marker, GpsTime start, double minutes,
                                   double interval_s, double mask_deg) {
  if (!(minutes >= 1)) throw InputError("a planned session lasts a minute at least");
  OccupationModel out;
  const Geodetic place = to_geodetic(marker);
  const Mat3 axes = local_axes(place);
  const StandardDelay air(place, start, {});
  out.marker = marker, out.height = place.h, out.interval = interval_s, out.receiver = "planned";
  out.signals = planned_signals();
  std::map<SatId, bool> up;
  const auto count = static_cast<int>(std::floor(60 * minutes / interval_s)) + 1;
  for (int k = 0; k < count; ++k) {
    ModelledEpoch e;
    e.time = start + interval_s * k;
    for (const PlannedSky::Elements &s : sky.satellites()) {
      const Vec3 sight = position_of(s, e.time + -0.075) - marker;
      const Vec3 enu = axes * sight.normalized();
      const double elevation = std::asin(enu.z());
      bool &seen = up[s.sat];
      if (elevation < radians(mask_deg)) {
        seen = false;
        continue;
      }
      ModelledObservation o;
      o.sat = s.sat;
      if (!seen) o.slip = 0xFF;
      seen = true;
      o.code.fill(NAN), o.phase.fill(NAN);
      for (std::size_t i = 0; i < planned_signals().at(s.sat.system).size(); ++i) o.code[i] = 0, o.phase[i] = 0;
      o.unit = sight.normalized();
      o.elevation = static_cast<float>(elevation);
      o.azimuth = static_cast<float>(std::atan2(enu.x(), enu.y()));
      double mapping = 1;
      air(elevation, mapping);
      o.wet_mapping = static_cast<float>(mapping);
      e.sats.push_back(o);
    }
    std::sort(e.sats.begin(), e.sats.end(), [](const auto &a, const auto &b) { return a.sat < b.sat; });
    out.epochs.push_back(std::move(e));
  }
  return out;
}

} // namespace ampletie
