#pragma once
#include "gnss/kinematic/track.h"

namespace ampletie {

/// Half of the noise of a difference is the moving receiver's: what its solutions from several bases share.
constexpr double shared_by_bases = 0.5;

/// One way of a moving receiver, from one of several bases.
struct TrackOfBase {
  const KinematicTrack *track = nullptr;
  std::string base;
  /// Variance of the base's place against that of the first one, m² in each direction; nothing: it has no place of its
  /// own, and its track is laid onto that of the first.
  std::optional<double> tie;
};

/// What another base says of the same way: its places less those of the first, over the epochs that both fixed.
struct BaseComparison {
  std::string base;
  std::size_t epochs = 0, apart = 0; ///< compared, and further apart than both explain (χ² at 99.99 %)
  Vec3 mean = Vec3::Zero();          ///< m; where it was laid onto the first, what was taken off
  double rms = 0;                    ///< about the mean, m
  bool laid_on = false;
};

struct JointTrack {
  KinematicTrack track;
  std::vector<BaseComparison> comparisons; ///< of every base but the first
};

/// Puts the solutions of one way from several bases together, epoch by epoch: least squares with what they share.
/// Epochs at which they contradict each other are not called fixed, unless one of three or more stands alone; their
/// covariance allows for the contradiction. All tracks are in one frame and have the epochs of one receiver;
/// standstills and gaps are those of the whole. Needs two tracks or more.
JointTrack join_tracks(const std::vector<TrackOfBase> &all);

/// Covariance of the mean of places whose deviations are `roots` (lower triangular factors of their covariances) and
/// which share `shared_by_bases` of them, with their weights: x = Σ W_i x_i.
struct JointWeights {
  std::vector<Mat3> weights;
  Mat3 cov = Mat3::Zero();
};
JointWeights joint_weights(const std::vector<Mat3> &covariances, const std::vector<double> &ties);

} // namespace ampletie
