#include "support/sessions.h"
#include "geodesy/ellipsoid.h"
#include <Eigen/Dense>
#include <boost/math/distributions/chi_squared.hpp>
#include <fmt/format.h>

namespace ampletie::testing {

PreparedSession prepare_session(const Stratum &s, std::uint64_t seed, int rovers) {
  PreparedSession p;
  p.scenario = scenario_of(s, seed, rovers);
  p.j = judge(p.scenario);
  if (s.precise)
    p.orbits = std::make_shared<PreciseOrbits>(std::vector{p.j.campaign.orbits});
  else
    p.orbits = std::make_shared<BroadcastOrbits>(p.j.campaign.navigation);
  const auto &session = p.scenario.sessions[0];
  Vec3 base = Vec3::Zero(), base_stood = Vec3::Zero();
  for (const auto &u : session.setups) {
    AntennaSetup a;
    a.arp_offset_enu = {0, 0, u.height};
    a.calibration = &p.j.antennas.at(u.antenna);
    const std::string key = u.mark + "/" + session.name;
    const Vec3 marker = p.j.marker.at(key);
    const Vec3 stood = marker + local_axes(to_geodetic(marker)).transpose() * p.j.setup_error.at(key);
    p.models.push_back(model_occupation(p.j.file(u.mark, session.name), *p.orbits, marker, a, {}, {}));
    if (p.models.size() == 1)
      base = marker, base_stood = stood;
    else
      p.truth.push_back(marker - base), p.stood.push_back(stood - base_stood);
  }
  for (std::size_t k = 1; k < p.models.size(); ++k)
    p.vectors.push_back(solve_static(p.models[0], p.models[k], *p.orbits, {}, {}, {}));
  return p;
}

std::vector<SessionLeg> PreparedSession::legs(std::size_t count) const {
  std::vector<SessionLeg> out;
  for (std::size_t k = 0; k < count; ++k) out.push_back({&models[k + 1], &vectors[k], {}});
  return out;
}

SessionSolution PreparedSession::solve(std::size_t count) const {
  return solve_session(models[0], legs(count), *orbits, {}, {});
}

void SessionTally::add(const PreparedSession &p, const SessionSolution &s) {
  const auto n = static_cast<Eigen::Index>(s.d.size());
  const auto &noise = p.scenario.noise;
  const Vec3 sd(noise.centring, noise.centring, noise.height);
  const Mat3 axes = local_axes(to_geodetic(p.models[0].marker));
  const Mat3 setup = axes.transpose() * Mat3(sd.cwiseAbs2().asDiagonal()) * axes;
  Eigen::MatrixXd cov = s.cov;
  Eigen::VectorXd e(3 * n), own(3 * n);
  for (Eigen::Index k = 0; k < n; ++k) {
    const auto i = static_cast<std::size_t>(k);
    e.segment<3>(3 * k) = s.d[i] - p.truth[i];
    own.segment<3>(3 * k) = s.d[i] - p.stood[i];
    for (Eigen::Index l = 0; l < n; ++l) cov.block<3, 3>(3 * k, 3 * l) += k == l ? Mat3(2 * setup) : setup;
  }
  const double q = e.dot(cov.llt().solve(e)), size = static_cast<double>(3 * n);
  joint += q / size;
  own_joint += own.dot(s.cov.llt().solve(own)) / size;
  inside95 += q < boost::math::quantile(boost::math::chi_squared(size), 0.95);
  ++sessions;
  for (Eigen::Index k = 0; k < n; ++k)
    for (Eigen::Index l = k + 1; l < n; ++l) {
      auto apart = [&](const Eigen::MatrixXd &c) {
        return Mat3(c.block<3, 3>(3 * k, 3 * k) + c.block<3, 3>(3 * l, 3 * l));
      };
      auto common = [&](const Eigen::MatrixXd &c) {
        return Mat3(c.block<3, 3>(3 * k, 3 * l) + c.block<3, 3>(3 * l, 3 * k));
      };
      const Vec3 d = e.segment<3>(3 * k) - e.segment<3>(3 * l), o = own.segment<3>(3 * k) - own.segment<3>(3 * l);
      between += d.dot((apart(cov) - common(cov)).inverse() * d) / 3;
      independent += d.dot(apart(cov).inverse() * d) / 3;
      own_between += o.dot((apart(s.cov) - common(s.cov)).inverse() * o) / 3;
      ++pairs;
    }
}

std::string SessionTally::line() const {
  const double n = std::max(1, sessions), m = std::max(1, pairs);
  return fmt::format("{} sessions: joint {:.2f} (own {:.2f}), 95 % inside {:.1f}; between rovers {:.2f} (own {:.2f}), "
                     "taken as independent {:.2f}",
                     sessions, joint / n, own_joint / n, 100 * inside95 / n, between / m, own_between / m,
                     independent / m);
}

} // namespace ampletie::testing
