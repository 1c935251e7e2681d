#pragma once
#include "base/vector.h"
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

/// One row of a control list, as written; what is absent is absent.
struct ControlRow {
  std::string mark, description, frame, epoch;
  std::optional<Vec3> xyz;                 ///< m
  std::optional<Vec3> geodetic;            ///< latitude, longitude in degrees, ellipsoidal height in m
  std::optional<Vec3> grid;                ///< east, north, physical height, m
  std::optional<Vec3> velocity;            ///< X, Y, Z, m/yr
  std::optional<Vec3> sd_enu;              ///< standard deviations east, north, up, m
  std::optional<double> height, sd_height; ///< physical height, m, also where nothing else is known
  std::optional<double> gravity;           ///< measured at the mark, m/s²; lists may write mGal
  long line = 0;
};

struct ControlList {
  std::vector<ControlRow> rows;
  char delimiter = ',';
  std::vector<std::string> unread_columns;
};

/// Reads a control list with a header line: columns in any order, comma, semicolon or tab; decimal commas with the
/// latter two; byte-order mark; `#` starts a comment. Known names (any case): mark|name|station, description, frame,
/// epoch, x y z, lat|latitude lon|longitude h|height_ellipsoidal, e|east|easting n|north|northing height, vx vy vz
/// (m/yr), sd_e sd_n sd_u (m). A benchmark may have its height alone. Impossible coordinates are refused with line and
/// reason, so are double names.
ControlList read_control_list(std::string_view text);

/// True when the first line looks like the header of a control list.
bool looks_like_control_list(std::string_view text);

} // namespace ampletie
