#pragma once
#include "base/vector.h"

namespace ampletie {

/// A reference ellipsoid by semi-major axis (m) and flattening.
struct Ellipsoid {
  double a, f;
  double b() const { return a * (1 - f); }
  double e2() const { return f * (2 - f); }
};

/// GRS 80 (Moritz, Geodetic Reference System 1980): the ellipsoid of ITRS and ETRS89 coordinates.
inline constexpr Ellipsoid grs80{6378137.0, 1 / 298.257222101};
inline constexpr Ellipsoid wgs84{6378137.0, 1 / 298.257223563};

/// Latitude and longitude in radians, ellipsoidal height in metres.
struct Geodetic {
  double lat = 0, lon = 0, h = 0;
};

Vec3 to_cartesian(const Geodetic &g, const Ellipsoid &e = grs80);
/// Bowring's closed start with two Newton steps; below 1e-9 m and 1e-15 rad between 10 km deep and satellite height.
Geodetic to_geodetic(const Vec3 &xyz, const Ellipsoid &e = grs80);

/// Rows east, north, up at a point: `enu = local_axes(lat, lon) * (x - x0)`.
Mat3 local_axes(double lat, double lon);
inline Mat3 local_axes(const Geodetic &g) { return local_axes(g.lat, g.lon); }

/// Radii of curvature (m) in the meridian and in the prime vertical.
double meridian_radius(double lat, const Ellipsoid &e = grs80);
double prime_vertical_radius(double lat, const Ellipsoid &e = grs80);

struct Direction {
  double azimuth = 0, elevation = 0; ///< radians; azimuth clockwise from north, [0, 2π)
};
/// Direction from a point to a target (both Cartesian), at the point's ellipsoidal normal.
Direction direction_to(const Vec3 &from, const Vec3 &to);

} // namespace ampletie
