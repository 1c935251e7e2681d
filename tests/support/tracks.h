#pragma once
#include "gnss/kinematic/kinematic.h"
#include "support/sky_truth.h"
#include <optional>

namespace ampletie::testing {

/// A kind of track: how the receiver moves, how far from its base, under what sky.
struct TrackStratum {
  std::string name, systems;
  double length_from, length_to, height_range; ///< m, of the start against the base
  double minutes, interval, base_interval;
  bool vehicle = true;    ///< else on foot
  bool streets = false;   ///< a third of the sky shut in turn, everything lost every minute
  bool underpass = false; ///< all shut for 5 to 60 s, every few minutes
  double stop_every = 0;  ///< s between standstills of ten seconds; 0: none
};
const std::vector<TrackStratum> &track_strata();
const TrackStratum &track_stratum(const std::string &name);
sky::Scenario scenario_of(const TrackStratum &s, std::uint64_t seed);

/// Options of the experiment, for ablations.
struct TrackExperiment {
  StaticOptions solve;
  std::optional<std::pair<double, double>> at; ///< the base is there (degrees) in place of where the kind has it
};
struct TrackOutcome {
  sky::Scenario scenario;
  Judged judged;
  std::shared_ptr<const Orbits> orbits;
  OccupationModel base, rover;
  std::unique_ptr<KinematicSolution> solution;
  int wrong = 0;      ///< integers that differ from the truth
  double seconds = 0; ///< that solving took, modelling included
  const sky::TrueTrack &truth() const { return judged.campaign.tracks.front(); }
};
std::unique_ptr<TrackOutcome> run_track(const TrackStratum &s, std::uint64_t seed, const TrackExperiment &e = {});

/// The same way from two bases, on BASE and on OTHER, some kilometres apart.
struct TwoBases {
  sky::Scenario scenario;
  Judged judged;
  std::shared_ptr<const Orbits> orbits;
  OccupationModel base, other, rover;
  std::unique_ptr<KinematicSolution> from_base, from_other;
  const sky::TrueTrack &truth() const { return judged.campaign.tracks.front(); }
  /// Of a place at an instant against the truth, east, north, up, without the error of the main base's set-up.
  std::optional<Vec3> error(GpsTime t, const Vec3 &place) const;
};
std::unique_ptr<TwoBases> run_from_two_bases(const TrackStratum &s, std::uint64_t seed);
/// Errors of the fixed epochs of a way against the truth and against what is printed.
struct FixedEpochs {
  double nse = 0, square = 0, printed = 0; ///< per degree; m²
  int epochs = 0, inside95 = 0;
  void add(const TwoBases &o, const KinematicTrack &t);
  std::string line() const;
};

/// Sums over tracks of a stratum; errors in mm where printed.
struct TrackTally {
  int tracks = 0, wrong = 0, arcs = 0;
  std::size_t epochs = 0, fixed = 0, partly = 0, solved = 0, bridged = 0, open_sky = 0;
  Vec3 square = Vec3::Zero(), printed = Vec3::Zero(); ///< of fixed epochs
  double nse = 0, nse_up = 0, nse_other = 0, nse_bridged = 0, noise = 0, seconds = 0, worst = 0;
  std::size_t in50 = 0, in95 = 0, in99 = 0;
  int stops = 0, stops95 = 0;
  Vec3 stop_square = Vec3::Zero();
  double stop_nse = 0;
  void add(const TrackOutcome &o);
  std::string line() const;
};

} // namespace ampletie::testing
