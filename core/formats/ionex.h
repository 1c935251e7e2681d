#pragma once
#include "time/gps_time.h"
#include <string_view>
#include <vector>

namespace ampletie {

/// Maps of vertical total electron content on one shell.
struct IonexFile {
  double radius_m = 6371e3, height_m = 450e3;                      ///< of the sphere; of the shell above it
  double lat_first = 0, lat_step = 0, lon_first = 0, lon_step = 0; ///< degrees
  std::size_t rows = 0, columns = 0;
  struct Map {
    GpsTime time;
    std::vector<float> tecu; ///< row by row from the first latitude; NaN: not known
  };
  std::vector<Map> maps; ///< by time
};

/// Reads IONEX 1.0 and 1.1 (Schaer, Gurtner and Feltens 1998), two-dimensional maps; RMS and height maps are stepped
/// over. Throws `InputError` with the line.
IonexFile read_ionex(std::string_view text);

} // namespace ampletie
