#pragma once
#include "geodesy/height_grid.h"
#include "geodesy/shift_grid.h"
#include <optional>
#include <string_view>

namespace ampletie {

/// Whether a file is a binary NTv2 grid, of either byte order.
bool looks_like_ntv2(std::string_view bytes);
/// A binary NTv2 grid shift file (Junkins and Farley 1995, NTv2 Developer's Guide): all sub-grids, shifts in seconds,
/// minutes or degrees, west turned into east; the accuracies of latitude and longitude become one in metres. Throws
/// `InputError` for files that are cut off, sizes and steps that cannot be or do not fit, shifts above two minutes of
/// arc, sub-grids without a parent that is there or outside of it, and more than 16 million nodes.
ShiftGrid read_ntv2(std::string_view bytes);

/// Some agencies hand out their geoid as such a file: heights in metres stand where shifts of latitude do, deflections
/// where those of longitude do (Australia's, by memory). A file of one grid is one where these go beyond 20, for no two
/// datums lie 600 m apart; nothing where it is none. Throws `InputError` for heights that are none.
std::optional<HeightGrid> heights_in(const ShiftGrid &grid);

} // namespace ampletie
