#include "geodesy/ellipsoid.h"
#include "base/angle.h"
#include <Eigen/Geometry>
#include <cmath>

namespace ampletie {

double prime_vertical_radius(double lat, const Ellipsoid &e) {
  const double s = std::sin(lat);
  return e.a / std::sqrt(1 - e.e2() * s * s);
}

double meridian_radius(double lat, const Ellipsoid &e) {
  const double s = std::sin(lat);
  return e.a * (1 - e.e2()) / std::pow(1 - e.e2() * s * s, 1.5);
}

Vec3 to_cartesian(const Geodetic &g, const Ellipsoid &e) {
  const double n = prime_vertical_radius(g.lat, e);
  return {(n + g.h) * std::cos(g.lat) * std::cos(g.lon), (n + g.h) * std::cos(g.lat) * std::sin(g.lon),
          (n * (1 - e.e2()) + g.h) * std::sin(g.lat)};
}

// Bowring (1985), iterated. ERFA's eraGc2gde agrees to some ten nanometres (tests/geodesy); it is not used, as what has
// been issued must come out again to the last digit.
Geodetic to_geodetic(const Vec3 &x, const Ellipsoid &e) {
  const double p = std::hypot(x.x(), x.y()), b = e.b();
  const double ep2 = e.e2() / (1 - e.e2());
  Geodetic g;
  g.lon = std::atan2(x.y(), x.x());
  double beta = std::atan2(x.z() * e.a, p * b);
  for (int i = 0; i < 3; ++i) {
    const double s = std::sin(beta), c = std::cos(beta);
    g.lat = std::atan2(x.z() + ep2 * b * s * s * s, p - e.e2() * e.a * c * c * c);
    beta = std::atan2((1 - e.f) * std::sin(g.lat), std::cos(g.lat));
  }
  const double s = std::sin(g.lat), c = std::cos(g.lat);
  // p cos φ + z sin φ − a √(1 − e² sin² φ): well conditioned at the equator and at the poles alike.
  g.h = p * c + x.z() * s - e.a * std::sqrt(1 - e.e2() * s * s);
  return g;
}

Mat3 local_axes(double lat, double lon) {
  const double sp = std::sin(lat), cp = std::cos(lat), sl = std::sin(lon), cl = std::cos(lon);
  Mat3 r;
  r << -sl, cl, 0, -sp * cl, -sp * sl, cp, cp * cl, cp * sl, sp;
  return r;
}

Direction direction_to(const Vec3 &from, const Vec3 &to) {
  const Vec3 enu = local_axes(to_geodetic(from)) * (to - from);
  Direction d;
  d.azimuth = std::atan2(enu.x(), enu.y());
  if (d.azimuth < 0) d.azimuth += 2 * pi;
  d.elevation = std::atan2(enu.z(), std::hypot(enu.x(), enu.y()));
  return d;
}

} // namespace ampletie
