#include "gnss/model/sight.h"
#include "base/angle.h"
#include "geodesy/atmosphere.h"
#include <Eigen/Dense>

namespace ampletie {
std::optional<Sight> sight(const Orbits &orbits, SatId sat, const Vec3 &point, GpsTime reception, GpsTime epoch) {
  double travel = 0.075;
  // One evaluation of the orbit; the second-order change of position is far below a micrometre.
  const auto s = orbits.at(sat, reception + -travel, epoch);
  if (!s) return {};
  Vec3 where;
  for (int i = 0; i < 3; ++i) {
    const double shift = 0.075 - travel;
    const double a = -omega_earth * travel, c = std::cos(a), sn = std::sin(a);
    const Vec3 p = s->position + s->velocity * shift -
                   0.5 * gm_earth / std::pow(s->position.norm(), 3) * s->position * shift * shift;
    where = {c * p.x() - sn * p.y(), sn * p.x() + c * p.y(), p.z()};
    travel = (where - point).norm() / speed_of_light;
  }
  Sight out;
  out.satellite = where;
  out.range = (where - point).norm();
  out.unit = (where - point) / out.range;
  const double rs = where.norm(), rr = point.norm();
  if (rr > 1e6) // a search that starts at the centre of the Earth has no path along which to be delayed
    out.range +=
        2 * gm_earth / (speed_of_light * speed_of_light) * std::log((rs + rr + out.range) / (rs + rr - out.range));
  out.clock = s->clock;
  return out;
}

Look look(const Mat3 &axes, const Vec3 &unit) {
  const Vec3 e = axes * unit;
  double az = std::atan2(e.x(), e.y());
  if (az < 0) az += 2 * pi;
  return {std::asin(std::clamp(e.z(), -1.0, 1.0)), az};
}

double wind_up(const Sight &s, const Vec3 &sun, const Mat3 &axes, double last) {
  const Vec3 k = -s.unit;
  const Vec3 z = -s.satellite.normalized(), y = z.cross(sun - s.satellite).normalized(), x = y.cross(z);
  const Vec3 north = axes.row(1), west = -axes.row(0).transpose();
  const Vec3 from = x - k * k.dot(x) - k.cross(y), to = north - k * k.dot(north) + k.cross(west);
  const double angle = std::acos(std::clamp(from.dot(to) / (from.norm() * to.norm()), -1.0, 1.0)) / (2 * pi);
  const double turn = k.dot(from.cross(to)) < 0 ? -angle : angle;
  return turn + std::round(last - turn);
}

StandardDelay::StandardDelay(const Geodetic &g, GpsTime t, const std::optional<Meteorology> &weather)
    : lat_(g.lat), h_(g.h) {
  const Meteorology m = weather.value_or(standard_atmosphere(g.h));
  dry_ = zenith_hydrostatic_delay(m.pressure, g.lat, g.h);
  wet_ = zenith_wet_delay(m);
  const Calendar c = calendar(t);
  doy_ = day_of_year(c.year, c.month, c.day);
}

double StandardDelay::operator()(double elevation, double &wet_mapping) const {
  const Mapping m = niell_mapping(elevation, lat_, h_, doy_);
  wet_mapping = m.wet;
  return dry_ * m.hydrostatic + wet_ * m.wet;
}

} // namespace ampletie
