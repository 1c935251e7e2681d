#pragma once
#include "base/angle.h"
#include "geodesy/ellipsoid.h"
#include "geodesy/proj_objects.h"
#include <cmath>

namespace ampletie::projlib {

/// Geographic coordinates of a system as the register has them: its own order, unit and prime meridian.
struct GeographicAxes {
  bool latitude_first = true;
  double radians = pi / 180; ///< of one unit
  double meridian = 0;       ///< of its zero of longitude, radians from Greenwich
  Vec3 from(double lat, double lon) const {
    const double a = lat / radians, b = std::remainder(lon - meridian, 2 * pi) / radians;
    return latitude_first ? Vec3(a, b, 0) : Vec3(b, a, 0);
  }
  Geodetic to(const Vec3 &v, double h) const {
    const double lat = latitude_first ? v.x() : v.y(), lon = latitude_first ? v.y() : v.x();
    return {lat * radians, std::remainder(lon * radians + meridian, 2 * pi), h};
  }
};

/// Those of a geographic system; throws `InputError`, naming `name`, where it has none that are known.
GeographicAxes geographic_axes(const PJ *base, const std::string &name);

} // namespace ampletie::projlib
