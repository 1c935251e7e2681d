#pragma once
#include <string>
#include <string_view>

namespace ampletie {

/// A grid of one's own by typed parameters, as "transverse-mercator lat=46 lon=15 scale=0.9999 east=500000
/// north=-5000000 factor=1.00012 unit=ft": the method and its values, in any order, blanks or commas between. Angles in
/// any writing of degrees, false origin in the unit. `factor` is the combined factor of a ground grid: lengths in it
/// are so many times those in the projection, about the false origin.
///
/// Beside `scale` (1), `east` and `north` (0), `factor` (1), `unit` (m) and `ellipsoid` (GRS80, or WGS84)
/// transverse-mercator has lat and lon;
/// lambert lat, lon, and lat1 with or without lat2 (conformal conic; without both the parallel is lat);
/// oblique-mercator lat, lon and azimuth, of the central line (Hotine, variant B);
/// stereographic lat and lon (oblique, double).
bool looks_like_own_grid(std::string_view text);

/// The same as text of PROJ. Throws `InputError` for methods and parameters that there are none of, for what is missing
/// or twice, and for values that are none.
std::string own_grid_as_proj(std::string_view text);

} // namespace ampletie
