#pragma once
#include "base/progress.h"
#include "gnss/model/ionosphere.h"
#include "gnss/model/point_position.h"
#include <set>

namespace ampletie {

struct ModelOptions {
  double mask_deg = 7;
  bool tides = true; ///< switched off only to show in tests what the model is worth
  std::string systems = std::string(solved_systems);
  /// With orbits of the centres of mass: where the satellites' antennas are. Null for broadcast orbits, which have it
  /// in.
  const std::vector<SatelliteAntenna> *satellite_antennas = nullptr;
  const IonospherePrior *ionosphere = nullptr; ///< taken off code and carrier beforehand; null: nothing is
};

/// One satellite at one epoch, reduced by everything that can be computed beforehand.
struct ModelledObservation {
  SatId sat;
  std::uint8_t slip = 0; ///< bit per signal: a new ambiguity starts here
  /// observed − modelled, m; modelled: range, clocks, troposphere, antenna. NaN when absent. In the carrier an integer
  /// of cycles and biases remain.
  std::array<float, max_signals> code{};
  std::array<double, max_signals> phase{};
  Vec3 unit = Vec3::Zero();         ///< receiver to satellite
  float elevation = 0, azimuth = 0; ///< rad
  float wet_mapping = 1;
  float wind_up = 0;  ///< cycles taken off the phase, continuous over the occupation
  float strength = 0; ///< of the first signal, dB-Hz; 0 when the file gives none
};
struct ModelledInstant {
  GpsTime time;
  // Of a moving receiver, whose every epoch is linearised at its own place.
  Vec3 at = Vec3::Zero();             ///< marker position, orbits' frame
  double height = 0, zenith_rate = 0; ///< m; change of the modelled zenith delay with height, m per m
  double clock = 0;                   ///< of the receiver against GPS time, s
};
struct ModelledEpoch : ModelledInstant {
  std::vector<ModelledObservation> sats; ///< sorted by satellite
};

/// What of an occupation's reduction is not of single epochs.
struct ModelledReceiver {
  Vec3 marker = Vec3::Zero(); ///< a-priori marker position, orbits' frame, at which everything is linearised
  double height = 0;          ///< ellipsoidal, m
  double interval = 0;        ///< s
  std::string receiver;       ///< type, for the question whether GLONASS integers exist
  std::map<char, std::vector<Signal>> signals;
  std::map<SatId, int> glonass_channel;
  /// Codes whose offset from the carrier the header states ("C1C"); empty where it states nothing or zeros only, which
  /// converters write without having measured anything.
  std::set<std::string> glonass_aligned;
  std::size_t satellites_without_orbit = 0;
  int clock_jumps = 0;            ///< whole milliseconds that were taken out of the carrier
  std::vector<std::string> notes; ///< sentences for the evidence: stand-in calibrations
};
/// An occupation ready to be combined with others: independent of the partner, computed once.
struct OccupationModel : ModelledReceiver {
  std::vector<ModelledEpoch> epochs;
};

/// Reduces a file at an a-priori marker position: satellite positions at transmission with light time and Earth
/// rotation, satellite clocks, relativity (eccentricity and the delay in the Earth's field), solid tide, standard
/// troposphere with Niell's mapping, antenna calibration, phase wind-up; receiver clock from code per epoch, whole
/// milliseconds by which some receivers move code and carrier apart; cycle slips by flags, geometry-free and wide-lane
/// combinations.
OccupationModel model_occupation(const ObservationFile &file, const Orbits &orbits, const Vec3 &marker,
                                 const AntennaSetup &antenna, const ModelOptions &options, const Progress &progress);

/// The same of a moving receiver: every epoch is reduced at the place that its codes give (metres are near enough, what
/// the zenith delay does with height goes along). `marker` and `height` are those of the first epoch; epochs without
/// enough codes are kept without satellites.
OccupationModel model_track(const ObservationFile &file, const Orbits &orbits, const AntennaSetup &antenna,
                            const ModelOptions &options, const Progress &progress);

} // namespace ampletie
