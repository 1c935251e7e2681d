#pragma once
#include "gnss/static/static_vector.h"

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

/// Up to this many legs are solved in one filter, whose work grows with their cube.
constexpr std::size_t legs_in_one_filter = 6;

/// Solves the legs together (docs/methods/session.md). The integers that each vector had accepted by itself are held;
/// the receivers' noise at the base, and the atmosphere by distance, is common. Time and memory are linear in the legs
/// (but for the covariance itself).
SessionSolution solve_session(const OccupationModel &base, const std::vector<SessionLeg> &legs, const Orbits &orbits,
                              const StaticOptions &options, const Progress &progress);

/// The two ways of it: all legs in one filter, or leg by leg with what each took from the common sources of error.
SessionSolution solve_jointly(const OccupationModel &base, const std::vector<SessionLeg> &legs, const Orbits &orbits,
                              const StaticOptions &options, const Progress &progress);
SessionSolution solve_by_legs(const OccupationModel &base, const std::vector<SessionLeg> &legs, const Orbits &orbits,
                              const StaticOptions &options, const Progress &progress);

} // namespace ampletie
