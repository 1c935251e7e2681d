#include "geodesy/tide.h"
#include "base/angle.h"
#include <array>
#include <cmath>
#include <erfa.h>
#include <erfam.h>

namespace ampletie {
namespace {

constexpr double earth_radius = 6378136.6;
constexpr double sun_mass_ratio = 332946.0482, moon_mass_ratio = 0.0123000371;
constexpr double h2_nominal = 0.6078, l2_nominal = 0.0847, h3 = 0.292, l3 = 0.015;

/// A station resolved into what all parts of the model need.
struct Site {
  double r, sin_lat, cos_lat, sin_lon, cos_lon, lon;
  Vec3 unit;
  explicit Site(const Vec3 &x) : r(x.norm()), unit(x / r) {
    sin_lat = unit.z();
    cos_lat = std::hypot(unit.x(), unit.y());
    lon = std::atan2(x.y(), x.x());
    sin_lon = unit.y() / cos_lat;
    cos_lon = unit.x() / cos_lat;
  }
  Vec3 from_local(double radial, double north, double east) const {
    return {radial * cos_lon * cos_lat - east * sin_lon - north * sin_lat * cos_lon,
            radial * sin_lon * cos_lat + east * cos_lon - north * sin_lat * sin_lon,
            radial * sin_lat + north * cos_lat};
  }
};

// IERS (2010) eq. 7.5 and 7.6.
Vec3 in_phase(const Site &s, const Vec3 &body, double mass_ratio) {
  const double distance = body.norm();
  const Vec3 b = body / distance;
  const double c = s.unit.dot(b);
  const double lat_term = 1 - 1.5 * s.cos_lat * s.cos_lat;
  const double h2 = h2_nominal - 0.0006 * lat_term, l2 = l2_nominal + 0.0002 * lat_term;
  const double f2 = mass_ratio * earth_radius * std::pow(earth_radius / distance, 3);
  const double f3 = f2 * earth_radius / distance;
  const double radial2 = 3 * (h2 / 2 - l2) * c * c - h2 / 2;
  const double radial3 = 5.0 / 2 * (h3 - 3 * l3) * c * c * c + 1.5 * (l3 - h3) * c;
  const double along2 = 3 * l2 * c, along3 = 1.5 * l3 * (5 * c * c - 1);
  return f2 * (radial2 * s.unit + along2 * b) + f3 * (radial3 * s.unit + along3 * b);
}

// IERS (2010) eq. 7.10 and 7.11: anelasticity, out of phase.
Vec3 out_of_phase(const Site &s, const Vec3 &body, double mass_ratio) {
  const double distance = body.norm();
  const double f2 = mass_ratio * earth_radius * std::pow(earth_radius / distance, 3);
  const double rho = std::hypot(body.x(), body.y());
  const double sp = body.z() / distance, cp = rho / distance, sl = body.y() / rho, cl = body.x() / rho;
  const double sd = s.sin_lon * cl - s.cos_lon * sl, cd = s.cos_lon * cl + s.sin_lon * sl; // of λ − λ_body
  const double cos2 = 2 * s.cos_lat * s.cos_lat - 1, sin2 = 2 * s.sin_lat * s.cos_lat;
  const double sd2 = 2 * sd * cd, cd2 = cd * cd - sd * sd;
  constexpr double hd = -0.0025, ld = -0.0007, hs = -0.0022, ls = -0.0007;
  double radial = -0.75 * hd * 2 * sp * cp * sin2 * sd * f2;
  double north = -1.5 * ld * 2 * sp * cp * cos2 * sd * f2;
  double east = -1.5 * ld * 2 * sp * cp * s.sin_lat * cd * f2;
  radial += -0.75 * hs * cp * cp * s.cos_lat * s.cos_lat * sd2 * f2;
  north += 1.5 * ls * cp * cp * s.sin_lat * s.cos_lat * sd2 * f2;
  east += -1.5 * ls * cp * cp * s.cos_lat * cd2 * f2;
  return s.from_local(radial, north, east);
}

// IERS (2010) eq. 7.8 and 7.9: latitude dependence of the transverse Love number.
Vec3 latitude_dependent(const Site &s, const Vec3 &body, double mass_ratio) {
  const double distance = body.norm();
  const double f2 = mass_ratio * earth_radius * std::pow(earth_radius / distance, 3);
  const double rho = std::hypot(body.x(), body.y());
  const double sp = body.z() / distance, cp = rho / distance, sl = body.y() / rho, cl = body.x() / rho;
  const double sd = s.sin_lon * cl - s.cos_lon * sl, cd = s.cos_lon * cl + s.sin_lon * sl;
  const double sd2 = 2 * sd * cd, cd2 = cd * cd - sd * sd;
  const double cos2 = 2 * s.cos_lat * s.cos_lat - 1;
  constexpr double diurnal = 0.0012, semidiurnal = 0.0024;
  const double p21 = 3 * sp * cp, p22 = 3 * cp * cp;
  double north = -diurnal * s.sin_lat * s.sin_lat * f2 * p21 * cd;
  double east = diurnal * s.sin_lat * cos2 * f2 * p21 * sd;
  north += -0.5 * semidiurnal * s.sin_lat * s.cos_lat * f2 * p22 * cd2;
  east += -0.5 * semidiurnal * s.sin_lat * s.sin_lat * s.cos_lat * f2 * p22 * sd2;
  return s.from_local(0, north, east);
}

struct Diurnal {
  std::array<double, 5> k;         // s, h, p, N', ps
  double r_in, r_out, t_in, t_out; // mm
};
// IERS (2010) table 7.3a.
constexpr std::array<Diurnal, 31> diurnal_terms{{{{-3, 0, 2, 0, 0}, -0.01, 0, 0, 0},
                                                 {{-3, 2, 0, 0, 0}, -0.01, 0, 0, 0},
                                                 {{-2, 0, 1, -1, 0}, -0.02, 0, 0, 0},
                                                 {{-2, 0, 1, 0, 0}, -0.08, 0, -0.01, 0.01},
                                                 {{-2, 2, -1, 0, 0}, -0.02, 0, 0, 0},
                                                 {{-1, 0, 0, -1, 0}, -0.1, 0, 0, 0},
                                                 {{-1, 0, 0, 0, 0}, -0.51, 0, -0.02, 0.03},
                                                 {{-1, 2, 0, 0, 0}, 0.01, 0, 0, 0},
                                                 {{0, -2, 1, 0, 0}, 0.01, 0, 0, 0},
                                                 {{0, 0, -1, 0, 0}, 0.02, 0, 0, 0},
                                                 {{0, 0, 1, 0, 0}, 0.06, 0, 0, 0},
                                                 {{0, 0, 1, 1, 0}, 0.01, 0, 0, 0},
                                                 {{0, 2, -1, 0, 0}, 0.01, 0, 0, 0},
                                                 {{1, -3, 0, 0, 1}, -0.06, 0, 0, 0},
                                                 {{1, -2, 0, -1, 0}, 0.01, 0, 0, 0},
                                                 {{1, -2, 0, 0, 0}, -1.23, -0.07, 0.06, 0.01},
                                                 {{1, -1, 0, 0, -1}, 0.02, 0, 0, 0},
                                                 {{1, -1, 0, 0, 1}, 0.04, 0, 0, 0},
                                                 {{1, 0, 0, -1, 0}, -0.22, 0.01, 0.01, 0},
                                                 {{1, 0, 0, 0, 0}, 12, -0.8, -0.67, -0.03},
                                                 {{1, 0, 0, 1, 0}, 1.73, -0.12, -0.1, 0},
                                                 {{1, 0, 0, 2, 0}, -0.04, 0, 0, 0},
                                                 {{1, 1, 0, 0, -1}, -0.5, -0.01, 0.03, 0},
                                                 {{1, 1, 0, 0, 1}, 0.01, 0, 0, 0},
                                                 {{0, 1, 0, 1, -1}, -0.01, 0, 0, 0},
                                                 {{1, 2, -2, 0, 0}, -0.01, 0, 0, 0},
                                                 {{1, 2, 0, 0, 0}, -0.11, 0.01, 0.01, 0},
                                                 {{2, -2, 1, 0, 0}, -0.01, 0, 0, 0},
                                                 {{2, 0, -1, 0, 0}, -0.02, 0, 0, 0},
                                                 {{3, 0, 0, 0, 0}, 0, 0, 0, 0},
                                                 {{3, 0, 0, 1, 0}, 0, 0, 0, 0}}};
struct LongPeriod {
  std::array<double, 5> k;
  double r_in, t_in, r_out, t_out;
};
// IERS (2010) table 7.3b.
constexpr std::array<LongPeriod, 5> long_terms{{{{0, 0, 0, 1, 0}, 0.47, 0.23, 0.16, 0.07},
                                                {{0, 2, 0, 0, 0}, -0.2, -0.12, -0.11, -0.05},
                                                {{1, 0, -1, 0, 0}, -0.11, -0.08, -0.09, -0.04},
                                                {{2, 0, 0, 0, 0}, -0.13, -0.11, -0.15, -0.07},
                                                {{2, 0, 0, 1, 0}, -0.05, -0.05, -0.06, -0.03}}};

// IERS (2010) eq. 7.12 and 7.13; `hour` is the fractional hour of day (UT), t centuries TT since J2000.
Vec3 frequency_dependent(const Site &s, double t, double hour) {
  const double t2 = t * t, t3 = t2 * t, t4 = t3 * t;
  double sm = 218.31664563 + 481267.88194 * t - 0.0014663889 * t2 + 0.00000185139 * t3;
  const double pr = 1.396971278 * t + 0.000308889 * t2 + 0.000000021 * t3 + 0.000000007 * t4;
  const double h = 280.46645 + 36000.7697489 * t + 0.00030322222 * t2 + 0.000000020 * t3 - 0.00000000654 * t4;
  const double p = 83.35324312 + 4069.01363525 * t - 0.01032172222 * t2 - 0.0000124991 * t3 + 0.00000005263 * t4;
  const double zns = 234.95544499 + 1934.13626197 * t - 0.00207561111 * t2 - 0.00000213944 * t3 + 0.00000001650 * t4;
  const double ps = 282.93734098 + 1.71945766667 * t + 0.00045688889 * t2 - 0.00000001778 * t3 - 0.00000000334 * t4;
  const double tau = 15 * hour + 280.4606184 + 36000.7700536 * t + 0.00038793 * t2 - 0.0000000258 * t3 - sm;
  sm += pr;
  const std::array<double, 5> args{sm, h, p, zns, ps};
  auto phase = [&](const std::array<double, 5> &k) {
    double sum = 0;
    for (std::size_t i = 0; i < 5; ++i) sum += k[i] * args[i];
    return sum;
  };
  const double sin2 = 2 * s.sin_lat * s.cos_lat, cos2 = s.cos_lat * s.cos_lat - s.sin_lat * s.sin_lat;
  double radial = 0, north = 0, east = 0;
  for (const Diurnal &d : diurnal_terms) {
    const double a = radians(std::fmod(tau + phase(d.k), 360.0)) + s.lon;
    radial += sin2 * (d.r_in * std::sin(a) + d.r_out * std::cos(a));
    north += cos2 * (d.t_in * std::sin(a) + d.t_out * std::cos(a));
    east += s.sin_lat * (d.t_in * std::cos(a) - d.t_out * std::sin(a));
  }
  const double zonal = 1.5 * s.sin_lat * s.sin_lat - 0.5;
  for (const LongPeriod &d : long_terms) {
    const double a = radians(std::fmod(phase(d.k), 360.0));
    radial += zonal * (d.r_in * std::cos(a) + d.r_out * std::sin(a));
    north += sin2 * (d.t_in * std::cos(a) + d.t_out * std::sin(a));
  }
  return s.from_local(radial, north, east) * 1e-3;
}

} // namespace

SunMoon sun_and_moon(GpsTime t) {
  constexpr double au = 149597870700.0;
  const double tt = mjd(t) + tt_minus_gps / 86400, ut1 = mjd(t) - gps_minus_utc(t) / 86400.0;
  double heliocentric[2][3], barycentric[2][3], moon[2][3], rotation[3][3];
  eraEpv00(ERFA_DJM0, tt, heliocentric, barycentric);
  eraMoon98(ERFA_DJM0, tt, moon);
  eraC2t06a(ERFA_DJM0, tt, ERFA_DJM0, ut1, 0, 0, rotation);
  const Mat3 r = Eigen::Map<const Eigen::Matrix<double, 3, 3, Eigen::RowMajor>>(&rotation[0][0]);
  const Vec3 sun = -Vec3(heliocentric[0][0], heliocentric[0][1], heliocentric[0][2]);
  return {r * sun * au, r * Vec3(moon[0][0], moon[0][1], moon[0][2]) * au};
}

Vec3 solid_tide(const Vec3 &station, GpsTime t, const SunMoon &bodies) {
  const Site s(station);
  Vec3 out = Vec3::Zero();
  for (auto [body, ratio] : {std::pair{&bodies.sun, sun_mass_ratio}, std::pair{&bodies.moon, moon_mass_ratio}})
    out += in_phase(s, *body, ratio) + out_of_phase(s, *body, ratio) + latitude_dependent(s, *body, ratio);
  const double utc_mjd = mjd(t) - gps_minus_utc(t) / 86400.0;
  const double centuries = (mjd(t) + tt_minus_gps / 86400 - 51544.5) / 36525;
  return out + frequency_dependent(s, centuries, (utc_mjd - std::floor(utc_mjd)) * 24);
}

} // namespace ampletie
