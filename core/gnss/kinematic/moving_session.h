#pragma once
#include "gnss/model/differences.h"
#include "gnss/model/modelled_track.h"

namespace ampletie {

/// A satellite's difference moving receiver − base at one epoch. `interpolated`: variance, m², of the base's value
/// where it was interpolated between its epochs.
struct MovingDifference : Difference {
  double interpolated = 0;
};
struct MovingInstant {
  GpsTime time;
  Vec3 start = Vec3::Zero(); ///< marker position at which it is linearised, orbits' frame
  double height = 0;         ///< of it, ellipsoidal, m
  double zenith_rate = 0;    ///< change of the modelled zenith delay with height, m per m
  double clock = 0;          ///< of the moving receiver against GPS time, s
  bool bracketed = false;    ///< the base has data at it or on both sides of it
};
struct MovingEpoch : MovingInstant {
  std::vector<MovingDifference> sats;
};

/// A moving receiver against a base, epoch by epoch as the moving one has them. The differences of hours at a high rate
/// do not lie in memory: an epoch is loaded where it is worked on.
struct MovingSession {
  struct Instant : MovingInstant {
    std::size_t first, count; ///< of its satellites
  };
  std::vector<Instant> epochs;
  MovingEpoch load(std::size_t i) const;
  void append(const MovingEpoch &e);

  std::vector<CarrierArc> arcs;
  std::map<SatId, std::array<double, band_count>> hz;
  std::set<char> integer_systems;
  double carrier_bias_sd = 3, interval = 1;
  int slips = 0;
  std::vector<std::string> notes;

private:
  Parked<MovingDifference> sats_;
};

/// What a base that is slower than the moving receiver costs: the carrier between its epochs follows what satellite
/// clocks, atmosphere and reflections do (a random walk), how fast the base's own triples of epochs tell.
class InterpolationNoise {
public:
  explicit InterpolationNoise(const ModelledTrack &base);
  /// Of a value between two epochs `gap` seconds apart, at the share `u` of the way, m².
  double variance(SatId sat, double u, double gap) const;

private:
  double pooled_ = 0, interval_ = 1;
  std::map<SatId, double> own_; ///< mean square of a middle epoch against its neighbours' mean, m²
};

/// Longest gap of the base that is interpolated over, s.
constexpr double longest_interpolation = 65;

/// Pairs every epoch of the moving receiver with the base, interpolated where it has none. Slips that single receivers
/// do not see show in the steps from epoch to epoch: four unknowns (the way gone, a clock per system) must explain
/// those of all carriers to a third of a cycle; where too few are left to tell, every carrier begins anew.
MovingSession pair_moving(const ModelledTrack &base, const ModelledTrack &rover, const Orbits &orbits,
                          const StaticOptions &options, const std::vector<LeftOutSpan> &left_out,
                          const std::vector<ForcedBreak> &breaks, const Progress &progress);

} // namespace ampletie
