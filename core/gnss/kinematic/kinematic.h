#pragma once
#include "gnss/kinematic/epoch_solver.h"

namespace ampletie {

/// A standstill as an observation: the mean place over it.
struct StopPlace {
  Placed place;
  double spread = 0; ///< rms of the epochs about their mean, m
  std::size_t epochs = 0;
};

/// Keeps what is needed to place stops after the track is solved.
class KinematicSolution {
public:
  KinematicTrack track;
  /// Mean place over the epochs within a span of time; state `none` where there are none.
  StopPlace stop(GpsTime from, GpsTime to) const;

  // What it was solved from.
  MovingSession session;
  MovingSetting setting;
  StaticOptions options;
  std::vector<SlowState> forward, backward;
  double scale = 1; ///< of the variances, from the residuals
  const Orbits *orbits = nullptr;
};

/// Solves a moving receiver against a base (docs/methods/kinematic.md): integers are sought forward and backward in
/// time and put together; what lasts is estimated from both directions; every epoch is placed with it by itself, no
/// motion model bends it. Throws `InputError` when the two share no epoch.
std::unique_ptr<KinematicSolution> solve_kinematic(const ModelledTrack &base, const ModelledTrack &rover,
                                                   const Orbits &orbits, const StaticOptions &options,
                                                   const std::vector<LeftOutSpan> &left_out, const Progress &progress);
/// The same of epochs that lie in memory.
std::unique_ptr<KinematicSolution> solve_kinematic(const OccupationModel &base, const OccupationModel &rover,
                                                   const Orbits &orbits, const StaticOptions &options,
                                                   const std::vector<LeftOutSpan> &left_out, const Progress &progress);

} // namespace ampletie
