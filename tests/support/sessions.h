#pragma once
#include "gnss/static/session_solution.h"
#include "support/strata.h"
#include <memory>

namespace ampletie::testing {

/// A simulated session with its models and its vectors from the base.
struct PreparedSession {
  sky::Scenario scenario;
  Judged j;
  std::shared_ptr<const Orbits> orbits;
  std::vector<OccupationModel> models;
  std::vector<StaticVector> vectors;
  std::vector<Vec3> truth; ///< of the markers
  std::vector<Vec3> stood; ///< of the antennas, where they really stood
  std::vector<SessionLeg> legs(std::size_t count) const;
  SessionSolution solve(std::size_t count) const;
};
PreparedSession prepare_session(const Stratum &s, std::uint64_t seed, int rovers = 3);

/// Errors of session solutions against their joint covariance: all vectors together, and the differences between
/// rovers; `own`: with the set-ups' errors taken off. Sums over sessions and pairs.
struct SessionTally {
  int sessions = 0, pairs = 0, inside95 = 0;
  double joint = 0, between = 0, independent = 0, own_joint = 0, own_between = 0;
  void add(const PreparedSession &p, const SessionSolution &s);
  std::string line() const;
};

} // namespace ampletie::testing
