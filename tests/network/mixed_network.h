#pragma once
// A simulated network of everything at once, with its truth: sessions of receivers, levels, total stations, over a
// geoid that differs from its grid. Readings come from vectors in space and from sums of waves, not from the blocks.
#include "base/angle.h"
#include "network/network.h"
#include "network/network_frame.h"
#include "support/angles.h"
#include <Eigen/Dense>
#include <random>

namespace ampletie::testing {

class MixedNetwork {
public:
  static constexpr double geoid_sd = 0.02, correlation = 8e3, k_sd = 0.15, plumb_sd = 3 * second;
  std::mt19937_64 random;
  std::normal_distribution<double> normal;
  std::vector<std::string> names;
  std::vector<Vec3> truth;            ///< Cartesian
  std::vector<double> grid, height;   ///< undulation of the grid; true physical height
  std::vector<Eigen::Vector2d> plumb; ///< true ξ, η
  double k = 0.13;                    ///< true refraction

  /// Twelve marks, four hundred metres apart, two of them beside others.
  explicit MixedNetwork(std::uint64_t seed) : random(seed) {
    const Geodetic origin{-0.5 + 0.9 * uniform(), 0.3 + uniform(), 300};
    const Mat3 axes = local_axes(origin);
    const auto geoid_waves = waves(correlation), xi_waves = waves(10e3), eta_waves = waves(10e3);
    for (int i = 0; i < 12; ++i) {
      Eigen::Vector2d at(400.0 * (i % 4) + 60 * normal(random), 420.0 * (i / 4) + 60 * normal(random));
      if (i == 5 || i == 10) at = last_ + Eigen::Vector2d(25 + 15 * uniform(), -20 - 20 * uniform());
      last_ = at;
      Geodetic g = to_geodetic(to_cartesian(origin) + axes.transpose() * Vec3(at.x(), at.y(), 0));
      g.h = 320 + 25 * normal(random);
      names.push_back("M" + std::to_string(i));
      truth.push_back(to_cartesian(g));
      grid.push_back(46 + 2e-5 * at.x() - 3e-5 * at.y());
      height.push_back(g.h - grid.back() - geoid_sd * field(geoid_waves, at));
      plumb.emplace_back(plumb_sd * field(xi_waves, at), plumb_sd * field(eta_waves, at));
    }
    k += k_sd * 0.5 * normal(random);
  }
  double noise(double sd) { return sd * normal(random); }
  double uniform() { return std::uniform_real_distribution<double>(0, 1)(random); }
  Mat3 axes(std::size_t i) const { return local_axes(to_geodetic(truth[i])); }

  NetworkInput measure() {
    NetworkInput in;
    in.geoid = GeoidPrior{geoid_sd, correlation};
    in.plumb = {plumb_sd, 10e3};
    marks(in);
    for (const std::vector<std::size_t> &s : {std::vector<std::size_t>{0, 1, 4, 5, 6, 8},
                                              {3, 2, 5, 6, 7, 10, 11},
                                              {0, 3, 1, 2, 4, 7, 9},
                                              {11, 8, 9, 10, 7, 6}})
      session(in, s);
    // A loop about everything with a line across.
    for (const auto &[a, b] : {std::pair{0, 1},
                               {1, 2},
                               {2, 3},
                               {3, 7},
                               {7, 11},
                               {11, 10},
                               {10, 9},
                               {9, 8},
                               {8, 4},
                               {4, 0},
                               {4, 5},
                               {5, 6},
                               {6, 7},
                               {6, 10},
                               {1, 5}})
      level(in, static_cast<std::size_t>(a), static_cast<std::size_t>(b));
    station(in, 5, {0, 1, 4, 6, 8, 9});
    station(in, 6, {2, 3, 5, 7, 10, 9});
    station(in, 9, {4, 5, 6, 8, 10, 11});
    return in;
  }

private:
  struct Wave {
    double e, n, phase;
  };
  /// A field of variance one with the covariance exp(−(d/L)²): random Fourier features (Rahimi and Recht 2007).
  std::vector<Wave> waves(double length) {
    std::vector<Wave> out;
    for (int w = 0; w < 200; ++w)
      out.push_back(
          {normal(random) * std::sqrt(2.0) / length, normal(random) * std::sqrt(2.0) / length, 2 * pi * uniform()});
    return out;
  }
  static double field(const std::vector<Wave> &all, const Eigen::Vector2d &at) {
    double sum = 0;
    for (const Wave &w : all) sum += std::cos(w.e * at.x() + w.n * at.y() + w.phase);
    return sum * std::sqrt(2.0 / static_cast<double>(all.size()));
  }

  void marks(NetworkInput &in) {
    for (std::size_t i = 0; i < truth.size(); ++i) {
      NetworkMark m;
      m.name = names[i];
      m.undulation = grid[i];
      m.position = {truth[i] + Vec3(noise(0.1), noise(0.1), noise(0.1)), frame, 2026.36};
      if (i == 0 || i == 3 || i == 11)
        m.hold = Hold::full, m.position.xyz = truth[i], m.published_sd = Vec3::Constant(1e-4);
      if (i == 8 || i == 6) { // benchmarks
        m.hold = Hold::height, m.physical = true, m.published_sd = Vec3(0, 0, 1e-4);
        Geodetic g = to_geodetic(truth[i]);
        g.h = height[i] + grid[i];
        m.position.xyz = to_cartesian(g) + local_axes(g).transpose() * Vec3(0.1, -0.1, 0);
      }
      in.marks.push_back(m);
    }
  }
  void session(NetworkInput &in, const std::vector<std::size_t> &who) {
    const std::string name = "s" + std::to_string(++sessions_);
    std::vector<Vec3> off;
    for (const std::size_t i : who) {
      in.setups.push_back({name + names[i], names[i], Vec3(0.001, 0.001, 0.001)});
      off.push_back(axes(i).transpose() * Vec3(noise(0.001), noise(0.001), noise(0.001)));
    }
    for (std::size_t n = 1; n < who.size(); ++n) {
      NetworkVector v;
      v.id = name + "v" + std::to_string(n), v.session = name;
      v.from = names[who[0]], v.to = names[who[n]];
      v.from_setup = name + v.from, v.to_setup = name + v.to;
      const Mat3 a = axes(who[n]);
      v.cov = a.transpose() * Vec3(4e-6, 6e-6, 25e-6).asDiagonal() * a;
      v.d = truth[who[n]] + off[n] - truth[who[0]] - off[0] +
            a.transpose() * Vec3(noise(0.002), noise(std::sqrt(6e-6)), noise(0.005));
      v.frame = frame, v.epoch = 2026.36;
      in.vectors.push_back(v);
    }
  }
  void level(NetworkInput &in, std::size_t a, std::size_t b) {
    const double length = (truth[a] - truth[b]).norm(), sd = 0.0012 * std::sqrt(length / 1000) + 0.0003;
    in.levels.push_back({"d" + names[a] + names[b], names[a], names[b], "L" + std::to_string(in.levels.size() / 3),
                         height[b] - height[a] + noise(sd), sd, length});
  }
  void station(NetworkInput &in, std::size_t at, const std::vector<std::size_t> &targets) {
    NetworkStation s;
    s.id = "T" + names[at], s.mark = names[at], s.instrument = "one", s.height = 1.5 + 0.1 * uniform(), s.k_sd = k_sd;
    const double turn = 2 * pi * uniform(), direction_sd = 1.0 * second;
    const Vec3 stand = truth[at] + axes(at).transpose() * Vec3(noise(0.001), noise(0.001), s.height + noise(0.001));
    for (const std::size_t i : targets) {
      NetworkSight t;
      t.id = s.id + names[i], t.to = names[i], t.target_height = 1.3 + 0.3 * uniform();
      const Vec3 seen =
          truth[i] + axes(i).transpose() * Vec3(noise(0.001), noise(0.001), t.target_height + noise(0.001));
      const Vec3 d = axes(at) * (seen - stand);
      // The plumb line's zenith leans by ξ to the north and η to the east; astronomic north is where the pole stands.
      const double lat = to_geodetic(truth[at]).lat;
      const Vec3 up = Vec3(plumb[at].y(), plumb[at].x(), 1).normalized(), pole(0, std::cos(lat), std::sin(lat));
      const Vec3 north = (pole - pole.dot(up) * up).normalized(), east = north.cross(up);
      const double flat = std::hypot(d.dot(east), d.dot(north));
      t.zenith_sd = 1.5 * second, t.distance_sd = 0.001;
      t.direction = std::atan2(d.dot(east), d.dot(north)) - turn + noise(direction_sd);
      t.zenith = std::acos(d.dot(up) / d.norm()) - k * flat / 12742000 + noise(t.zenith_sd);
      t.distance = d.norm() + noise(t.distance_sd);
      s.sights.push_back(t);
    }
    const auto n = static_cast<Eigen::Index>(targets.size());
    s.direction_covariance = Eigen::MatrixXd::Identity(n, n) * direction_sd * direction_sd;
    in.stations.push_back(s);
  }

  Eigen::Vector2d last_{0, 0};
  int sessions_ = 0;
};

} // namespace ampletie::testing
