#pragma once
#include "geodesy/ocean_loading.h"
#include <string_view>
#include <vector>

namespace ampletie {

bool looks_like_ocean_loading(std::string_view text);

/// Reads a file of ocean loading coefficients in the open layout that loading services and the IERS Conventions (2010,
/// 7.1.2) use: comments begin with "$$", a station's name stands on a line of its own, six rows of eleven numbers
/// follow. A comment "… lon/lat: LON LAT …" gives the place. Throws `InputError` with the line.
std::vector<OceanLoading> read_ocean_loading(std::string_view text);

} // namespace ampletie
