#include "base/error.h"
#include "base/text.h"
#include "formats/geoid_grid.h"
#include "formats/geotiff.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {

HeightGrid read_geotiff_grid(std::string_view bytes) {
  const GeoTiff file(bytes);
  HeightGrid g;
  g.name = "GeoTIFF grid";
  const GeoTiffShape shape = file.shape();
  if (shape.bands != 1)
    throw InputError(fmt::format("{} bands: a geoid has one, a grid of shifts or velocities several", shape.bands));
  for (const GeoTiffItem &i : file.items()) {
    const std::string value = lower(i.value);
    if (i.role == "unittype" && value != "metre" && value != "meter" && value != "m")
      throw InputError("values in \"" + i.value + "\": metres are read");
    if (i.name == "tide_system") g.tide = value;
  }
  g.south = shape.south, g.west = shape.west, g.step_lat = shape.step_lat, g.step_lon = shape.step_lon;
  g.rows = shape.rows, g.columns = shape.columns;
  g.values.assign(static_cast<std::size_t>(g.rows) * static_cast<std::size_t>(g.columns), NAN);
  file.read(shape, [&](int row, int column, int, double v) {
    g.values[static_cast<std::size_t>(row) * static_cast<std::size_t>(g.columns) + static_cast<std::size_t>(column)] =
        static_cast<float>(v);
  });
  check_grid_values(g);
  return g;
}

} // namespace ampletie
