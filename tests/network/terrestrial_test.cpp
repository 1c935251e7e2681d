// Observations of total stations in space: derivatives, an independent formulation, and accuracy that is what it says.
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "network/network_frame.h"
#include "network/terrestrial.h"
#include "support/angles.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <cstdlib>
#include <random>

using namespace ampletie;
using ampletie::testing::second;

namespace {
/// What an instrument would read, from vectors alone: the plumb line's zenith leans by ξ to the north and η to the
/// east; astronomic north is where the pole stands above the plumb line's horizon.
struct Reading {
  double azimuth, zenith, distance;
};
Reading read(const Vec3 &from, const Vec3 &to, double latitude, const Mat3 &axes, double xi, double eta, double k) {
  const Vec3 d = axes * (to - from); // east, north, up of the ellipsoid
  const Vec3 up = Vec3(eta, xi, 1).normalized(), pole(0, std::cos(latitude), std::sin(latitude));
  const Vec3 north = (pole - pole.dot(up) * up).normalized(), east = north.cross(up);
  const double flat = std::hypot(d.dot(east), d.dot(north));
  return {std::atan2(d.dot(east), d.dot(north)), std::acos(d.dot(up) / d.norm()) - k * flat / 12742000, d.norm()};
}

/// A traverse between two pairs of known marks, 400 to 700 m a leg, over steep ground; every station sees its
/// neighbours with three means of sets and zenith angles.
struct SightField {
  std::vector<Vec3> truth;
  Eigen::MatrixXd plumb; ///< ξ, η of the stations
  std::vector<std::string> names{"Z1", "A", "T1", "T2", "T3", "B", "Z2"};
  std::mt19937_64 random;
  std::normal_distribution<double> normal;
  double small = 1; ///< of centring and heights, in millimetres
  double k_sd = 0.15, plumb_sd = 4 * second, zenith_sd = 0.7 * second, direction_sd = 0.7 * second, distance_sd = 0.001;

  explicit SightField(std::uint64_t seed) : random(seed) {
    const double up[7] = {400, 520, 640, 450, 610, 480, 560};
    for (int i = 0; i < 7; ++i) truth.push_back(to_cartesian({0.808 + 3.0e-5 * (i % 2), 0.242 + 1.2e-4 * i, up[i]}));
  }
  NetworkInput measure() {
    NetworkInput in;
    in.plumb = {plumb_sd, 10e3};
    for (std::size_t i = 0; i < truth.size(); ++i) {
      NetworkMark m;
      m.name = names[i];
      const bool known = i < 2 || i > 4;
      m.hold = known ? Hold::full : Hold::none;
      m.position = {truth[i] + (known ? Vec3(0, 0, 0) : Vec3(0.05, -0.08, 0.06)), frame, 2026.36};
      in.marks.push_back(m);
    }
    // Plumb lines that are alike over ten kilometres.
    Eigen::MatrixXd q(5, 5);
    for (std::size_t i = 0; i < 5; ++i)
      for (std::size_t k = 0; k < 5; ++k)
        q(static_cast<int>(i), static_cast<int>(k)) =
            std::exp(-std::pow((truth[i + 1] - truth[k + 1]).norm() / 10e3, 2)) + (i == k ? 1e-6 : 0);
    const Eigen::MatrixXd root = q.llt().matrixL();
    Eigen::MatrixXd draw(5, 2);
    for (int i = 0; i < 10; ++i) draw(i % 5, i / 5) = plumb_sd * normal(random);
    plumb = root * draw;
    for (std::size_t i = 1; i <= 5; ++i) {
      NetworkStation s;
      s.id = "t" + names[i], s.mark = names[i], s.instrument = "I";
      s.height = 1.5, s.k_sd = k_sd, s.k = 0.13;
      const Geodetic g = to_geodetic(truth[i]);
      const double xi = plumb(static_cast<int>(i) - 1, 0), eta = plumb(static_cast<int>(i) - 1, 1);
      const Mat3 axes = local_axes(g);
      const double k = s.k + k_sd * normal(random);
      const Vec3 here = truth[i] + axes.transpose() * Vec3(1e-3 * small * normal(random), 1e-3 * small * normal(random),
                                                           1.5 + 1e-3 * small * normal(random));
      const double zero = 6 * normal(random);
      for (std::size_t other : {i - 1, i + 1}) {
        NetworkSight t;
        t.id = s.id + names[other], t.to = names[other], t.target_height = 1.3;
        const Mat3 there = local_axes(to_geodetic(truth[other]));
        const Vec3 target =
            truth[other] + there.transpose() * Vec3(1e-3 * small * normal(random), 1e-3 * small * normal(random),
                                                    1.3 + 1e-3 * small * normal(random));
        const Reading r = read(here, target, g.lat, axes, xi, eta, k);
        t.direction = r.azimuth - zero + direction_sd * normal(random);
        t.zenith = r.zenith + zenith_sd * normal(random), t.zenith_sd = zenith_sd;
        t.distance = r.distance + distance_sd * normal(random), t.distance_sd = distance_sd;
        s.sights.push_back(t);
      }
      s.direction_covariance = direction_sd * direction_sd * Eigen::Matrix2d::Identity();
      in.stations.push_back(s);
    }
    return in;
  }
};

struct Tally {
  double plan = 0, up = 0, all = 0;
  int n = 0, within95 = 0, up95 = 0;
};
Tally run(int count, std::uint64_t first, const std::function<void(NetworkInput &)> &change = {}) {
  Tally t;
  for (int k = 0; k < count; ++k) {
    SightField f(first + static_cast<std::uint64_t>(k));
    NetworkInput in = f.measure();
    if (change) change(in);
    const NetworkResult r = adjust_network(in, {});
    for (std::size_t i = 2; i <= 4; ++i) {
      const AdjustedMark &m = r.marks[i];
      const Vec3 e = local_axes(to_geodetic(f.truth[i])) * (m.position.xyz - f.truth[i]);
      const double plan = e.head<2>().dot(m.cov_enu.topLeftCorner<2, 2>().inverse() * e.head<2>());
      const double up = e.z() * e.z() / m.cov_enu(2, 2);
      t.plan += plan / 2, t.up += up, t.all += e.dot(m.cov_enu.inverse() * e) / 3;
      t.within95 += plan < chi_squared_quantile(0.95, 2), t.up95 += up < chi_squared_quantile(0.95, 1);
      ++t.n;
    }
  }
  t.plan /= t.n, t.up /= t.n, t.all /= t.n;
  return t;
}

} // namespace

TEST_CASE("derivatives of directions, zenith angles and distances agree with differences") {
  SightField f(3);
  NetworkInput in = f.measure();
  const NetworkStation &s = in.stations[2];
  std::map<std::string, MarkAxes> axes;
  int first = 0;
  for (const auto &m : in.marks) {
    MarkAxes a;
    a.first = first, first += 3;
    a.origin = m.position.xyz, a.axes = local_axes(to_geodetic(a.origin));
    if (m.name == "T2") a.lift = {{90, 0.7}, {91, 0.3}};
    axes[m.name] = a;
  }
  const StationUnknowns u{50, 51, 54, 55, 2, 60};
  std::vector<std::unique_ptr<Block>> blocks;
  blocks.push_back(direction_block(s, axes.at(s.mark), axes, u));
  for (const auto &t : s.sights) {
    blocks.push_back(sight_block(s, t, axes.at(s.mark), axes.at(t.to), u));
    // The same as reduced observations.
    NetworkSight reduced = t;
    reduced.zenith = reduced.distance = NAN;
    reduced.horizontal = t.distance * std::sin(t.zenith), reduced.rise = t.distance * std::cos(t.zenith) + 0.2;
    reduced.azimuth = 1;
    blocks.push_back(sight_block(s, reduced, axes.at(s.mark), axes.at(t.to), u));
    blocks.push_back(azimuth_block(s, reduced, axes.at(s.mark), axes.at(t.to), u));
    reduced.geodetic_azimuth = true;
    blocks.push_back(azimuth_block(s, reduced, axes.at(s.mark), axes.at(t.to), u));
  }
  std::mt19937 random(5);
  for (const auto &b : blocks) {
    const auto n = static_cast<Eigen::Index>(b->unknowns.size());
    Eigen::VectorXd p(n), low, high;
    for (Eigen::Index i = 0; i < n; ++i) {
      const int unknown = b->unknowns[static_cast<std::size_t>(i)];
      const double size = unknown == 50 ? 1 : unknown >= 55 && unknown < 90 ? 1e-5 : 0.1;
      p[i] = size * std::uniform_real_distribution<double>(-1, 1)(random);
    }
    Eigen::MatrixXd j, ignored;
    Eigen::VectorXd at;
    b->evaluate(p, at, j);
    for (Eigen::Index i = 0; i < n; ++i) {
      const int unknown = b->unknowns[static_cast<std::size_t>(i)];
      const double step = unknown >= 55 && unknown < 90 ? 1e-5 : 1e-3;
      Eigen::VectorXd q = p;
      q[i] += step;
      b->evaluate(q, high, ignored);
      q[i] -= 2 * step;
      b->evaluate(q, low, ignored);
      for (Eigen::Index r = 0; r < at.size(); ++r) {
        const double numeric = (high[r] - low[r]) / (2 * step);
        INFO(b->id << " row " << r << " unknown " << b->unknowns[static_cast<std::size_t>(i)]);
        // Relative to the largest derivative of the row: rounding of coordinates is some 1e-9 m.
        CHECK(j(r, i) == Approx(numeric).margin(2e-5 * j.row(r).cwiseAbs().maxCoeff()));
      }
    }
  }
}

TEST_CASE("sights without errors bring back the marks, plumb line and refraction") {
  SightField f(7);
  f.k_sd = f.zenith_sd = f.direction_sd = f.distance_sd = f.small = 0, f.plumb_sd = 20 * second;
  NetworkInput in = f.measure();
  for (std::size_t i = 0; i < in.stations.size(); ++i) {
    NetworkStation &s = in.stations[i];
    s.deflection = f.plumb.row(static_cast<int>(i)).transpose();
    s.k_sd = 0.15, s.direction_covariance = Eigen::Matrix2d::Identity() * 1e-10;
    s.setup_sd.setConstant(0.001);
    for (auto &t : s.sights) t.zenith_sd = 1e-5, t.distance_sd = 0.001;
  }
  const NetworkResult r = adjust_network(in, {});
  for (std::size_t i = 2; i <= 4; ++i) CHECK((r.marks[i].position.xyz - f.truth[i]).norm() < 2e-5);
  CHECK(r.adjustment.redundancy > 5);
  CHECK(r.marks[2].sighted_from == 2);
}

namespace {
/// Turns readings into what an office makes of them: horizontal distances, height differences freed of curvature and of
/// an expected refraction, and an azimuth from every station.
void reduce(NetworkInput &in, const SightField &f, double noise_mm, std::mt19937_64 &random) {
  std::normal_distribution<double> normal;
  for (std::size_t i = 0; i < in.stations.size(); ++i) {
    NetworkStation &s = in.stations[i];
    for (auto &t : s.sights) {
      const double flat = t.distance * std::sin(t.zenith + s.k * t.distance * std::sin(t.zenith) / 12742000);
      t.rise = t.distance * std::cos(t.zenith) + (1 - s.k) * std::pow(t.distance * std::sin(t.zenith), 2) / 12742000 +
               s.height - t.target_height + 1e-3 * noise_mm * normal(random);
      t.horizontal = flat + 1e-3 * noise_mm * normal(random);
      t.rise_sd = t.horizontal_sd = std::max(1e-4, 1e-3 * noise_mm);
      t.zenith = t.distance = NAN;
    }
    const std::size_t to = i + 2; // the mark ahead
    const Mat3 axes = local_axes(to_geodetic(f.truth[i + 1]));
    const auto row = static_cast<int>(i);
    const Reading r =
        read(f.truth[i + 1], f.truth[to], to_geodetic(f.truth[i + 1]).lat, axes, f.plumb(row, 0), f.plumb(row, 1), 0);
    s.sights[1].azimuth = r.azimuth, s.sights[1].azimuth_sd = 1e-6;
  }
}

} // namespace

TEST_CASE("horizontal distances, height differences and azimuths bring back the marks too") {
  SightField f(7);
  f.k_sd = f.zenith_sd = f.direction_sd = f.distance_sd = f.small = 0, f.plumb_sd = 20 * second;
  NetworkInput in = f.measure();
  std::mt19937_64 random(1);
  reduce(in, f, 0, random);
  for (std::size_t i = 0; i < in.stations.size(); ++i) {
    NetworkStation &s = in.stations[i];
    s.deflection = f.plumb.row(static_cast<int>(i)).transpose();
    s.k_sd = 0.15, s.direction_covariance = Eigen::Matrix2d::Identity() * 1e-10;
    s.setup_sd.setConstant(0.001);
  }
  // On one held mark: the azimuths give the bearing.
  for (auto &m : in.marks)
    if (m.name == "Z1" || m.name == "B" || m.name == "Z2") m.hold = Hold::none;
  CHECK(datum_defects(in).empty());
  const NetworkResult r = adjust_network(in, {});
  for (std::size_t i = 2; i <= 5; ++i) {
    INFO(r.marks[i].name);
    CHECK((r.marks[i].position.xyz - f.truth[i]).norm() < 1e-4); // the closed form of the height's reduction
  }
  bool horizontal = false, rise = false, azimuth = false;
  for (const auto &t : r.adjustment.tests) {
    horizontal = horizontal || t.kind == "horizontal distance", rise = rise || t.kind == "height difference";
    azimuth = azimuth || t.kind == "azimuth";
  }
  CHECK((horizontal && rise && azimuth));
}

TEST_CASE("reduced observations with stated standard errors: accuracies are what they say") {
  const int count = std::getenv("AMPLETIE_LONG") ? 1000 : 120;
  double plan = 0, up = 0;
  int n = 0;
  for (int k = 0; k < count; ++k) {
    SightField f(61000 + static_cast<std::uint64_t>(k));
    f.zenith_sd = 0, f.distance_sd = 0;
    NetworkInput in = f.measure();
    std::mt19937_64 random(static_cast<unsigned>(k));
    reduce(in, f, 3, random);
    for (auto &s : in.stations) s.sights[1].azimuth = NAN;
    const NetworkResult r = adjust_network(in, {});
    for (std::size_t i = 2; i <= 4; ++i, ++n) {
      const AdjustedMark &m = r.marks[i];
      const Vec3 e = local_axes(to_geodetic(f.truth[i])) * (m.position.xyz - f.truth[i]);
      plan += e.head<2>().dot(m.cov_enu.topLeftCorner<2, 2>().inverse() * e.head<2>()) / 2;
      up += e.z() * e.z() / m.cov_enu(2, 2);
    }
  }
  INFO("plan " << plan / n << ", up " << up / n);
  if (count > 500) WARN("mean normalised squared error: plan " << plan / n << ", up " << up / n << " of " << n);
  const double loose = count > 500 ? 0.07 : 0.2;
  CHECK(plan / n == Approx(1).margin(loose));
  CHECK(up / n == Approx(1).margin(loose));
}

TEST_CASE("a traverse's accuracies are what they say, steep sights included") {
  const int count = std::getenv("AMPLETIE_LONG") ? 2000 : 150;
  const Tally t = run(count, 70000);
  const double loose = count > 1000 ? 0.05 : 0.15;
  INFO("plan " << t.plan << ", up " << t.up << ", space " << t.all);
  CHECK(t.plan == Approx(1).margin(loose));
  CHECK(t.up == Approx(1).margin(loose));
  CHECK(t.all == Approx(1).margin(loose));
  CHECK(t.within95 / double(t.n) == Approx(0.95).margin(0.03));
  CHECK(t.up95 / double(t.n) == Approx(0.95).margin(0.03));
  if (count > 1000)
    WARN("mean normalised squared error: plan " << t.plan << ", up " << t.up << ", space " << t.all << " of " << t.n);
}

TEST_CASE("with plumb lines or refraction held fixed, the accuracies are wrong") {
  const Tally plumb = run(100, 90000, [](NetworkInput &in) { in.plumb.sd = 0; });
  const Tally bent = run(100, 90000, [](NetworkInput &in) {
    for (auto &s : in.stations) s.k_sd = 0;
  });
  const Tally centred = run(100, 90000, [](NetworkInput &in) {
    for (auto &s : in.stations) s.setup_sd.setZero();
  });
  INFO("plumb fixed: up " << plumb.up << "; refraction fixed: up " << bent.up << "; centring off: plan "
                          << centred.plan);
  CHECK(std::max(plumb.plan, plumb.up) > 1.25);
  CHECK(bent.up > 1.25);
  CHECK(centred.plan > 1.25);
}

TEST_CASE("sights that hang on one held mark have no bearing, and that is said") {
  SightField f(11);
  NetworkInput in = f.measure();
  for (auto &m : in.marks)
    if (m.name != "A") m.hold = Hold::none;
  const auto why = datum_defects(in);
  REQUIRE(why.size() == 1);
  CHECK(why[0].find("gives the bearing") != std::string::npos);
  // Minimal: the bearing to another mark is kept, and the field work can be judged.
  in.mode = DatumMode::minimal;
  const NetworkResult r = adjust_network(in, {});
  CHECK(r.adjustment.redundancy == 8);
  CHECK(r.adjustment.passes);
}
