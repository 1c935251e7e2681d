#pragma once
#include "base/vector.h"
#include <cmath>
#include <functional>
#include <map>
#include <string>
#include <vector>

namespace ampletie {

/// A look at a mark, corrected; NaN where it was not measured. Radians, m.
struct CarriedSight {
  std::string to;
  double direction = 0, zenith = 0, slope = 0, target_height = 0;
  double azimuth = NAN;
  bool grid_bearing = false; ///< the azimuth counts from grid north
};
struct CarriedSetup {
  std::string id, mark;
  double instrument_height = 0;
  std::vector<CarriedSight> sights;
  double east = 0, north = 0; ///< of the instrument from its mark, m
};
struct Places {
  std::map<std::string, Vec3> marks;         ///< Cartesian, m; the known ones among them
  std::map<std::string, double> orientation; ///< set-up → azimuth of its circle's zero, radians
};
/// Geodetic azimuth less grid bearing at a place, radians.
using Convergence = std::function<double(const Vec3 &)>;

/// Places of marks as sights carry them on from known ones, in the order in which they are reached: orientation from
/// the median over known marks, new marks by polar sights, stations on unknown marks by resection from two marks and
/// more. Good enough to begin an adjustment or to name a scale factor (centimetres per leg); what nothing leads to is
/// missing. `k`: coefficient of refraction.
Places carry_places(const std::vector<CarriedSetup> &setups, const std::map<std::string, Vec3> &known, double k,
                    const Convergence &convergence = {});

/// Where a polar sight leads.
Vec3 polar_place(const Vec3 &station, double instrument_height, const CarriedSight &s, double azimuth, double k);

} // namespace ampletie
