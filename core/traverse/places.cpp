#include "traverse/places.h"
#include "base/angle.h"
#include "base/error.h"
#include "geodesy/ellipsoid.h"
#include "traverse/distance.h"
#include "traverse/free_station.h"
#include "traverse/sets.h"
#include <algorithm>
#include <cmath>

namespace ampletie {
namespace {

/// Zenith angle with the refraction taken off.
double straight(const CarriedSight &s, double k) {
  return s.zenith + k * s.slope * std::sin(s.zenith) / (2 * sphere_radius);
}

double azimuth_of(const Vec3 &from, const Vec3 &to) {
  const Vec3 d = local_axes(to_geodetic(from)) * (to - from);
  return std::atan2(d.x(), d.y());
}

/// Where the instrument stands over the place of its mark, at the mark's height.
Vec3 stand(const CarriedSetup &s, const Vec3 &mark) {
  if (s.east == 0 && s.north == 0) return mark;
  return mark + local_axes(to_geodetic(mark)).transpose() * Vec3(s.east, s.north, 0);
}

/// Of the circle's zero, from the sights at known marks; a wrong name among three is outvoted. Else from azimuths.
bool orientation(const CarriedSetup &s, const std::map<std::string, Vec3> &marks, const Convergence &convergence,
                 double &out) {
  std::vector<double> all;
  const auto here = marks.find(s.mark);
  for (const CarriedSight &t : s.sights)
    if (const auto m = marks.find(t.to); m != marks.end() && t.to != s.mark && std::isfinite(t.direction))
      all.push_back(azimuth_of(stand(s, here->second), m->second) - t.direction);
  if (all.empty())
    for (const CarriedSight &t : s.sights)
      if (std::isfinite(t.azimuth) && std::isfinite(t.direction))
        all.push_back(t.azimuth + (t.grid_bearing && convergence ? convergence(here->second) : 0) - t.direction);
  if (all.empty()) return false;
  out = median_angle(std::move(all));
  return true;
}

/// Place of a free station in the plane at one of its marks; false when the sights do not tell.
bool resect(const CarriedSetup &s, const std::map<std::string, Vec3> &marks, double k, Vec3 &out) {
  const Vec3 *origin = nullptr;
  std::vector<StationSight> sights;
  Mat3 axes = Mat3::Identity();
  double up = 0;
  int heights = 0;
  for (const CarriedSight &t : s.sights) {
    const auto m = marks.find(t.to);
    if (m == marks.end() || !std::isfinite(t.direction)) continue;
    if (!origin) origin = &m->second, axes = local_axes(to_geodetic(*origin));
    const Vec3 enu = axes * (m->second - *origin);
    StationSight q;
    q.mark = t.to, q.place = {enu.x(), enu.y()};
    q.direction = positive_angle(t.direction), q.direction_sd = 2e-5;
    if (std::isfinite(t.slope) && std::isfinite(t.zenith)) {
      const double z = straight(t, k);
      q.distance = t.slope * std::sin(z), q.distance_sd = 0.01;
      const double across = *q.distance;
      up += enu.z() + across * across / (2 * sphere_radius) -
            (t.slope * std::cos(z) + across * across / (2 * sphere_radius) + s.instrument_height - t.target_height);
      ++heights;
    }
    sights.push_back(std::move(q));
  }
  if (sights.size() < 2 || heights == 0) return false;
  try {
    const FreeStation f = free_station(sights);
    const Vec3 flat(f.place.east, f.place.north, 0);
    // Up above the plane: the surface falls away from it.
    out = *origin + axes.transpose() * (Vec3(flat.x(), flat.y(), up / heights) - Vec3(s.east, s.north, 0));
    return true;
  } catch (const std::exception &) {
    return false;
  }
}

} // namespace

Vec3 polar_place(const Vec3 &station, double instrument_height, const CarriedSight &s, double azimuth, double k) {
  const Geodetic g = to_geodetic(station);
  const Mat3 axes = local_axes(g);
  const double z = straight(s, k);
  const Vec3 d = s.slope * Vec3(std::sin(z) * std::sin(azimuth), std::sin(z) * std::cos(azimuth), std::cos(z));
  Geodetic there = to_geodetic(station + axes.transpose() * (d + Vec3(0, 0, instrument_height)));
  there.h -= s.target_height;
  return to_cartesian(there);
}

Places carry_places(const std::vector<CarriedSetup> &setups, const std::map<std::string, Vec3> &known, double k,
                    const Convergence &convergence) {
  Places out;
  out.marks = known;
  auto carry = [&](const CarriedSetup &s) {
    bool moved = false;
    double zero = 0;
    if (const auto it = out.orientation.find(s.id); it != out.orientation.end())
      zero = it->second;
    else if (orientation(s, out.marks, convergence, zero))
      out.orientation[s.id] = zero, moved = true;
    else
      return false;
    for (const CarriedSight &t : s.sights) {
      if (out.marks.count(t.to) || !std::isfinite(t.direction) || !std::isfinite(t.zenith) || !std::isfinite(t.slope))
        continue;
      out.marks[t.to] = polar_place(stand(s, out.marks.at(s.mark)), s.instrument_height, t, zero + t.direction, k);
      moved = true;
    }
    return moved;
  };
  for (bool moved = true; moved;) {
    moved = false;
    for (const CarriedSetup &s : setups)
      if (out.marks.count(s.mark)) moved = carry(s) || moved;
    if (moved) continue;
    for (const CarriedSetup &s : setups) {
      Vec3 place;
      if (out.marks.count(s.mark) || !resect(s, out.marks, k, place)) continue;
      out.marks[s.mark] = place;
      moved = true;
      break;
    }
  }
  return out;
}

} // namespace ampletie
