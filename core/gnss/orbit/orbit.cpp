#include "gnss/orbit/orbit.h"
#include "base/angle.h"
#include "base/error.h"
#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

namespace ampletie {
namespace {
constexpr double relativity_factor = -2 / (speed_of_light * speed_of_light);
} // namespace

SatelliteState evaluate(const Ephemeris &e, GpsTime t) {
  const bool bds = e.sat.system == 'C';
  const double gm = e.sat.system == 'E' || bds ? 3.986004418e14 : 3.986005e14;
  const double rotation = bds ? 7.2921150e-5 : omega_earth;
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
  const double tow = (bds ? e.toe + -14.0 : e.toe).time_of_week();
  // The geostationary satellites of BeiDou are described in a frame that does not turn and is tilted by 5°.
  const bool geo = bds && (e.sat.number <= 5 || e.sat.number >= 59);
  const double node_dot = geo ? e.omega_dot : e.omega_dot - rotation;
  const double node = e.omega0 + node_dot * tk - rotation * tow;
  const double x = r * std::cos(u), y = r * std::sin(u);
  const double x_dot = r_dot * std::cos(u) - y * u_dot, y_dot = r_dot * std::sin(u) + x * u_dot;
  const double cn = std::cos(node), sn = std::sin(node), ci = std::cos(i), si = std::sin(i);
  SatelliteState s;
  s.position = {x * cn - y * ci * sn, x * sn + y * ci * cn, y * si};
  s.velocity = {x_dot * cn - y_dot * ci * sn + y * si * sn * i_dot - s.position.y() * node_dot,
                x_dot * sn + y_dot * ci * cn - y * si * cn * i_dot + s.position.x() * node_dot,
                y_dot * si + y * ci * i_dot};
  if (geo) {
    const Mat3 tilt = Eigen::AngleAxisd(5 * pi / 180, Vec3::UnitX()).toRotationMatrix();
    const Mat3 turn = Eigen::AngleAxisd(-rotation * tk, Vec3::UnitZ()).toRotationMatrix();
    const Vec3 p = turn * (tilt * s.position);
    s.velocity = turn * (tilt * s.velocity) - Vec3(0, 0, rotation).cross(p);
    s.position = p;
  }
  const double tc = t - e.toc;
  s.clock = e.af0 + e.af1 * tc + e.af2 * tc * tc -
            2 * std::sqrt(gm) / (speed_of_light * speed_of_light) * e.ecc * e.sqrt_a * se;
  return s;
}

SatelliteState evaluate(const GlonassState &g, GpsTime t) {
  constexpr double gm = 3.986004418e14, j2 = 1.0826257e-3, radius = 6378136, rotation = 7.292115e-5;
  const auto slope = [&](const Vec3 &p, const Vec3 &v) -> Vec3 {
    const double r = p.norm(), r2 = r * r, a = -gm / (r2 * r), b = 1.5 * j2 * gm * radius * radius / (r2 * r2 * r),
                 c = 5 * p.z() * p.z() / r2;
    return {(a - b * (1 - c) + rotation * rotation) * p.x() + 2 * rotation * v.y() + g.acceleration.x(),
            (a - b * (1 - c) + rotation * rotation) * p.y() - 2 * rotation * v.x() + g.acceleration.y(),
            (a - b * (3 - c)) * p.z() + g.acceleration.z()};
  };
  const double whole = t - g.time;
  const int steps = std::max(1, static_cast<int>(std::ceil(std::abs(whole) / 60)));
  const double h = whole / steps;
  Vec3 p = g.position, v = g.velocity;
  for (int i = 0; i < steps; ++i) {
    const Vec3 a1 = slope(p, v);
    const Vec3 v2 = v + h / 2 * a1, a2 = slope(p + h / 2 * v, v2);
    const Vec3 v3 = v + h / 2 * a2, a3 = slope(p + h / 2 * v2, v3);
    const Vec3 v4 = v + h * a3, a4 = slope(p + h * v3, v4);
    p += h / 6 * (v + 2 * v2 + 2 * v3 + v4);
    v += h / 6 * (a1 + 2 * a2 + 2 * a3 + a4);
  }
  SatelliteState s;
  s.position = p;
  s.velocity = v;
  // γn contains the mean relativistic shift; the eccentricity term is part of the broadcast clock.
  s.clock = g.clock + g.drift * whole;
  return s;
}

BroadcastOrbits::BroadcastOrbits(NavigationFile all) {
  for (Ephemeris &e : all.ephemerides) by_sat_[e.sat].push_back(std::move(e));
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
  for (const GlonassState &g : all.glonass) glonass_[g.sat].push_back(g);
  for (auto &[sat, list] : glonass_)
    std::sort(list.begin(), list.end(), [](const GlonassState &a, const GlonassState &b) {
      return std::tuple(a.time, a.age_days, a.clock, a.position.x()) <
             std::tuple(b.time, b.age_days, b.clock, b.position.x());
    });
}

const Ephemeris *BroadcastOrbits::select(SatId sat, GpsTime epoch) const {
  const auto it = by_sat_.find(sat);
  if (it == by_sat_.end()) return nullptr;
  // Half the fit interval, with some room for messages that were not renewed.
  const double limit = sat.system == 'E' ? 4 * 3600 : sat.system == 'C' ? 3600 + 1800 : 2 * 3600 + 60;
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

const GlonassState *BroadcastOrbits::select_glonass(SatId sat, GpsTime epoch) const {
  const auto it = glonass_.find(sat);
  if (it == glonass_.end()) return nullptr;
  const GlonassState *best = nullptr;
  for (const GlonassState &g : it->second)
    if (std::abs(epoch - g.time) <= 1800 && (!best || std::abs(epoch - g.time) < std::abs(epoch - best->time)))
      best = &g;
  return best;
}

std::optional<SatelliteState> BroadcastOrbits::at(SatId sat, GpsTime transmission, GpsTime epoch) const {
  if (sat.system == 'R') {
    const GlonassState *g = select_glonass(sat, epoch);
    if (!g || g->health != 0) return {};
    return evaluate(*g, transmission);
  }
  const Ephemeris *e = select(sat, epoch);
  constexpr double worst_accuracy = 50; // m: the satellite itself says that it should not be used
  if (!e || e->health != 0 || e->accuracy > worst_accuracy) return {};
  return evaluate(*e, transmission);
}

long BroadcastOrbits::issue(SatId sat, GpsTime epoch) const {
  if (sat.system == 'R') {
    const GlonassState *g = select_glonass(sat, epoch);
    return g ? 1 + (g - glonass_.at(sat).data()) : 0;
  }
  const Ephemeris *e = select(sat, epoch);
  return e ? 1 + (e - by_sat_.at(sat).data()) : 0;
}

int BroadcastOrbits::glonass_channel(SatId sat) const {
  const auto it = glonass_.find(sat);
  return it == glonass_.end() ? -99 : it->second.front().channel;
}

double BroadcastOrbits::code_delay(SatId sat, char band, GpsTime epoch) const {
  const Ephemeris *e = sat.system == 'R' ? nullptr : select(sat, epoch);
  if (!e) return 0;
  auto gamma = [&](char b) {
    const double q = carrier_hz(sat.system, '1') / carrier_hz(sat.system, b);
    return q * q;
  };
  switch (sat.system) {
  case 'G':
  case 'J':
    return band == '1' || band == '2' ? gamma(band) * e->group_delay : 0;
  case 'E':
    // BGD(E1, E5a) with F/NAV, BGD(E1, E5b) with I/NAV; the other band of a three-frequency receiver scales likewise.
    return gamma(band) * ((e->source & 2) ? e->group_delay : e->group_delay_2);
  case 'C':
    return band == '2' ? e->group_delay : band == '7' ? e->group_delay_2 : 0;
  default:
    return 0;
  }
}

namespace {
using Covered = std::map<SatId, std::vector<std::pair<GpsTime, GpsTime>>>;

bool covers(const Covered &by_before, SatId sat, GpsTime t) {
  const auto it = by_before.find(sat);
  return it != by_before.end() && std::any_of(it->second.begin(), it->second.end(),
                                              [&](const auto &s) { return s.first <= t && t <= s.second; });
}

/// Adds what a file holds of each satellite to what the files before it covered.
void add_covered(Covered &all, const std::map<SatId, std::pair<GpsTime, GpsTime>> &own) {
  for (const auto &[sat, span] : own) all[sat].push_back(span);
}

void widen(std::map<SatId, std::pair<GpsTime, GpsTime>> &own, SatId sat, GpsTime t) {
  const auto [it, first] = own.try_emplace(sat, t, t);
  if (!first) it->second = {std::min(it->second.first, t), std::max(it->second.second, t)};
}
} // namespace

PreciseOrbits::PreciseOrbits(const std::vector<Sp3File> &files, const std::vector<ClockFile> &clocks) {
  Covered clock_spans, spans;
  for (const ClockFile &f : clocks) {
    std::map<SatId, std::pair<GpsTime, GpsTime>> own;
    for (const auto &[sat, list] : f.satellites)
      for (const auto &c : list)
        if (widen(own, sat, c.first); !covers(clock_spans, sat, c.first)) clocks_[sat].push_back(c);
    add_covered(clock_spans, own);
  }
  for (auto &[sat, list] : clocks_) {
    std::stable_sort(list.begin(), list.end(), [](const auto &a, const auto &b) { return a.first < b.first; });
    list.erase(std::unique(list.begin(), list.end(), [](const auto &a, const auto &b) { return a.first == b.first; }),
               list.end());
  }
  for (const Sp3File &f : files) {
    const auto frame = frame_by_name(f.frame);
    if (!frame) throw InputError("the precise orbits are in the frame \"" + f.frame + "\", which is not known");
    if (frame_.known() && !(frame_ == *frame)) throw InputError("the precise orbits come in different frames");
    frame_ = *frame;
    std::map<SatId, std::pair<GpsTime, GpsTime>> own;
    for (const Sp3Epoch &e : f.epochs)
      for (const auto &[sat, p] : e.position) {
        widen(own, sat, e.time);
        if (covers(spans, sat, e.time)) continue;
        const auto c = e.clock.find(sat);
        by_sat_[sat].emplace_back(e.time, p, c == e.clock.end() ? std::optional<double>() : c->second);
      }
    add_covered(spans, own);
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
  // The table's step is even, so one turn by a step serves all its points.
  double c = 1, sn = 0;
  const double turn = omega_earth * step, ct = std::cos(turn), st = std::sin(turn);
  for (std::size_t i = 0; i < points; ++i) {
    const auto &[time, position, clock] = list[first + i];
    const double dt = time - t;
    if (std::abs(dt) > step * points) return {}; // a gap in the table
    node[i] = dt;
    if (i == 0 || std::abs(dt - node[i - 1] - step) > 1e-6) {
      c = std::cos(omega_earth * dt), sn = std::sin(omega_earth * dt);
    } else {
      const double next = c * ct - sn * st;
      sn = sn * ct + c * st;
      c = next;
    }
    value[i] = {c * position.x() - sn * position.y(), sn * position.x() + c * position.y(), position.z()};
  }
  std::array<double, points> denominator{};
  for (std::size_t i = 0; i < points; ++i) {
    denominator[i] = 1;
    for (std::size_t j = 0; j < points; ++j)
      if (j != i) denominator[i] *= node[i] - node[j];
  }
  auto interpolated = [&](double x) {
    // Products from both ends serve all weights at once.
    std::array<double, points + 1> before{}, after{};
    before[0] = after[points] = 1;
    for (std::size_t i = 0; i < points; ++i) before[i + 1] = before[i] * (x - node[i]);
    for (std::size_t i = points; i-- > 0;) after[i] = after[i + 1] * (x - node[i]);
    Vec3 p = Vec3::Zero();
    for (std::size_t i = 0; i < points; ++i) p += before[i] * after[i + 1] / denominator[i] * value[i];
    return p;
  };
  SatelliteState s;
  s.position = interpolated(0);
  // Over a second the third derivative leaves some micrometres per second.
  const Vec3 inertial_velocity = interpolated(0.5) - interpolated(-0.5);
  s.velocity = inertial_velocity - Vec3(0, 0, omega_earth).cross(s.position);
  std::optional<double> clock;
  if (const auto own = clocks_.find(sat); own != clocks_.end()) {
    const auto &all = own->second;
    const auto next = std::upper_bound(all.begin(), all.end(), t, [](GpsTime x, const auto &e) { return x < e.first; });
    if (next != all.begin() && next != all.end() && next->first - std::prev(next)->first < 901) {
      const auto before = std::prev(next);
      const double u = (t - before->first) / (next->first - before->first);
      clock = before->second * (1 - u) + next->second * u;
    }
  }
  if (!clock) {
    const auto &[t0, p0, c0] = list[k - 1];
    const auto &[t1, p1, c1] = list[k];
    if (!c0 || !c1 || t1 - t0 > 901) return {};
    const double u = (t - t0) / (t1 - t0);
    clock = *c0 * (1 - u) + *c1 * u;
  }
  s.clock = *clock + relativity_factor * s.position.dot(inertial_velocity);
  return s;
}

} // namespace ampletie
