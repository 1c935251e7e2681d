#pragma once
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

/// A named point on an antenna to which crews measure: its distance from the vertical axis and its height above the
/// antenna reference point, m.
struct AntennaPoint {
  std::string antenna, point;
  double radius = 0, above_arp = 0;
  long line = 0;
};

/// Reads the open table of antenna dimensions: CSV with the header `antenna,point,radius_m,above_arp_m`; `#` comments.
std::vector<AntennaPoint> read_antenna_points(std::string_view text);
bool looks_like_antenna_points(std::string_view text);

/// Vertical height of the ARP above the marker from a reading to a point: √(slant² − radius²) − above for a slant
/// reading, reading − above for a vertical one. Throws `InputError` for a slant shorter than the radius.
double arp_height(double reading, bool slant, const AntennaPoint &point);

} // namespace ampletie
