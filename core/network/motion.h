#pragma once
#include "network/congruence.h"

namespace ampletie {

/// Marks at one time. Times are independent of one another.
struct Campaign {
  std::string name;
  double year = 0;                ///< decimal, when it was observed
  std::vector<std::size_t> marks; ///< places in `MotionInput::marks`, each once
  Eigen::VectorXd at;             ///< 3 per mark: from its reference place, east, north, up in axes common to all, m
  Eigen::MatrixXd cov;            ///< of these together, m²
};

struct MotionInput {
  std::vector<std::string> marks;
  std::vector<Campaign> campaigns; ///< in any order, two at different times at least
  /// Marks that every time holds without error: they stand in the frame by what was said, and are looked for among
  /// those that stand like any other.
  std::vector<std::string> held;
  /// Whether each time has a shift of its own: then velocities are those against the marks that stand still. Else they
  /// are those in the frame, with whatever the datum of a single time got wrong.
  bool against_standing = true;
  double alpha = 0.05;
};

/// How one mark moves.
struct MarkMotion {
  std::string name;
  int times = 0; ///< that measured it; 0: it was held at all of them
  bool stands = true;
  Vec3 velocity = Vec3::Zero(); ///< m/yr
  Mat3 cov = Mat3::Zero();
  double statistic = 0;                  ///< χ² that it stands still
  double seen_plan = 0, seen_height = 0; ///< the smallest velocities that the test finds, power 80 %, m/yr
  /// Each of its times: where it was, what the straight line says there less the common shift, with its covariance.
  struct Time {
    double year = 0;
    Vec3 at = Vec3::Zero(), residual = Vec3::Zero(); ///< m; `at` without the time's common shift
    Mat3 cov = Mat3::Zero();
  };
  std::vector<Time> series; ///< in the order of time
};

struct Motions {
  std::vector<MarkMotion> marks; ///< those that two times have, in the order of the input
  double statistic = 0, limit = 0;
  int degrees = 0; ///< 0: two times only, nothing tells whether the movement is even
  bool even = true;
  std::string problem; ///< why no group that stands was found
};

/// Straight movements of marks from repeated campaigns by least squares over all of them, each with its full
/// covariance: x(t) = x₀ + v (t − t₀) + s(t), the shifts s of the first and the last time being none, which fixes the
/// datum of the velocities up to a common one; that is found against the marks that stand (`compare_times` over the
/// velocities, Caspary 1987). Throws `InputError` where nothing has two times, or a covariance is none.
Motions estimate_motions(const MotionInput &in);

} // namespace ampletie
