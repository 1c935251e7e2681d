#pragma once
#include "geodesy/ellipsoid.h"
#include <string>
#include <vector>

namespace ampletie {

/// How heights between the nodes of a grid follow from them: models say with which they were made.
enum class GridInterpolation { bilinear, bicubic };
const char *interpolation_name(GridInterpolation how); ///< "bilinear"

/// Heights of a surface (geoid, quasigeoid) above the ellipsoid at nodes that are regular in latitude and longitude.
struct HeightGrid {
  std::string name;                            ///< of the model, as the file has it
  std::string surface, tide, ellipsoid, frame; ///< as the file states them ("quasi-geoid", "mean-tide"); else empty
  double south = 0, west = 0;                  ///< of the first node, degrees
  double step_lat = 0, step_lon = 0;           ///< degrees
  int rows = 0, columns = 0;
  std::vector<float> values; ///< m, row by row from the south, each from the west; NaN where there is none

  double north() const { return south + (rows - 1) * step_lat; }
  double east() const { return west + (columns - 1) * step_lon; }
  /// Whether the columns go all around the Earth: then the first one follows the last.
  bool around() const;
  float at(int row, int column) const {
    return values[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns) + static_cast<std::size_t>(column)];
  }
  /// "44.00° to 49.00° north, 3.00° to 9.00° east"
  std::string extent_words() const;
};

/// A grid may have this many nodes (256 MB); larger ones are cut out first.
constexpr std::size_t most_grid_nodes = std::size_t{64} << 20;

/// Throws `InputError` where figures of a grid cannot be: no rows, steps or corners that are none, too many nodes.
/// `rows` and `columns` as the file says them.
void check_grid_shape(double south, double west, double step_lat, double step_lon, long rows, long columns);
/// The same for values, which must be heights of a geoid: within 120 m of the ellipsoid (the Earth's own lies between
/// −107 and 86 m). Throws too when no node has one.
void check_grid_values(const HeightGrid &grid);

/// Height at a place, m. Bicubic: convolution of Keys (1981, doi:10.1109/TASSP.1981.1163711) with a = −1/2, which gives
/// surfaces of the second degree exactly, and goes on beyond the outermost nodes as it says there; where one of the
/// sixteen nodes has no value, bilinear. Throws `InputError` outside the grid and where a node of the cell has none.
double height_in_grid(const HeightGrid &grid, const Geodetic &at, GridInterpolation how);

/// Metres to the nearest edge of the grid; negative outside.
double distance_to_edge(const HeightGrid &grid, const Geodetic &at);

/// The nodes within `radius` metres north, south, east and west of a place, and two more on each side for the
/// interpolation, as far as the grid reaches. Throws `InputError` when the place lies outside.
HeightGrid cut_out(const HeightGrid &grid, const Geodetic &centre, double radius);

/// How a permanent tide of a model acts: height of the mean-tide geoid above the tide-free one at a latitude, m.
/// Ekman (1989), doi:10.1007/BF02520477: (1 + k)(9.9 − 29.6 sin²φ) cm with k = 0.30; `zero` gives that of the zero-tide
/// geoid above the tide-free one, k(9.9 − 29.6 sin²φ) cm.
double permanent_tide(double lat, bool zero);

} // namespace ampletie
