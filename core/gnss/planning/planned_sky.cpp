#include "gnss/planning/planned_sky.h"
#include "base/angle.h"
#include "base/error.h"
#include "gnss/model/sight.h"
#include <algorithm>
#include <cmath>

namespace ampletie {
namespace {

/// BeiDou's satellites above the equator stand still, and low in most skies.
bool geostationary(const Ephemeris &e) {
  return e.sat.system == 'C' && e.sqrt_a > 6400 && std::abs(e.i0) < radians(20);
}

/// A round orbit; angles in degrees.
Ephemeris slot(SatId sat, double semi_major_m, double inclination, double node, double latitude_argument) {
  Ephemeris e;
  e.sat = sat, e.sqrt_a = std::sqrt(semi_major_m), e.i0 = radians(inclination), e.omega0 = radians(node),
  e.m0 = radians(latitude_argument);
  return e;
}

/// Slots of a nominal constellation, counted from some instant that does not matter.
std::map<SatId, Ephemeris> nominal_constellation() {
  std::map<SatId, Ephemeris> out;
  const auto add = [&](const Ephemeris &e) { out[e.sat] = e; };
  // Arguments of latitude of planes A to F, whose nodes follow at 60°.
  constexpr double first_node = 272.847;
  constexpr double slots[6][4] = {{268.126, 161.786, 11.676, 41.806},  {80.956, 173.336, 309.976, 204.376},
                                  {111.876, 11.796, 339.666, 241.556}, {135.226, 265.446, 35.156, 167.356},
                                  {197.046, 302.596, 66.066, 333.686}, {238.886, 345.226, 105.206, 135.346}};
  std::uint8_t number = 1;
  for (int plane = 0; plane < 6; ++plane)
    for (double u : slots[plane]) add(slot({'G', number++}, 26559.7e3, 55, first_node + 60 * plane, u));
  number = 1;
  for (int plane = 0; plane < 3; ++plane)
    for (int k = 0; k < 8; ++k) add(slot({'E', number++}, 29599.8e3, 56, 120.0 * plane, 45.0 * k + 15.0 * plane));
  return out;
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
  for (const auto &file : navigation)
    for (Ephemeris e : file->ephemerides) {
      if (e.health != 0 || geostationary(e) || !planned_signals().count(e.sat.system)) continue;
      e.idot = 0; // of hours, not of weeks
      const auto [now, fresh] = all_.try_emplace(e.sat, e);
      if (!fresh && now->second.toe < e.toe) now->second = e;
    }
  // A handful of satellites is no sky.
  nominal_ = all_.size() < 15;
  if (nominal_) all_ = nominal_constellation();
}

std::optional<GpsTime> PlannedSky::elements_of() const {
  if (nominal_) return {};
  GpsTime newest = all_.begin()->second.toe;
  for (const auto &[sat, e] : all_) newest = std::max(newest, e.toe);
  return newest;
}

std::optional<SatelliteState> PlannedSky::at(SatId sat, GpsTime transmission, GpsTime) const {
  const auto e = all_.find(sat);
  return e == all_.end() ? std::nullopt : std::optional(evaluate(e->second, transmission));
}

OccupationModel planned_occupation(const PlannedSky &sky, const Vec3 &marker, GpsTime start, double minutes,
                                   double interval_s, double mask_deg) {
  if (!(minutes >= 1)) throw InputError("a planned session lasts a minute at least");
  OccupationModel out;
  const Geodetic place = to_geodetic(marker);
  const Mat3 axes = local_axes(place);
  const StandardDelay air(place, start);
  out.marker = marker, out.height = place.h, out.interval = interval_s, out.receiver = "planned";
  out.signals = planned_signals();
  std::set<SatId> up;
  const auto count = static_cast<int>(std::floor(60 * minutes / interval_s)) + 1;
  for (int k = 0; k < count; ++k) {
    ModelledEpoch e;
    e.time = start + interval_s * k;
    for (const auto &[sat, elements] : sky.satellites()) {
      const Vec3 unit = sight(sky, sat, marker, e.time, e.time)->unit;
      const Look l = look(axes, unit);
      if (l.elevation < radians(mask_deg)) {
        up.erase(sat);
        continue;
      }
      ModelledObservation o;
      o.sat = sat;
      if (up.insert(sat).second) o.slip = 0xFF; // it rises
      o.code.fill(NAN), o.phase.fill(NAN);
      for (std::size_t i = 0; i < planned_signals().at(sat.system).size(); ++i) o.code[i] = 0, o.phase[i] = 0;
      o.unit = unit;
      o.elevation = static_cast<float>(l.elevation), o.azimuth = static_cast<float>(l.azimuth);
      double mapping = 1;
      air(l.elevation, mapping);
      o.wet_mapping = static_cast<float>(mapping);
      e.sats.push_back(o); // in the order of satellites
    }
    out.epochs.push_back(std::move(e));
  }
  return out;
}

} // namespace ampletie
