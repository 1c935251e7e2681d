#include "sky/orbits.h"
#include "base/angle.h"
#include <Eigen/Geometry>

namespace ampletie::sky {
namespace {

constexpr double mu = 3.986004415e14, radius = 6378136.3;
constexpr double j2 = 1.0826359e-3, j3 = -2.5325e-6, j4 = -1.6199e-6;
constexpr double mu_sun = 1.32712440018e20, mu_moon = 4.9048695e12;
constexpr double step = 30;

/// A number's bits shuffled (the finaliser of SplitMix64, Steele, Lea and Flood 2014).
std::uint64_t mix(std::uint64_t x) {
  x += 0x9e3779b97f4a7c15ULL;
  x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9ULL;
  x = (x ^ (x >> 27)) * 0x94d049bb133111ebULL;
  return x ^ (x >> 31);
}

// Low-precision series for the Sun and the Moon (Montenbruck and Gill, Satellite Orbits, section 3.3.2), some arc
// minutes; equatorial of date.
Vec3 sun_inertial(double days_j2000) {
  const double t = days_j2000 / 36525;
  const double m = radians(357.5256 + 35999.049 * t);
  const double lon =
      radians(282.94) + m + radians((6892 * std::sin(m) + 72 * std::sin(2 * m)) / 3600) + radians(1.3972 * t);
  const double r = (149.619 - 2.499 * std::cos(m) - 0.021 * std::cos(2 * m)) * 1e9;
  const double eps = radians(23.43929111);
  return {r * std::cos(lon), r * std::sin(lon) * std::cos(eps), r * std::sin(lon) * std::sin(eps)};
}

Vec3 moon_inertial(double days_j2000) {
  const double t = days_j2000 / 36525;
  const double l0 = radians(218.31617 + 481267.88088 * t - 1.3972 * t), l = radians(134.96292 + 477198.86753 * t),
               lp = radians(357.52543 + 35999.04944 * t), f = radians(93.27283 + 483202.01873 * t),
               d = radians(297.85027 + 445267.11135 * t);
  const double lon =
      l0 +
      radians((22640 * std::sin(l) + 769 * std::sin(2 * l) - 4586 * std::sin(l - 2 * d) + 2370 * std::sin(2 * d) -
               668 * std::sin(lp) - 412 * std::sin(2 * f) - 212 * std::sin(2 * l - 2 * d) -
               206 * std::sin(l + lp - 2 * d) + 192 * std::sin(l + 2 * d) - 165 * std::sin(lp - 2 * d) +
               148 * std::sin(l - lp) - 125 * std::sin(d) - 110 * std::sin(l + lp) - 55 * std::sin(2 * f - 2 * d)) /
              3600) +
      radians(1.3972 * t);
  const double lat =
      radians((18520 * std::sin(f + lon - l0 + radians((412 * std::sin(2 * f) + 541 * std::sin(lp)) / 3600)) -
               526 * std::sin(f - 2 * d) + 44 * std::sin(l + f - 2 * d) - 31 * std::sin(-l + f - 2 * d) -
               23 * std::sin(lp + f - 2 * d) + 11 * std::sin(-lp + f - 2 * d) - 25 * std::sin(-2 * l + f) +
               21 * std::sin(-l + f)) /
              3600);
  const double r =
      (385000 - 20905 * std::cos(l) - 3699 * std::cos(2 * d - l) - 2956 * std::cos(2 * d) - 570 * std::cos(2 * l) +
       246 * std::cos(2 * l - 2 * d) - 205 * std::cos(lp - 2 * d) - 171 * std::cos(l + 2 * d)) *
      1e3;
  const double eps = radians(23.43929111);
  const Vec3 ecl(r * std::cos(lon) * std::cos(lat), r * std::sin(lon) * std::cos(lat), r * std::sin(lat));
  return Eigen::AngleAxisd(eps, Vec3::UnitX()) * ecl;
}

double days_j2000(GpsTime t) { return mjd(t) - 51544.5; }

Vec3 third_body(const Vec3 &r, const Vec3 &body, double gm) {
  const Vec3 d = body - r;
  const double far = d.squaredNorm(), own = body.squaredNorm();
  return gm * (d / (far * std::sqrt(far)) - body / (own * std::sqrt(own)));
}

Vec3 acceleration(const Vec3 &x, const Vec3 &sun, const Vec3 &moon) {
  const double r2 = x.squaredNorm(), r = std::sqrt(r2), r5 = r2 * r2 * r, r7 = r5 * r2, z = x.z(), u = z * z / r2;
  Vec3 a = -mu / (r2 * r) * x;
  const double c2 = -1.5 * j2 * mu * radius * radius / r5;
  a += c2 * Vec3(x.x() * (1 - 5 * u), x.y() * (1 - 5 * u), z * (3 - 5 * u));
  const double c3 = -2.5 * j3 * mu * std::pow(radius, 3) / r7;
  a += c3 * Vec3(x.x() * (3 * z - 7 * z * u), x.y() * (3 * z - 7 * z * u), 6 * z * z - 7 * z * z * u - 0.6 * r2);
  const double c4 = 1.875 * j4 * mu * std::pow(radius, 4) / r7;
  a += c4 *
       Vec3(x.x() * (1 - 14 * u + 21 * u * u), x.y() * (1 - 14 * u + 21 * u * u), z * (5 - 70.0 / 3 * u + 21 * u * u));
  a += third_body(x, sun, mu_sun) + third_body(x, moon, mu_moon);
  return a - 1e-7 * (sun - x).normalized(); // radiation pressure, order of magnitude
}

Vec3 from_elements(double a, double inclination, double node, double argument, double ecc, double perigee,
                   Vec3 &velocity) {
  // argument: mean argument of latitude at the start
  double m = argument - perigee, e = m;
  for (int i = 0; i < 10; ++i) e = m + ecc * std::sin(e);
  const double n = std::sqrt(mu / (a * a * a));
  const Vec3 p(a * (std::cos(e) - ecc), a * std::sqrt(1 - ecc * ecc) * std::sin(e), 0);
  const double edot = n / (1 - ecc * std::cos(e));
  const Vec3 v(-a * std::sin(e) * edot, a * std::sqrt(1 - ecc * ecc) * std::cos(e) * edot, 0);
  const Mat3 r = (Eigen::AngleAxisd(node, Vec3::UnitZ()) * Eigen::AngleAxisd(inclination, Vec3::UnitX()) *
                  Eigen::AngleAxisd(perigee, Vec3::UnitZ()))
                     .toRotationMatrix();
  velocity = r * v;
  return r * p;
}

using Elements = Eigen::Matrix<double, 15, 1>;
using Partials = Eigen::Matrix<double, 3, 15>;

/// Fitted are, in place of eccentricity, perigee and anomaly, which are all but the same for round orbits: e cos ω,
/// e sin ω and the mean argument of latitude.
void put(Ephemeris &e, const Elements &p) {
  e.sqrt_a = p[0], e.ecc = std::hypot(p[1], p[2]), e.omega = std::atan2(p[2], p[1]), e.m0 = p[3] - e.omega;
  e.i0 = p[4], e.omega0 = p[5], e.omega_dot = p[6], e.idot = p[7];
  e.delta_n = p[8], e.cuc = p[9], e.cus = p[10], e.crc = p[11], e.crs = p[12], e.cic = p[13], e.cis = p[14];
}

/// Position from broadcast elements (IS-GPS-200 table 20-IV), earth-fixed at the instant, with its derivatives by the
/// fitted elements.
Vec3 broadcast_partials(const Ephemeris &e, GpsTime t, Partials &d) {
  const bool bds = e.sat.system == 'C';
  const double gm = e.sat.system == 'E' || bds ? 3.986004418e14 : 3.986005e14;
  const double rate = bds ? 7.2921150e-5 : omega_e; // each system's document has its own
  const double a = e.sqrt_a * e.sqrt_a, tk = t - e.toe, n = std::sqrt(gm / (a * a * a));
  const double m = e.m0 + (n + e.delta_n) * tk;
  double ea = m;
  for (int i = 0; i < 15; ++i) {
    const double next = m + e.ecc * std::sin(ea);
    if (next == ea) break;
    ea = next;
  }
  const double root = std::sqrt(1 - e.ecc * e.ecc), flat = 1 - e.ecc * std::cos(ea);
  const double nu = std::atan2(root * std::sin(ea), std::cos(ea) - e.ecc), u0 = nu + e.omega;
  const double s = std::sin(2 * u0), c = std::cos(2 * u0);
  const double u = u0 + e.cus * s + e.cuc * c, r = a * flat + e.crs * s + e.crc * c,
               i = e.i0 + e.idot * tk + e.cis * s + e.cic * c;
  const double tow = (bds ? e.toe + -14.0 : e.toe).time_of_week();
  const double node = e.omega0 + (e.omega_dot - rate) * tk - rate * tow;
  const double cn = std::cos(node), sn = std::sin(node), ci = std::cos(i), si = std::sin(i);
  const double x = r * std::cos(u), y = r * std::sin(u);
  const Vec3 p(x * cn - y * ci * sn, x * sn + y * ci * cn, y * si);
  const Vec3 by_u(-y * cn - x * ci * sn, -y * sn + x * ci * cn, x * si),
      by_r = p / r, by_i(y * si * sn, -y * si * cn, y * ci), by_node(-p.y(), p.x(), 0);
  // Through the argument of latitude and the radius before their harmonics.
  const Vec3 by_u0 = by_u * (1 + 2 * (e.cus * c - e.cuc * s)) + by_r * 2 * (e.crs * c - e.crc * s) +
                     by_i * 2 * (e.cis * c - e.cic * s);
  const double nu_m = root / (flat * flat), nu_e = std::sin(nu) * (2 + e.ecc * std::cos(nu)) / (1 - e.ecc * e.ecc);
  const double r_m = a * e.ecc * std::sin(nu) / root, r_e = -a * std::cos(nu);
  const Vec3 by_m = by_u0 * nu_m + by_r * r_m, by_e = by_u0 * nu_e + by_r * r_e, by_omega = by_u0 - by_m;
  const double co = std::cos(e.omega), so = std::sin(e.omega), small = std::max(e.ecc, 1e-9);
  d.col(0) = by_r * 2 * e.sqrt_a * flat - by_m * 3 * n * tk / e.sqrt_a;
  d.col(1) = by_e * co - by_omega * so / small;
  d.col(2) = by_e * so + by_omega * co / small;
  d.col(3) = by_m;
  d.col(4) = by_i, d.col(5) = by_node, d.col(6) = by_node * tk, d.col(7) = by_i * tk;
  d.col(8) = by_m * tk;
  d.col(9) = by_u * c, d.col(10) = by_u * s, d.col(11) = by_r * c, d.col(12) = by_r * s, d.col(13) = by_i * c,
  d.col(14) = by_i * s;
  return p;
}

} // namespace

double Orbits::angle(GpsTime t) const {
  // Whole turns are taken off at the start, so that the rate stays exactly that of the broadcast algorithm.
  const double at_start = 2 * pi * std::fmod(0.7790572732640 + 1.00273781191135448 * days_j2000(start_), 1.0);
  return at_start + omega_e * (t - start_);
}

Orbits::Orbits(GpsTime from, GpsTime to, std::uint64_t seed, const std::string &systems) : start_(from) {
  Random random(seed, "constellation");
  std::vector<std::array<Vec3, 2>> now;
  auto add = [&](char system, int planes, int per_plane, double a, double inclination, double node0, int number = 1) {
    for (int p = 0; p < planes; ++p)
      for (int k = 0; k < per_plane; ++k) {
        sats_.push_back({system, static_cast<std::uint8_t>(number++)});
        const double node = node0 + 2 * pi * p / planes;
        const double arg = 2 * pi * k / per_plane + 2 * pi * p / (planes * per_plane) + radians(random.uniform(-6, 6));
        Vec3 v,
            x = from_elements(a + random.uniform(-3000, 3000), radians(inclination + random.uniform(-0.8, 0.8)), node,
                              arg, system == 'G' ? random.uniform(0.002, 0.015) : random.uniform(0.0001, 0.0006),
                              random.uniform(0, 2 * pi), v);
        now.push_back({x, v});
      }
  };
  const double node0 = random.uniform(0, 2 * pi);
  add('G', 6, 5, 26559700, 55.3, node0);
  add('E', 3, 8, 29600300, 56.2, node0 + 0.7);
  if (systems.find('R') != std::string::npos) add('R', 3, 8, 25508000, 64.8, node0 + 1.1);
  if (systems.find('C') != std::string::npos) add('C', 3, 8, 27906100, 55.0, node0 + 1.6, 19);
  if (systems.find('J') != std::string::npos)
    // Three inclined, eccentric orbits of one day with a common ground track about 135° east.
    for (int k = 0; k < 3; ++k) {
      sats_.push_back({'J', static_cast<std::uint8_t>(k + 1)});
      const double node = 2 * pi * k / 3, longitude = radians(135 + random.uniform(-2, 2)) + angle(from);
      Vec3 v, x = from_elements(42164170, radians(41 + random.uniform(-1, 1)), node, longitude - node, 0.075,
                                radians(270), v);
      now.push_back({x, v});
    }
  const auto n = static_cast<std::size_t>((to - from) / step) + 2;
  states_.resize(sats_.size());
  for (auto &s : states_) s.reserve(n);
  for (std::size_t k = 0; k < n; ++k) {
    const double d = days_j2000(start_ + static_cast<double>(k) * step);
    const std::array<Vec3, 3> suns{sun_inertial(d), sun_inertial(d + step / 172800), sun_inertial(d + step / 86400)},
        moons{moon_inertial(d), moon_inertial(d + step / 172800), moon_inertial(d + step / 86400)};
    for (std::size_t i = 0; i < sats_.size(); ++i) {
      states_[i].push_back(now[i]);
      auto &[x, v] = now[i];
      const Vec3 a1 = acceleration(x, suns[0], moons[0]);
      const Vec3 x2 = x + v * (step / 2), v2 = v + a1 * (step / 2), a2 = acceleration(x2, suns[1], moons[1]);
      const Vec3 x3 = x + v2 * (step / 2), v3 = v + a2 * (step / 2), a3 = acceleration(x3, suns[1], moons[1]);
      const Vec3 x4 = x + v3 * step, v4 = v + a3 * step, a4 = acceleration(x4, suns[2], moons[2]);
      x += step / 6 * (v + 2 * v2 + 2 * v3 + v4);
      v += step / 6 * (a1 + 2 * a2 + 2 * a3 + a4);
    }
  }
}

Orbits::State Orbits::earth_fixed(std::size_t sat, GpsTime t) const {
  const double s = (t - start_) / step;
  const auto &list = states_[sat];
  const auto k = std::min(static_cast<std::size_t>(std::max(0.0, s)), list.size() - 2);
  const double u = s - static_cast<double>(k), h = step;
  const auto &[x0, v0] = list[k];
  const auto &[x1, v1] = list[k + 1];
  // Cubic Hermite: below 0.03 mm at this step.
  const double u2 = u * u, u3 = u2 * u;
  const Vec3 x = (2 * u3 - 3 * u2 + 1) * x0 + (u3 - 2 * u2 + u) * h * v0 + (3 * u2 - 2 * u3) * x1 + (u3 - u2) * h * v1;
  const Vec3 v =
      ((6 * u2 - 6 * u) * x0 + (6 * u - 6 * u2) * x1) / h + (3 * u2 - 4 * u + 1) * v0 + (3 * u2 - 2 * u) * v1;
  const Mat3 r = Eigen::AngleAxisd(-angle(t), Vec3::UnitZ()).toRotationMatrix();
  const Vec3 xe = r * x;
  return {xe, r * v - Vec3(0, 0, omega_e).cross(xe)};
}

Vec3 Orbits::sun(GpsTime t) const { return Eigen::AngleAxisd(-angle(t), Vec3::UnitZ()) * sun_inertial(days_j2000(t)); }
Vec3 Orbits::moon(GpsTime t) const {
  return Eigen::AngleAxisd(-angle(t), Vec3::UnitZ()) * moon_inertial(days_j2000(t));
}

Vec3 Orbits::lunisolar(std::size_t sat, GpsTime t) const {
  const Vec3 x = earth_fixed(sat, t).position;
  return third_body(x, sun(t), mu_sun) + third_body(x, moon(t), mu_moon);
}

int glonass_channel(SatId sat) {
  static constexpr int channels[] = {1, -4, 5, 6, 1, -4, 5, 6, -2, -7, 0, -1, -2, -7, 0, -1, 4, -3, 3, 2, 4, -3, 3, 2};
  return channels[(sat.number - 1) % 24];
}

GlonassState glonass_broadcast(const Orbits &orbits, const Clocks &clocks, std::size_t sat, GpsTime t, double orbit_sd,
                               std::uint64_t seed) {
  GlonassState g;
  g.sat = orbits.satellites()[sat];
  Random random(seed, "broadcast " + g.sat.name() + iso(t));
  const auto s = orbits.earth_fixed(sat, t);
  const Vec3 v = s.velocity + Vec3(0, 0, omega_e).cross(s.position);
  const Vec3 radial = s.position.normalized(), across = radial.cross(v).normalized(), along = across.cross(radial);
  g.time = t;
  g.position = s.position + orbit_sd * (0.35 * random.normal() * radial + 0.8 * random.normal() * along +
                                        0.5 * random.normal() * across);
  g.velocity = s.velocity + 1e-4 * orbit_sd * random.normal() * along;
  g.acceleration = orbits.lunisolar(sat, t);
  // The broadcast clock of GLONASS holds the eccentricity term.
  auto clock = [&](GpsTime at) {
    const auto q = orbits.earth_fixed(sat, at);
    const Vec3 qv = q.velocity + Vec3(0, 0, omega_e).cross(q.position);
    return clocks.offset(sat, at) - 2 * q.position.dot(qv) / (speed_of_light * speed_of_light);
  };
  g.drift = (clock(t + 900.0) - clock(t + -900.0)) / 1800;
  g.clock = clock(t) + 3e-9 * random.normal();
  g.channel = glonass_channel(g.sat);
  return g;
}

Clocks::Clocks(std::size_t n, GpsTime from, GpsTime to, std::uint64_t seed) : start_(from), seed_(seed) {
  // Masers and newer rubidium clocks stay below 3e-12/√s, older rubidium and caesium ones reach 1e-11 (common
  // practice).
  Random kind(seed, "restless clocks");
  for (std::size_t i = 0; i < n; ++i) restless_.push_back(std::exp(kind.uniform(std::log(2e-12), std::log(1.2e-11))));
  Random random(seed, "satellite clocks");
  const auto count = static_cast<std::size_t>((to - from) / step) + 2;
  for (std::size_t i = 0; i < n; ++i) {
    const double a0 = random.uniform(-4e-4, 4e-4), a1 = random.uniform(-5e-12, 5e-12);
    std::vector<double> v(count);
    double walk = 0;
    for (std::size_t k = 0; k < count; ++k) {
      v[k] = a0 + a1 * static_cast<double>(k) * step + walk;
      walk += restless_[i] * std::sqrt(step) * random.normal();
    }
    values_.push_back(std::move(v));
  }
}

/// A walk that is pinned at both ends of a step, halved again and again (Lévy's construction): the same at every call
/// without being kept. Zero at u = 0 and 1.
double Clocks::between(std::size_t sat, std::size_t k, double u) const {
  constexpr int halvings = 6; // to half a second
  double from = 0, to = 0, span = step;
  std::uint64_t place = 1;
  for (int i = 0; i < halvings && u > 0; ++i, span /= 2) {
    const std::uint64_t key = mix(mix(mix(seed_ + sat) + k) + place);
    const double a = static_cast<double>((key >> 11) + 1) * 0x1.0p-53,
                 b = static_cast<double>(mix(key) >> 11) * 0x1.0p-53;
    const double middle =
        (from + to) / 2 + restless_[sat] * std::sqrt(span) / 2 * std::sqrt(-2 * std::log(a)) * std::cos(2 * pi * b);
    const bool later = u >= 0.5;
    (later ? from : to) = middle;
    u = 2 * u - (later ? 1 : 0);
    place = 2 * place + (later ? 1 : 0);
  }
  return from * (1 - u) + to * u;
}

double Clocks::offset(std::size_t sat, GpsTime t) const {
  const double s = (t - start_) / step;
  const auto &v = values_[sat];
  const auto k = std::min(static_cast<std::size_t>(std::max(0.0, s)), v.size() - 2);
  const double u = s - static_cast<double>(k);
  return v[k] * (1 - u) + v[k + 1] * u + (u < 1 ? between(sat, k, u) : 0);
}

Ephemeris fit_broadcast(const Orbits &orbits, const Clocks &clocks, std::size_t sat, GpsTime toe, double orbit_sd,
                        std::uint64_t seed) {
  Ephemeris e;
  e.sat = orbits.satellites()[sat];
  Random random(seed, "broadcast " + e.sat.name() + iso(toe));
  e.toe = e.toc = toe;
  e.transmitted = toe + -3600.0;
  e.iode = static_cast<int>(random.integer(1, 250));
  e.source = e.sat.system == 'E' ? 258 : 1; // F/NAV with the E5a clock; codes on L2
  e.accuracy = e.sat.system == 'E' ? 3.12 : 2.0;

  // The error of a real broadcast orbit: a shift and a slow oscillation, largest along the track.
  const Vec3 sd(orbit_sd * 0.35, orbit_sd * 0.8, orbit_sd * 0.5); // radial, along, across; 3D about 1 m
  const Vec3 shift = sd.cwiseProduct(Vec3(random.normal(), random.normal(), random.normal()));
  std::vector<GpsTime> times;
  std::vector<Vec3> target;
  for (int k = -26; k <= 26; ++k) {
    const GpsTime t = toe + k * 300.0;
    const auto s = orbits.earth_fixed(sat, t);
    const Vec3 v = s.velocity + Vec3(0, 0, omega_e).cross(s.position);
    const Vec3 radial = s.position.normalized(), across = radial.cross(v).normalized(), along = across.cross(radial);
    times.push_back(t);
    target.push_back(s.position + shift.x() * radial + shift.y() * along + shift.z() * across);
  }
  // Start from the osculating ellipse in the frame that is fixed at the start of the week.
  const auto s0 = orbits.earth_fixed(sat, toe);
  const Mat3 back = Eigen::AngleAxisd(omega_e * toe.time_of_week(), Vec3::UnitZ()).toRotationMatrix();
  const Vec3 x = back * s0.position, v = back * (s0.velocity + Vec3(0, 0, omega_e).cross(s0.position));
  const double gm = e.sat.system == 'E' ? 3.986004418e14 : 3.986005e14;
  const Vec3 h = x.cross(v);
  const double r = x.norm(), a = 1 / (2 / r - v.squaredNorm() / gm);
  const Vec3 ev = v.cross(h) / gm - x / r;
  const Vec3 node = Vec3::UnitZ().cross(h).normalized();
  Elements p = Elements::Zero();
  p[0] = std::sqrt(a);
  p[5] = std::atan2(node.y(), node.x());
  p[4] = std::acos(h.z() / h.norm());
  const Vec3 m90 = h.normalized().cross(node);
  const double omega = std::atan2(ev.dot(m90), ev.dot(node)), ecc = ev.norm();
  const double nu = std::atan2(x.dot(m90), x.dot(node)) - omega;
  const double ea = std::atan2(std::sqrt(1 - ecc * ecc) * std::sin(nu), ecc + std::cos(nu));
  p[1] = ecc * std::cos(omega), p[2] = ecc * std::sin(omega), p[3] = omega + ea - ecc * std::sin(ea);
  const auto rows = static_cast<Eigen::Index>(3 * times.size());
  for (int iteration = 0; iteration < 20; ++iteration) {
    Eigen::VectorXd misfit(rows);
    Eigen::Matrix<double, Eigen::Dynamic, 15> jacobian(rows, 15);
    put(e, p);
    Partials partials;
    for (std::size_t k = 0; k < times.size(); ++k) {
      const auto at = static_cast<Eigen::Index>(3 * k);
      misfit.segment<3>(at) = target[k] - broadcast_partials(e, times[k], partials);
      jacobian.middleRows<3>(at) = partials;
    }
    const Elements size = jacobian.colwise().norm();
    jacobian.array().rowwise() /= size.transpose().array();
    const Elements by_size = jacobian.householderQr().solve(misfit);
    p += by_size.cwiseQuotient(size);
    if (by_size.cwiseAbs().maxCoeff() < 1e-4) break; // m, over all the epochs together
  }
  put(e, p);
  e.omega0 -= 2 * pi * std::round(e.omega0 / (2 * pi));
  e.m0 -= 2 * pi * std::round(e.m0 / (2 * pi));
  const double c1 = clocks.offset(sat, toe + -3600.0), c2 = clocks.offset(sat, toe + 3600.0);
  e.af1 = (c2 - c1) / 7200;
  e.af0 = (c1 + c2) / 2 + 1.0e-9 * random.normal();
  return e;
}

} // namespace ampletie::sky
