#pragma once
#include "gnss/signals.h"

namespace ampletie {

/// The calibration used for a carrier: of its own frequency, else of the nearest one that is calibrated.
struct AntennaChoice {
  const AntennaFrequency *frequency = nullptr; ///< null: nothing fits
  std::string stands_in;                       ///< name of the frequency used instead, "G02"; empty when it is its own
};
/// A frequency within 2 MHz counts as the same (Galileo E1 and GPS L1); within 60 MHz stands in (L2 for L5, common
/// practice: a few millimetres in height); farther ones are not used.
AntennaChoice choose_calibration(const Antenna &antenna, char system, char band);

} // namespace ampletie
