#include "formats/shift_tiff.h"
#include "base/error.h"
#include "base/text.h"
#include "base/utf8.h"
#include "formats/geoid_grid.h"
#include "formats/geotiff.h"
#include "formats/shift_parts.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
constexpr double seconds_of_degree = 3600, seconds_of_radian = 180 / M_PI * 3600;
constexpr double metres_of_second = 30.9; ///< along the meridian; of an accuracy that is plenty

/// What a picture says of itself and its bands.
class Said {
public:
  explicit Said(std::vector<GeoTiffItem> items) : items_(std::move(items)) {}
  std::string of(const char *name, int band = -1) const {
    for (const GeoTiffItem &i : items_)
      if (i.name == name && (i.band == band || (band >= 0 && i.band == -1))) return printable(utf8_text(i.value));
    return {};
  }
  /// The band so described; nothing where none is.
  std::optional<int> band(const char *description) const {
    for (const GeoTiffItem &i : items_)
      if (i.role == "description" && i.band >= 0 && lower(i.value) == description) return i.band;
    return {};
  }
  /// Of a band's unit to seconds of arc, or to metres where `accuracy`.
  double unit(int band, bool accuracy) const {
    std::string name;
    for (const GeoTiffItem &i : items_)
      if (i.role == "unittype" && (i.band == band || (i.band == -1 && name.empty()))) name = lower(i.value);
    if (accuracy && (name == "metre" || name == "meter" || name == "m")) return 1;
    const double also = accuracy ? metres_of_second : 1;
    if (name.empty() || name == "arc-second" || name == "arc-seconds") return also;
    if (name == "degree") return seconds_of_degree * also;
    if (name == "radian") return seconds_of_radian * also;
    throw InputError("its values are in \"" + printable(name) + "\": seconds of arc, degrees and radians are read");
  }

private:
  std::vector<GeoTiffItem> items_;
};

ShiftGrid::Part part_of(const GeoTiff &file, const Said &said, std::size_t &nodes) {
  const GeoTiffShape shape = file.shape();
  const int lat = said.band("latitude_offset").value_or(0), lon = said.band("longitude_offset").value_or(1);
  const auto lat_sd = said.band("latitude_offset_accuracy"), lon_sd = said.band("longitude_offset_accuracy");
  if (lat == lon || std::max(lat, lon) >= shape.bands)
    throw InputError("it has no two bands of latitude and longitude");
  const std::string positive = lower(said.of("positive_value", lon));
  if (!positive.empty() && positive != "east" && positive != "west")
    throw InputError("its longitudes count to the \"" + positive + "\": east and west are known");
  const double north = said.unit(lat, false), east = said.unit(lon, false) * (positive == "west" ? -1 : 1);
  ShiftGrid::Part p;
  p.name = said.of("grid_name"), p.parent = said.of("parent_grid_name");
  p.south = shape.south, p.west = shape.west, p.step_lat = shape.step_lat, p.step_lon = shape.step_lon;
  p.rows = shape.rows, p.columns = shape.columns;
  const auto wide = static_cast<std::size_t>(p.columns), all = wide * static_cast<std::size_t>(p.rows);
  nodes += all;
  if (nodes > most_shift_nodes) throw InputError("the file holds more than 16 million nodes");
  p.lat.assign(all, NAN), p.lon.assign(all, NAN);
  std::vector<double> variance(lat_sd && lon_sd ? all : 0);
  file.read(shape, [&](int row, int column, int band, double v) {
    const std::size_t at = static_cast<std::size_t>(row) * wide + static_cast<std::size_t>(column);
    if (band == lat) p.lat[at] = static_cast<float>(v * north);
    if (band == lon) p.lon[at] = static_cast<float>(v * east);
    if (!variance.empty() && (band == *lat_sd || band == *lon_sd) && v > 0)
      variance[at] += std::pow(v * said.unit(band, true), 2);
  });
  for (std::size_t i = 0; i < all; ++i)
    for (const float v : {p.lat[i], p.lon[i]})
      if (!std::isfinite(v) || std::abs(static_cast<double>(v)) > most_shift_s)
        throw InputError(fmt::format("the grid {} has a shift that cannot be at its node {}", p.name, i + 1));
  bool any = false;
  for (const double v : variance) {
    p.accuracy.push_back(v > 0 && v < 1e4 ? static_cast<float>(std::sqrt(v)) : 0.0F);
    any = any || p.accuracy.back() > 0;
  }
  if (!any) p.accuracy.clear();
  return p;
}
} // namespace

bool looks_like_shift_tiff(std::string_view bytes) {
  return looks_like_tiff(bytes) && (bytes.find("HORIZONTAL_OFFSET") != std::string_view::npos ||
                                    bytes.find("latitude_offset") != std::string_view::npos);
}

ShiftGrid read_shift_tiff(std::string_view bytes) {
  GeoTiff file(bytes);
  ShiftGrid out;
  std::size_t nodes = 0;
  do {
    const Said said(file.items());
    if (said.of("type").empty() && !said.band("latitude_offset"))
      throw InputError("it does not say that it holds shifts of latitude and longitude: cut off at its end?");
    if (const std::string type = said.of("type"); !type.empty() && type != "HORIZONTAL_OFFSET")
      throw InputError("it holds \"" + type + "\": shifts of latitude and longitude are read");
    if (const std::string how = lower(said.of("interpolation_method")); !how.empty() && how != "bilinear")
      throw InputError("it is to be read \"" + how + "\": bilinear reading is known");
    if (out.from.empty()) out.from = said.of("source_crs_name");
    if (out.from.empty() && !said.of("source_crs_epsg_code").empty())
      out.from = "EPSG:" + said.of("source_crs_epsg_code");
    if (out.to.empty()) out.to = said.of("target_crs_name");
    if (out.to.empty() && !said.of("target_crs_epsg_code").empty()) out.to = "EPSG:" + said.of("target_crs_epsg_code");
    out.parts.push_back(part_of(file, said, nodes));
    if (out.parts.size() > 10000) throw InputError("the file holds more than 10000 grids");
  } while (file.next());
  if (out.from.empty()) out.from = "older datum";
  if (out.to.empty()) out.to = "target datum";
  // A part without a name is its own; a parent that only its order tells is none.
  for (std::size_t i = 0; i < out.parts.size(); ++i)
    if (out.parts[i].name.empty()) out.parts[i].name = fmt::format("{}", i + 1);
  check_shift_parts(out.parts);
  out.name = out.from + " to " + out.to;
  return out;
}

} // namespace ampletie
