#pragma once
#include "formats/gnss_data.h"

namespace ampletie {

/// Satellite clocks of a RINEX clock file, s, by time.
struct ClockFile {
  std::map<SatId, std::vector<std::pair<GpsTime, double>>> satellites;
  std::size_t stations = 0; ///< records of receivers, stepped over
};

/// Reads RINEX clock files 2.00–3.04: the AS records (satellites); others are counted or stepped over. Throws
/// `InputError` with the line.
ClockFile read_rinex_clock(std::string_view text);

} // namespace ampletie
