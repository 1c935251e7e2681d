#include "base/error.h"
#include "geodesy/ellipsoid.h"
#include "gnss/static/session_solution.h"
#include "support/sessions.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;

namespace {
/// Squared errors as printed, of all vectors and between rovers; taken as independent these would read less than
/// `share` of that.
void check_honest(const SessionTally &t, double share) {
  INFO(t.line());
  CHECK(t.joint / t.sessions > 0.6);
  CHECK(t.joint / t.sessions < 1.4);
  CHECK(t.between / t.pairs > 0.6);
  CHECK(t.between / t.pairs < 1.4);
  CHECK(t.independent < share * t.between);
}
} // namespace

TEST_CASE("a session of one rover is its vector") {
  const PreparedSession p = prepare_session(stratum("short"), 610001);
  const SessionSolution s = p.solve(1);
  CHECK((s.d[0] - p.vectors[0].d).norm() < 2e-4);
  CHECK((s.cov - Eigen::MatrixXd(p.vectors[0].cov)).norm() < 0.1 * p.vectors[0].cov.norm());
}

TEST_CASE("the order of the rovers does not matter, and two rovers agree with their vectors") {
  const PreparedSession p = prepare_session(stratum("short"), 610002);
  const std::vector<SessionLeg> forth = p.legs(2), back{forth[1], forth[0]};
  const SessionSolution a = solve_session(p.models[0], forth, *p.orbits, {}, {}),
                        b = solve_session(p.models[0], back, *p.orbits, {}, {});
  CHECK((a.d[0] - b.d[1]).norm() < 2e-4);
  CHECK((a.d[1] - b.d[0]).norm() < 2e-4);
  CHECK((a.cov.topLeftCorner<3, 3>() - b.cov.bottomRightCorner<3, 3>()).norm() < 0.05 * a.cov.norm());
  for (int k = 0; k < 2; ++k)
    CHECK((a.d[static_cast<std::size_t>(k)] - p.vectors[static_cast<std::size_t>(k)].d).norm() <
          2.5 * std::sqrt(p.vectors[static_cast<std::size_t>(k)].cov.trace()));
  CHECK_THROWS_AS(solve_session(p.models[0], {}, *p.orbits, {}, {}), InputError);
  Progress stop;
  stop.cancel();
  CHECK_THROWS_AS(solve_session(p.models[0], forth, *p.orbits, {}, stop), Cancelled);
}

TEST_CASE("the joint covariance of a session is honest, also for vectors between rovers", "[statistics]") {
  // Errors of all three vectors together, and of the differences between rovers, against the printed covariance.
  // Taken as independent, vectors that share a base would give differences that are better than printed: the mean of
  // their normalised squares falls well below one.
  SessionTally t;
  for (std::uint64_t seed = 620001; seed <= 620010; ++seed) {
    const PreparedSession p = prepare_session(stratum("short"), seed);
    t.add(p, p.solve(3));
  }
  check_honest(t, 0.7);
}

TEST_CASE("leg by leg a session comes out as in one filter") {
  // Rovers that see the same satellites: nothing is lost by estimating each by itself (Zellner 1962: equations with the
  // same regressors), and what they share must come out the same by two ways that have only the models in common.
  for (const char *kind : {"short", "steep"}) {
    const PreparedSession p = prepare_session(stratum(kind), 610003);
    const auto legs = p.legs(3);
    const SessionSolution one = solve_jointly(p.models[0], legs, *p.orbits, {}, {}),
                          by_legs = solve_by_legs(p.models[0], legs, *p.orbits, {}, {});
    INFO(kind << "\n" << one.cov << "\n\n" << by_legs.cov);
    for (std::size_t k = 0; k < legs.size(); ++k) {
      const auto i = static_cast<Eigen::Index>(3 * k);
      CHECK((one.d[k] - by_legs.d[k]).norm() < 0.7 * std::sqrt(one.cov.block<3, 3>(i, i).trace()));
      for (std::size_t l = 0; l < legs.size(); ++l) {
        const auto j = static_cast<Eigen::Index>(3 * l);
        CHECK((one.cov.block<3, 3>(i, j) - by_legs.cov.block<3, 3>(i, j)).norm() <
              0.2 * one.cov.block<3, 3>(i, i).norm());
      }
    }
    CHECK(Eigen::MatrixXd(by_legs.cov).llt().info() == Eigen::Success);
  }
}

TEST_CASE("a session of many rovers is honest as well, and does not depend on their order") {
  SessionTally t;
  for (std::uint64_t seed = 630001; seed <= 630003; ++seed) {
    const PreparedSession p = prepare_session(stratum("short"), seed, 9);
    const SessionSolution s = p.solve(9);
    CHECK(Eigen::MatrixXd(s.cov).llt().info() == Eigen::Success);
    CHECK(s.window_s == 0);
    t.add(p, s);
    auto legs = p.legs(9);
    std::rotate(legs.begin(), legs.begin() + 4, legs.end());
    const SessionSolution turned = solve_session(p.models[0], legs, *p.orbits, {}, {});
    for (std::size_t k = 0; k < 9; ++k) CHECK(turned.d[k] == s.d[(k + 4) % 9]);
    CHECK((turned.cov.block<3, 3>(0, 15) - s.cov.block<3, 3>(12, 0)).norm() < 1e-12 * s.cov.norm());
  }
  check_honest(t, 0.8);
}
