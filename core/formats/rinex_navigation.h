#pragma once
#include "formats/gnss_data.h"

namespace ampletie {

/// Reads RINEX navigation text, 2.xx (GPS and GLONASS files), 3.00–3.05 and 4.00–4.02: LNAV, I/NAV, F/NAV, FDMA, D1 and
/// D2 messages. CNAV kinds, SBAS and NavIC are stepped over and counted. Throws `InputError` with the line.
NavigationFile read_rinex_navigation(std::string_view text);
/// Writes RINEX 3.05.
std::string write_rinex_navigation(const NavigationFile &file);

} // namespace ampletie
