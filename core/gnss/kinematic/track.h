#pragma once
#include "base/vector.h"
#include "gnss/kinematic/relations.h"
#include "gnss/model/residual_sample.h"
#include <cmath>
#include <string>
#include <vector>

namespace ampletie {

/// What a place of a moving receiver rests on.
enum class TrackState : std::uint8_t { none, code, floating, partly_fixed, fixed };
/// "fixed", "partly fixed", "float", "code", "none".
std::string state_name(TrackState s);

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
  std::vector<ResidualSample> residuals; ///< of some 700 epochs, in order of time
  double interval = 1, longest_m = 0;
  double ratio = 0;       ///< smallest with which integers were accepted
  double noise_ratio = 1; ///< squares of the carriers' residuals over what the noise lets expect, fixed epochs
  int slips = 0, rejected = 0, contradicted = 0;
  std::size_t lost = 0; ///< epochs without a satellite in common with the base
  std::vector<std::string> notes;
  std::size_t count(TrackState s) const;
};

} // namespace ampletie
