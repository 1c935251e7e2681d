#pragma once
#include "gnss/model/signals.h"

namespace ampletie {

/// The calibration used for a carrier: of its own frequency, else of the nearest one that is calibrated.
struct AntennaChoice {
  const AntennaFrequency *frequency = nullptr; ///< null: nothing fits
  std::string stands_in;                       ///< name of the frequency used instead, "G02"; empty when it is its own
};
/// A frequency within 2 MHz counts as the same (Galileo E1 and GPS L1); within 60 MHz stands in (L2 for L5, common
/// practice: a few millimetres in height); farther ones are not used.
AntennaChoice choose_calibration(const Antenna &antenna, char system, char band);

/// The antenna that a satellite carries at an instant; null when the list has none.
const SatelliteAntenna *satellite_antenna(const std::vector<SatelliteAntenna> &list, SatId sat, GpsTime t);
/// Its calibration for a carrier, or that of the nearest frequency of the system; null when there is none.
const AntennaFrequency *satellite_frequency(const Antenna &a, char system, char band);

/// What a satellite's antenna adds to the range from its centre of mass, m: the offset in the nominal attitude (Z to
/// the Earth's centre, Y across the Sun's direction; Kouba 2009) along the line of sight, and the variation by the
/// angle from Z. `unit`: receiver to satellite. ANTEX 1.4 signs.
double satellite_antenna_correction(const Antenna &a, const AntennaFrequency &f, const Vec3 &satellite,
                                    const Vec3 &unit, const Vec3 &sun);

} // namespace ampletie
