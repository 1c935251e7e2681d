#pragma once
#include "gnss/static_vector.h"

namespace ampletie {

/// One rover of a session, with its vector from the common base as solved by itself.
struct SessionLeg {
  const OccupationModel *rover = nullptr;
  const StaticVector *solved = nullptr;
  std::vector<LeftOutSpan> left_out{};
  /// What it was solved with, where that differs from the session's: the base with another mask, other options.
  const OccupationModel *base = nullptr;
  const StaticOptions *options = nullptr;
};

/// All vectors of a session from one base in one solution: they close exactly, and their covariance says what they
/// share.
struct SessionSolution {
  std::vector<Vec3> d; ///< base to each rover, marker to marker, orbits' frame
  Eigen::MatrixXd cov; ///< 3 n × 3 n, m²
  double window_s = 0; ///< normal points that were used; 0: every epoch
  double model_fit = 0;
};

/// Solves the legs together (docs/methods/session.md). The integers that each vector had accepted by itself are held;
/// the receivers' noise at the base, and the atmosphere by distance, is common. Larger sessions are solved from normal
/// points, so that the work stays bounded.
SessionSolution solve_session(const OccupationModel &base, const std::vector<SessionLeg> &legs, const Orbits &orbits,
                              const StaticOptions &options, const Progress &progress);

} // namespace ampletie
