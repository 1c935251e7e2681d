#pragma once
#include "geodesy/shift_grid.h"
#include <string_view>

namespace ampletie {

/// Whether a TIFF says that it holds shifts of latitude and longitude.
bool looks_like_shift_tiff(std::string_view bytes);
/// Shifts as PROJ's GeoTIFF grids have them ("Geodetic TIFF grids", specification in PROJ's documentation): a picture
/// for each part, bands named latitude_offset and longitude_offset (with accuracies, where they are there) in seconds
/// of arc, degrees or radians, longitudes counted to the east or the west as `positive_value` says, nested parts by
/// grid_name and parent_grid_name. Nodes without a value make it refused, as do shifts above two minutes of arc,
/// velocities, geocentric and vertical offsets, and readings other than bilinear.
ShiftGrid read_shift_tiff(std::string_view bytes);

} // namespace ampletie
