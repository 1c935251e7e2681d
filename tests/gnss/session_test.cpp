#include "base/error.h"
#include "geodesy/ellipsoid.h"
#include "gnss/session_solution.h"
#include "support/strata.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;

namespace {
/// A simulated session with its models and its vectors from the first receiver.
struct Prepared {
  sky::Scenario scenario;
  Judged j;
  BroadcastOrbits orbits{{}};
  std::vector<OccupationModel> models;
  std::vector<StaticVector> vectors;
  std::vector<Vec3> truth;
};
Prepared prepare(const Stratum &s, std::uint64_t seed) {
  Prepared p;
  p.scenario = scenario_of(s, seed);
  p.j = judge(p.scenario);
  p.orbits = BroadcastOrbits(p.j.campaign.navigation);
  const auto &session = p.scenario.sessions[0];
  for (const auto &u : session.setups) {
    AntennaSetUp a;
    a.arp_offset_enu = {0, 0, u.height};
    a.calibration = &p.j.antennas.at(u.antenna);
    const Vec3 marker = p.j.marker.at(u.mark + "/s");
    p.models.push_back(model_occupation(p.j.file(u.mark, "s"), p.orbits, marker, a, {}, {}));
    if (&u != &session.setups.front()) p.truth.push_back(marker - p.j.marker.at("BASE/s"));
  }
  for (std::size_t k = 1; k < p.models.size(); ++k)
    p.vectors.push_back(solve_static(p.models[0], p.models[k], p.orbits, {}, {}, {}));
  return p;
}
SessionSolution solve(const Prepared &p, std::size_t legs) {
  std::vector<SessionLeg> list;
  for (std::size_t k = 0; k < legs; ++k) list.push_back({&p.models[k + 1], &p.vectors[k], {}});
  return solve_session(p.models[0], list, p.orbits, {}, {});
}
} // namespace

TEST_CASE("a session of one rover is its vector") {
  const Prepared p = prepare(stratum("short"), 610001);
  const SessionSolution s = solve(p, 1);
  CHECK((s.d[0] - p.vectors[0].d).norm() < 2e-4);
  CHECK((s.cov - Eigen::MatrixXd(p.vectors[0].cov)).norm() < 0.1 * p.vectors[0].cov.norm());
}

TEST_CASE("the order of the rovers does not matter, and two rovers agree with their vectors") {
  const Prepared p = prepare(stratum("short"), 610002);
  std::vector<SessionLeg> forth{{&p.models[1], &p.vectors[0], {}}, {&p.models[2], &p.vectors[1], {}}},
      back{forth[1], forth[0]};
  const SessionSolution a = solve_session(p.models[0], forth, p.orbits, {}, {}),
                        b = solve_session(p.models[0], back, p.orbits, {}, {});
  CHECK((a.d[0] - b.d[1]).norm() < 2e-4);
  CHECK((a.d[1] - b.d[0]).norm() < 2e-4);
  CHECK((a.cov.topLeftCorner<3, 3>() - b.cov.bottomRightCorner<3, 3>()).norm() < 0.05 * a.cov.norm());
  for (int k = 0; k < 2; ++k)
    CHECK((a.d[static_cast<std::size_t>(k)] - p.vectors[static_cast<std::size_t>(k)].d).norm() <
          2.5 * std::sqrt(p.vectors[static_cast<std::size_t>(k)].cov.trace()));
  CHECK_THROWS_AS(solve_session(p.models[0], {}, p.orbits, {}, {}), InputError);
  Progress stop;
  stop.cancel();
  CHECK_THROWS_AS(solve_session(p.models[0], forth, p.orbits, {}, stop), Cancelled);
}

TEST_CASE("the joint covariance of a session is honest, also for vectors between rovers") {
  // Errors of all three vectors together, and of the differences between rovers, against the printed covariance.
  // Taken as independent, vectors that share a base would give differences that are better than printed: the mean of
  // their normalised squares falls well below one.
  double joint = 0, between = 0, independent = 0;
  int sessions = 0, pairs = 0;
  for (std::uint64_t seed = 620001; seed <= 620010; ++seed) {
    const Prepared p = prepare(stratum("short"), seed);
    const SessionSolution s = solve(p, 3);
    const auto &n = p.scenario.noise;
    const Vec3 sd(n.centring, n.centring, n.height);
    const Mat3 axes = local_axes(to_geodetic(p.models[0].marker));
    const Mat3 setup = axes.transpose() * Mat3(sd.cwiseAbs2().asDiagonal()) * axes;
    Eigen::MatrixXd cov = s.cov;
    Eigen::VectorXd e(9);
    for (int k = 0; k < 3; ++k) {
      e.segment<3>(3 * k) = s.d[static_cast<std::size_t>(k)] - p.truth[static_cast<std::size_t>(k)];
      for (int l = 0; l < 3; ++l) cov.block<3, 3>(3 * k, 3 * l) += k == l ? Mat3(2 * setup) : setup;
    }
    REQUIRE(Eigen::LLT<Eigen::MatrixXd>(cov).info() == Eigen::Success);
    joint += e.dot(cov.llt().solve(e)) / 9;
    ++sessions;
    for (int k = 0; k < 3; ++k)
      for (int l = k + 1; l < 3; ++l) {
        const Vec3 d = e.segment<3>(3 * k) - e.segment<3>(3 * l);
        const Mat3 apart = cov.block<3, 3>(3 * k, 3 * k) + cov.block<3, 3>(3 * l, 3 * l);
        const Mat3 q = apart - cov.block<3, 3>(3 * k, 3 * l) - cov.block<3, 3>(3 * l, 3 * k);
        between += d.dot(q.inverse() * d) / 3;
        independent += d.dot(apart.inverse() * d) / 3;
        ++pairs;
      }
  }
  CAPTURE(joint / sessions, between / pairs, independent / pairs);
  CHECK(joint / sessions > 0.6);
  CHECK(joint / sessions < 1.4);
  CHECK(between / pairs > 0.6);
  CHECK(between / pairs < 1.4);
  CHECK(independent / pairs < 0.7 * (between / pairs));
}
