#pragma once
#include "geodesy/ocean_loading.h"
#include "gnss/model/sight.h"
#include "gnss/model/signals.h"

namespace ampletie {

/// Where the antenna stands over the marker and what is known about it.
struct AntennaSetup {
  Vec3 arp_offset_enu = Vec3::Zero();    ///< marker to antenna reference point, m
  const Antenna *calibration = nullptr;  ///< null: no correction is applied
  double azimuth = 0;                    ///< rad; where the antenna's north mark points
  const OceanLoading *loading = nullptr; ///< of the mark; null: no ocean loading is applied
  std::optional<Meteorology> weather{};  ///< measured at the mark; absent: standard atmosphere
};

/// Position of the marker from code alone, mean over the epochs, m; throws `InputError` when no epoch can be solved.
struct CodePosition {
  Vec3 marker = Vec3::Zero();
  std::size_t epochs = 0;
  double scatter_m = 0; ///< 68 % of the single epochs are nearer to the mean than this
};
/// Code least squares per epoch with one clock per system, ionosphere-free where two bands are there, standard
/// atmosphere.
CodePosition code_position(const ObservationFile &file, const Orbits &orbits, const AntennaSetup &antenna,
                           double mask_deg = 10);

/// Columns and frequencies of the signals in use, per system.
struct SignalColumns {
  std::array<int, max_signals> code{}, phase{}, strength{};
  std::array<char, max_signals> band{};
  std::size_t count = 0;
};
std::map<char, SignalColumns> signal_columns(const ObservationFile &f,
                                             const std::map<char, std::vector<Signal>> &signals);

struct EpochFix {
  Vec3 position;
  std::map<char, double> clock; ///< m
};
/// One epoch; the antenna stays where `start` is when `fixed`. `mask` in rad.
std::optional<EpochFix> solve_epoch(const ObservationFile &f, const ObservationEpoch &e,
                                    const std::map<char, SignalColumns> &columns, const Orbits &orbits,
                                    const Vec3 &start, bool fixed, double mask);

} // namespace ampletie
