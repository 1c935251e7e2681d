#pragma once
#include "gnss/kinematic/epoch_solver.h"

namespace ampletie {

/// The moving marker at one epoch, orbits' frame.
struct TrackEpoch {
  GpsTime time;
  TrackState state = TrackState::none;
  bool bridged = false;  ///< nothing was solved here: led over from both sides by how the receiver moves elsewhere
  bool bracketed = true; ///< the base has data here
  std::uint8_t satellites = 0;
  Vec3 position = Vec3::Zero();
  Mat3 cov = Mat3::Zero();
  Vec3 velocity = Vec3::Constant(NAN); ///< m/s, from the epochs on both sides
};

/// The place that each direction of time found by itself at an epoch.
struct TwoWays {
  std::size_t epoch;
  Vec3 forward, backward; ///< NaN: none
};

/// A standstill found in the track, as a range of epochs.
struct Standstill {
  std::size_t first, last;
};

struct KinematicTrack {
  std::vector<TrackEpoch> epochs;
  std::vector<TwoWays> ways;
  std::vector<Standstill> standstills;
  std::vector<CarrierArc> arcs;
  Relations relations;
  double interval = 1, longest_m = 0;
  double ratio = 0;       ///< smallest with which integers were accepted
  double noise_ratio = 1; ///< squares of the carriers' residuals over what the noise lets expect, fixed epochs
  int slips = 0, rejected = 0, contradicted = 0;
  std::size_t lost = 0; ///< epochs without a satellite in common with the base
  std::vector<std::string> notes;
  std::size_t count(TrackState s) const;
};

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

std::string state_name(TrackState s);

/// Solves a moving receiver against a base (docs/methods/kinematic.md): integers are sought forward and backward in
/// time and put together; what lasts is estimated from both directions; every epoch is placed with it by itself, no
/// motion model bends it. Throws `InputError` when the two share no epoch.
std::unique_ptr<KinematicSolution> solve_kinematic(const OccupationModel &base, const OccupationModel &rover,
                                                   const Orbits &orbits, const StaticOptions &options,
                                                   const std::vector<LeftOutSpan> &left_out, const Progress &progress);

} // namespace ampletie
