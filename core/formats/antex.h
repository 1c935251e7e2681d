#pragma once
#include "formats/gnss_data.h"

namespace ampletie {

/// Reads ANTEX 1.4 (Rothacher and Schmid 2010): receiver antennas, satellite antennas with their spans of time.
/// Sign convention of the format: observed = geometric (to the ARP) − offset · direction + variation.
AntexFile read_antex(std::string_view text);
std::string write_antex(const AntexFile &file);

/// Variation at an angle from the zenith (of a satellite: from the nadir), degrees; linear, the end values beyond the
/// grid, m.
double variation_at(const Antenna &a, const std::vector<double> &values, double angle_deg);

/// Correction in metres to be added to the geometric distance from the ARP: −offset · e + variation, for a direction
/// given by azimuth and elevation (radians). Bilinear in zenith angle and azimuth; the last value beyond the table.
double antenna_correction(const Antenna &antenna, const AntennaFrequency &f, double azimuth, double elevation);

/// "G01" and its kind for a system and a RINEX band.
std::string antex_frequency(char system, char band);

} // namespace ampletie
