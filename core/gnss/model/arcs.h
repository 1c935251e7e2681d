#pragma once
#include "formats/gnss_data.h"
#include <string>

namespace ampletie {

/// A time span in which a satellite, a system or everything is left out, on one frequency or all.
struct LeftOutSpan {
  SatId sat; ///< number 0: the whole system; system ' ': everything
  GpsTime from, to;
  std::string signal; ///< "L1": only carriers of that band with their codes; empty: all
  bool covers(SatId s, const std::string &phase_type, GpsTime t) const {
    return t >= from && t <= to && (sat.system == ' ' || sat.system == s.system) &&
           (sat.number == 0 || sat.number == s.number) && phase_type.substr(0, signal.size()) == signal;
  }
};

/// An unbroken carrier arc of a satellite between the two receivers.
struct CarrierArc {
  SatId sat;
  int band = 0;       ///< 0, 1 or 2: place in the order of bands in use
  std::string signal; ///< carrier type, "L1C"
  GpsTime first, last;
  int epochs = 0;
  bool reference = false; ///< of its system and band: the others are counted from it
};

/// Where a new arc must start although nothing in the data says so (found by the filter).
struct ForcedBreak {
  SatId sat;
  int band;
  GpsTime time;
};

/// A slip whose size was certain: the carrier after it was set back by `cycles` (rover − base) and the arc goes on.
struct SlipRepair {
  SatId sat;
  int band;
  GpsTime time;
  std::int64_t cycles;
};

} // namespace ampletie
