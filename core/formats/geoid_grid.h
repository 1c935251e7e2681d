#pragma once
#include "geodesy/height_grid.h"
#include <string>
#include <string_view>

namespace ampletie {

/// Whether a file is a grid of heights, by its content: the header of a GTX grid (size and nodes agree), the head of an
/// ISG text, a TIFF.
bool looks_like_gtx(std::string_view bytes);
bool looks_like_isg(std::string_view text);
bool looks_like_tiff(std::string_view bytes);

/// GTX: corner and steps in degrees as doubles, rows and columns as 32-bit numbers, then heights in metres as floats
/// row by row from the south, all with the high byte first; −88.8888 where there is none.
HeightGrid read_gtx(std::string_view bytes);
std::string write_gtx(const HeightGrid &grid);

/// The text of the International Service for the Geoid, forms 1.0 to 2.0 (grids; rows from the north). Bounds are taken
/// as edges of cells or as nodes, whichever the number of rows and columns says. Sparse and projected data, other
/// orders than from north to south and unknown units are refused with their line.
HeightGrid read_isg(std::string_view text);
/// Form 2.0, with four decimals.
std::string write_isg(const HeightGrid &grid);

/// A GeoTIFF of one band in geographic coordinates (degrees, north up), whole or in tiles, any packing that libtiff
/// undoes; values of 16 to 64 bits with scale and offset. Grids of shifts (several bands), rotated and projected ones
/// are refused.
HeightGrid read_geotiff_grid(std::string_view bytes);

} // namespace ampletie
