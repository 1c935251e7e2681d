#pragma once
#include "base/progress.h"
#include "formats/gnss_data.h"
#include "gnss/orbit.h"

namespace ampletie {

/// Where the antenna stands over the marker and what is known about it.
struct AntennaSetUp {
  Vec3 arp_offset_enu = Vec3::Zero();   ///< marker to antenna reference point, m
  const Antenna *calibration = nullptr; ///< null: no correction is applied
};

struct ModelOptions {
  double mask_deg = 10;
  bool tides = true; ///< switched off only to show in tests what the model is worth
};

constexpr int band_count = 2;

/// One satellite at one epoch, reduced by everything that can be computed beforehand.
struct ModelledObservation {
  SatId sat;
  std::array<double, band_count> code{};  ///< observed − modelled, m; modelled: range, clocks, troposphere, antenna
  std::array<double, band_count> phase{}; ///< the same for the carrier, m; an integer of cycles and biases remain
  std::array<bool, band_count> slip{};    ///< a new ambiguity starts here
  Vec3 unit = Vec3::Zero();               ///< receiver to satellite
  double elevation = 0, azimuth = 0;      ///< rad
  double wet_mapping = 1;
  double wind_up = 0;  ///< cycles taken off the phase, continuous over the occupation
  double strength = 0; ///< of the first band, dB-Hz; 0 when the file gives none
};
struct ModelledEpoch {
  GpsTime time;
  std::vector<ModelledObservation> sats; ///< sorted by satellite
};

struct Signals {
  std::array<std::string, band_count> code, phase; ///< RINEX types in use, "C1C" "L1C"
  bool operator==(const Signals &) const = default;
};

/// An occupation ready to be combined with others: independent of the partner, computed once.
struct OccupationModel {
  Vec3 marker = Vec3::Zero(); ///< a-priori marker position, orbits' frame, at which everything is linearised
  double height = 0;          ///< ellipsoidal, m
  std::map<char, Signals> signals;
  std::vector<ModelledEpoch> epochs;
  std::size_t satellites_without_orbit = 0;
};

/// Position of the marker from code alone, mean over the epochs, m; throws `InputError` when no epoch can be solved.
struct CodePosition {
  Vec3 marker = Vec3::Zero();
  std::size_t epochs = 0;
  double scatter_m = 0; ///< 3D rms of the single epochs about the mean
};
/// Ionosphere-free code least squares per epoch with one clock per system, standard atmosphere.
CodePosition code_position(const ObservationFile &file, const Orbits &orbits, const AntennaSetUp &antenna,
                           double mask_deg = 10);

/// Which types of a file are used for each system; systems without two frequencies are left out.
std::map<char, Signals> choose_signals(const ObservationFile &file);

/// Reduces a file at an a-priori marker position: satellite positions at transmission with light time and Earth
/// rotation, satellite clocks, relativity (eccentricity and the delay in the Earth's field), solid tide, standard
/// troposphere with Niell's mapping, antenna calibration, phase wind-up; receiver clock from code per epoch; cycle
/// slips by flags, geometry-free and wide-lane combination.
OccupationModel model_occupation(const ObservationFile &file, const Orbits &orbits, const Vec3 &marker,
                                 const AntennaSetUp &antenna, const ModelOptions &options, const Progress &progress);

} // namespace ampletie
