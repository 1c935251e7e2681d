#pragma once
#include "formats/gnss_data.h"

namespace ampletie {

/// Reads RINEX 3.00–3.05 observation text (IGS/RTCM, "RINEX 3.05"). GPS time files only in this version of the reader;
/// event records 4 and 5 are stepped over, a new site or a moving antenna inside the file (2, 3) is refused.
/// Throws `InputError` with the line for anything that does not follow the format, also for a file that ends inside
/// an epoch.
ObservationFile read_rinex_observation(std::string_view text);

/// Writes RINEX 3.05. Reading it back gives the same values to the printed 0.001.
std::string write_rinex_observation(const ObservationFile &file);

/// Nominal interval: the header's, else the most frequent difference between epochs.
double nominal_interval(const ObservationFile &file);

} // namespace ampletie
