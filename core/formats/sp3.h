#pragma once
#include "formats/gnss_data.h"

namespace ampletie {

/// Reads SP3-c and SP3-d positions and clocks (Hilla, "The Extended Standard Product 3 Orbit Format"). Velocity and
/// correlation records are stepped over. Only GPS time. Absent positions and clocks (0, 999999.999999) are left out.
Sp3File read_sp3(std::string_view text);
std::string write_sp3(const Sp3File &file);

} // namespace ampletie
