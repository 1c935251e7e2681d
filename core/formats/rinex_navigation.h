#pragma once
#include "formats/gnss_data.h"

namespace ampletie {

/// Reads RINEX 3.00–3.05 navigation text. GPS (LNAV) and Galileo (I/NAV, F/NAV) records are kept; records of other
/// systems are stepped over and counted. Throws `InputError` with the line on damage.
NavigationFile read_rinex_navigation(std::string_view text);
std::string write_rinex_navigation(const NavigationFile &file);

} // namespace ampletie
