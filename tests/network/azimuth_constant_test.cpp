// Instruments that find north by themselves, and drives that grow from their azimuths: against the closed forms of the
// straight open traverse (Chrzanowski 1981, Optimization of the breakthrough accuracy in tunneling surveys, The
// Canadian Surveyor 35, cited from memory; the sums can be done by hand).
#include "base/angle.h"
#include "network/network.h"
#include "network/network_frame.h"
#include "support/angles.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>

using namespace ampletie;
using ampletie::testing::second;

namespace {
/// Marks on a straight level line to the east, 200 m apart; the first two are held.
struct Drive {
  static constexpr double leg = 200;
  NetworkInput in;
  std::vector<Vec3> places;
  Mat3 axes;
  explicit Drive(int legs) {
    const Geodetic start{radians(46.5), radians(13.2), 600};
    axes = local_axes(start);
    in.plumb.sd = 0;
    for (int i = 0; i <= legs + 1; ++i) {
      NetworkMark m;
      m.name = "D" + std::to_string(i);
      m.hold = i < 2 ? Hold::full : Hold::none;
      places.push_back(to_cartesian(start) + axes.transpose() * Vec3(leg * i, 0, 0));
      m.position = {places.back(), frame, 2026.4};
      in.marks.push_back(m);
    }
  }
  /// A set-up without errors of its own; it sights marks by number.
  NetworkStation &stand(int on, const std::vector<int> &targets, double direction_sd, double distance_sd,
                        double zenith_sd) {
    NetworkStation s;
    s.id = "s" + std::to_string(in.stations.size()), s.mark = in.marks[static_cast<std::size_t>(on)].name;
    s.instrument = "NORTH 1", s.k_sd = 0, s.k = 0, s.setup_sd.setZero();
    const Mat3 here = local_axes(to_geodetic(places[static_cast<std::size_t>(on)]));
    for (int to : targets) {
      const Vec3 d = here * (places[static_cast<std::size_t>(to)] - places[static_cast<std::size_t>(on)]);
      NetworkSight t;
      t.id = s.id + " " + std::to_string(to), t.to = in.marks[static_cast<std::size_t>(to)].name;
      t.target_centring = t.target_height_sd = 0;
      t.direction = targets.size() > 1 ? std::atan2(d.x(), d.y()) : NAN;
      t.distance = d.norm(), t.distance_sd = distance_sd;
      t.zenith = std::acos(d.z() / d.norm()), t.zenith_sd = zenith_sd;
      s.sights.push_back(t);
    }
    const auto n = static_cast<Eigen::Index>(targets.size() > 1 ? targets.size() : 0);
    s.direction_covariance = direction_sd * direction_sd * Eigen::MatrixXd::Identity(n, n);
    in.stations.push_back(s);
    return in.stations.back();
  }
  double azimuth(int on, int to) const {
    const Mat3 here = local_axes(to_geodetic(places[static_cast<std::size_t>(on)]));
    const Vec3 d = here * (places[static_cast<std::size_t>(to)] - places[static_cast<std::size_t>(on)]);
    return std::atan2(d.x(), d.y());
  }
  /// Standard deviations of the last mark along, across and up the line.
  Vec3 end() const {
    const NetworkResult r = adjust_network(in, {});
    return r.marks.back().cov_enu.diagonal().cwiseSqrt();
  }
};
constexpr double distance_sd = 0.002, zenith_sd = 4 * second;
} // namespace

TEST_CASE("the end of a straight drive by angles: across with the root of the sum of squares, along with the root") {
  for (int legs : {1, 4, 9}) {
    Drive d(legs);
    const double direction_sd = 2 * second, angle_sd = direction_sd * std::sqrt(2.0);
    for (int i = 1; i <= legs; ++i) d.stand(i, {i - 1, i + 1}, direction_sd, distance_sd, zenith_sd);
    // Each leg is measured once: what a set-up sees behind it counts for its direction alone.
    for (NetworkStation &s : d.in.stations) s.sights[0].distance = s.sights[0].zenith = NAN;
    const Vec3 sd = d.end();
    CAPTURE(legs);
    CHECK(sd.y() == Approx(Drive::leg * angle_sd * std::sqrt(legs * (legs + 1) * (2 * legs + 1) / 6.0)).epsilon(0.002));
    CHECK(sd.x() == Approx(distance_sd * std::sqrt(legs)).epsilon(0.002));
    CHECK(sd.z() == Approx(Drive::leg * zenith_sd * std::sqrt(legs)).epsilon(0.002));
  }
}

TEST_CASE("the end of a straight drive by azimuths: across with the root, and what they share with the length") {
  constexpr int legs = 9;
  const double azimuth_sd = 15 * second;
  for (double constant_sd : {0.0, 20 * second}) {
    Drive d(legs);
    for (int i = 1; i <= legs; ++i) {
      NetworkStation &s = d.stand(i, {i + 1}, 0, distance_sd, zenith_sd);
      s.sights[0].azimuth = d.azimuth(i, i + 1), s.sights[0].azimuth_sd = azimuth_sd;
      s.azimuth_constant_sd = constant_sd;
    }
    CAPTURE(constant_sd);
    CHECK(d.end().y() ==
          Approx(Drive::leg * std::hypot(azimuth_sd * std::sqrt(legs), constant_sd * legs)).epsilon(0.002));
  }
}

TEST_CASE("an instrument's constant comes from a known line, and all of its azimuths take it") {
  constexpr double missing = 25.4 * second;
  const double readings[] = {12 * second, -9 * second, 4 * second, 1 * second}; // their errors
  Drive d(1);
  for (double e : readings) {
    NetworkStation &s = d.stand(0, {1}, 0, distance_sd, zenith_sd);
    s.sights[0].azimuth = d.azimuth(0, 1) - missing + e, s.sights[0].azimuth_sd = 10 * second;
    s.azimuth_constant_sd = radians(3.0); // known to degrees: its readings on the line tell it
  }
  NetworkStation &s = d.stand(1, {2}, 0, distance_sd, zenith_sd);
  s.sights[0].azimuth = d.azimuth(1, 2) - missing, s.sights[0].azimuth_sd = 10 * second;
  s.azimuth_constant_sd = radians(3.0);
  const NetworkResult r = adjust_network(d.in, {});
  REQUIRE(r.azimuth_constants.size() == 1);
  const auto &c = r.azimuth_constants.at("NORTH 1");
  CHECK(c.azimuths == 5);
  CHECK(c.correction == Approx(missing - 2 * second).margin(1e-3 * second)); // less the mean of their errors
  CHECK(c.sd == Approx(5 * second).epsilon(0.001)); // 10″ / √4: the new line tells nothing of it
  // The mark at its end: a single azimuth and the constant.
  const Vec3 off = d.axes * (r.marks.back().position.xyz - d.places.back());
  CHECK(off.y() == Approx(2 * second * Drive::leg).margin(1e-5)); // a smaller constant turns the sight to the north
  CHECK(std::sqrt(r.marks.back().cov_enu(1, 1)) == Approx(Drive::leg * std::hypot(10.0, 5.0) * second).epsilon(0.002));
  for (const BlockTest &t : r.adjustment.tests)
    if (t.kind == "azimuth constant") CHECK(is_angle(t.kind));
  // A bearing in the grid was reduced by whoever stated it: it knows nothing of the constant.
  NetworkInput plain = d.in;
  for (NetworkStation &x : plain.stations) x.sights[0].geodetic_azimuth = true;
  CHECK(adjust_network(plain, {}).azimuth_constants.empty());
}
