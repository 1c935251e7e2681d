#include "gnss/orbit.h"
#include "base/error.h"
#include <Eigen/Geometry>
#include <cmath>

namespace ampletie {
namespace {
constexpr double omega_earth = 7.2921151467e-5;
constexpr double relativity_factor = -2 / (speed_of_light * speed_of_light);
} // namespace

SatelliteState evaluate(const Ephemeris &e, GpsTime t) {
  const double gm = e.sat.system == 'E' ? 3.986004418e14 : 3.986005e14;
  const double a = e.sqrt_a * e.sqrt_a, n = std::sqrt(gm / (a * a * a)) + e.delta_n;
  const double tk = t - e.toe, m = e.m0 + n * tk;
  double ea = m;
  for (int i = 0; i < 30; ++i) {
    const double d = (ea - e.ecc * std::sin(ea) - m) / (1 - e.ecc * std::cos(ea));
    ea -= d;
    if (std::abs(d) < 1e-14) break;
  }
  const double se = std::sin(ea), ce = std::cos(ea), ea_dot = n / (1 - e.ecc * ce);
  const double root = std::sqrt(1 - e.ecc * e.ecc);
  const double phi = std::atan2(root * se, ce - e.ecc) + e.omega, phi_dot = root * ea_dot / (1 - e.ecc * ce);
  const double s2 = std::sin(2 * phi), c2 = std::cos(2 * phi);
  const double u = phi + e.cus * s2 + e.cuc * c2, u_dot = phi_dot * (1 + 2 * (e.cus * c2 - e.cuc * s2));
  const double r = a * (1 - e.ecc * ce) + e.crs * s2 + e.crc * c2,
               r_dot = a * e.ecc * se * ea_dot + 2 * phi_dot * (e.crs * c2 - e.crc * s2);
  const double i = e.i0 + e.idot * tk + e.cis * s2 + e.cic * c2,
               i_dot = e.idot + 2 * phi_dot * (e.cis * c2 - e.cic * s2);
  const double node = e.omega0 + (e.omega_dot - omega_earth) * tk - omega_earth * e.toe.time_of_week();
  const double node_dot = e.omega_dot - omega_earth;
  const double x = r * std::cos(u), y = r * std::sin(u);
  const double x_dot = r_dot * std::cos(u) - y * u_dot, y_dot = r_dot * std::sin(u) + x * u_dot;
  const double cn = std::cos(node), sn = std::sin(node), ci = std::cos(i), si = std::sin(i);
  SatelliteState s;
  s.position = {x * cn - y * ci * sn, x * sn + y * ci * cn, y * si};
  s.velocity = {x_dot * cn - y_dot * ci * sn + y * si * sn * i_dot - s.position.y() * node_dot,
                x_dot * sn + y_dot * ci * cn - y * si * cn * i_dot + s.position.x() * node_dot,
                y_dot * si + y * ci * i_dot};
  const double tc = t - e.toc;
  s.clock = e.af0 + e.af1 * tc + e.af2 * tc * tc -
            2 * std::sqrt(gm) / (speed_of_light * speed_of_light) * e.ecc * e.sqrt_a * se;
  return s;
}

BroadcastOrbits::BroadcastOrbits(std::vector<Ephemeris> all) {
  for (Ephemeris &e : all) by_sat_[e.sat].push_back(std::move(e));
  for (auto &[sat, list] : by_sat_) {
    std::sort(list.begin(), list.end(), [](const Ephemeris &a, const Ephemeris &b) {
      return std::tuple(a.toe, a.transmitted, a.iode, a.source, a.af0) <
             std::tuple(b.toe, b.transmitted, b.iode, b.source, b.af0);
    });
    // The same message received by several receivers comes several times.
    list.erase(std::unique(list.begin(), list.end(),
                           [](const Ephemeris &a, const Ephemeris &b) {
                             return a.toe == b.toe && a.iode == b.iode && a.source == b.source && a.af0 == b.af0;
                           }),
               list.end());
  }
}

const Ephemeris *BroadcastOrbits::select(SatId sat, GpsTime epoch) const {
  const auto it = by_sat_.find(sat);
  if (it == by_sat_.end()) return nullptr;
  const double limit = sat.system == 'E' ? 4 * 3600 : 2 * 3600 + 60; // half the fit interval
  const Ephemeris *best = nullptr;
  for (const Ephemeris &e : it->second) {
    if (std::abs(epoch - e.toe) > limit) continue;
    // F/NAV first for Galileo: its clock belongs to E1/E5a.
    const bool fits = e.sat.system != 'E' || (e.source & 2);
    const bool best_fits = best && (best->sat.system != 'E' || (best->source & 2));
    if (!best || (fits && !best_fits) || (fits == best_fits && std::abs(epoch - e.toe) < std::abs(epoch - best->toe)))
      best = &e;
  }
  return best;
}

std::optional<SatelliteState> BroadcastOrbits::at(SatId sat, GpsTime transmission, GpsTime epoch) const {
  const Ephemeris *e = select(sat, epoch);
  if (!e || e->health != 0) return {};
  return evaluate(*e, transmission);
}

PreciseOrbits::PreciseOrbits(const std::vector<Sp3File> &files) {
  for (const Sp3File &f : files) {
    const auto frame = frame_by_name(f.frame);
    if (!frame) throw InputError("the precise orbits are in the frame \"" + f.frame + "\", which is not known");
    if (frame_.known() && !(frame_ == *frame)) throw InputError("the precise orbits come in different frames");
    frame_ = *frame;
    for (const Sp3Epoch &e : f.epochs)
      for (const auto &[sat, p] : e.position) {
        const auto c = e.clock.find(sat);
        by_sat_[sat].emplace_back(e.time, p, c == e.clock.end() ? std::optional<double>() : c->second);
      }
  }
  for (auto &[sat, list] : by_sat_) {
    std::stable_sort(list.begin(), list.end(),
                     [](const auto &a, const auto &b) { return std::get<0>(a) < std::get<0>(b); });
    list.erase(std::unique(list.begin(), list.end(),
                           [](const auto &a, const auto &b) { return std::get<0>(a) == std::get<0>(b); }),
               list.end());
  }
}

std::optional<SatelliteState> PreciseOrbits::at(SatId sat, GpsTime t, GpsTime) const {
  constexpr std::size_t points = 10;
  const auto it = by_sat_.find(sat);
  if (it == by_sat_.end() || it->second.size() < points) return {};
  const auto &list = it->second;
  const auto upper =
      std::upper_bound(list.begin(), list.end(), t, [](GpsTime x, const auto &e) { return x < std::get<0>(e); });
  if (upper == list.begin() || upper == list.end()) return {};
  const auto k = static_cast<std::size_t>(upper - list.begin());
  const std::size_t first = std::min(k > points / 2 ? k - points / 2 : 0, list.size() - points);
  const double step = std::get<0>(list[first + 1]) - std::get<0>(list[first]);
  // Positions are turned to the frame of the wanted instant, which keeps the polynomial smooth.
  std::array<double, points> node{};
  std::array<Vec3, points> value;
  for (std::size_t i = 0; i < points; ++i) {
    const auto &[time, position, clock] = list[first + i];
    const double dt = time - t;
    if (std::abs(dt) > step * points) return {}; // a gap in the table
    node[i] = dt;
    value[i] = Eigen::AngleAxisd(omega_earth * dt, Vec3::UnitZ()) * position;
  }
  SatelliteState s;
  Vec3 inertial_velocity = Vec3::Zero();
  for (std::size_t i = 0; i < points; ++i) {
    double w = 1, slope = 0;
    for (std::size_t j = 0; j < points; ++j) {
      if (j == i) continue;
      w *= -node[j] / (node[i] - node[j]);
      double part = 1 / (node[i] - node[j]);
      for (std::size_t m = 0; m < points; ++m)
        if (m != i && m != j) part *= -node[m] / (node[i] - node[m]);
      slope += part;
    }
    s.position += w * value[i];
    inertial_velocity += slope * value[i];
  }
  s.velocity = inertial_velocity - Vec3(0, 0, omega_earth).cross(s.position);
  const auto &[t0, p0, c0] = list[k - 1];
  const auto &[t1, p1, c1] = list[k];
  if (!c0 || !c1 || t1 - t0 > 901) return {};
  const double u = (t - t0) / (t1 - t0);
  s.clock = *c0 * (1 - u) + *c1 * u + relativity_factor * s.position.dot(inertial_velocity);
  return s;
}

} // namespace ampletie
