#pragma once
#include "geodesy/ellipsoid.h"
#include <optional>
#include <string>
#include <vector>

namespace ampletie {

/// Shifts of latitude and longitude from one datum to another at the nodes of nested grids: how national agencies hand
/// out the way from their older datums. Longitudes count to the east here.
struct ShiftGrid {
  std::string name, from, to; ///< as the file names its datums
  double from_axis = 0;       ///< semi-major axis of the older datum's ellipsoid, m; 0: the file does not say
  struct Part {
    std::string name, parent;                               ///< of the part that it lies in; empty: of none
    double south = 0, west = 0, step_lat = 0, step_lon = 0; ///< degrees
    int rows = 0, columns = 0;
    std::vector<float> lat, lon; ///< seconds of arc, to be added; row by row from the south, each from the west
    std::vector<float> accuracy; ///< m, of both together; empty: the file states none
    double north() const { return south + (rows - 1) * step_lat; }
    double east() const { return west + (columns - 1) * step_lon; }
    bool holds(double lat_deg, double lon_deg) const;
  };
  std::vector<Part> parts;

  /// The place in the target datum; the height stays. Bilinear in the finest part that holds it (NTv2 Developer's
  /// Guide, Junkins and Farley 1995). Throws `InputError` outside.
  Geodetic forward(const Geodetic &at) const;
  /// The other way, to 10⁻¹² rad, by repetition.
  Geodetic inverse(const Geodetic &at) const;
  /// What the file states of the shift there, m; nothing where it states nothing.
  std::optional<double> accuracy_m(const Geodetic &at) const;
  /// "46.00° to 56.00° north, 5.00° to 16.00° east"
  std::string extent_words() const;

private:
  struct Cell {
    const Part *part;
    std::size_t node[4]; ///< south west, south east, north west, north east
    double weight[4];
  };
  Cell cell(double lat_deg, double lon_deg) const;
};

} // namespace ampletie
