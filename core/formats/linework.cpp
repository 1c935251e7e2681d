#include "formats/linework.h"
#include "base/error.h"
#include "base/module.h"
#include "base/text.h"
#include <cmath>
#include <fmt/format.h>
#include <optional>
#include <set>

namespace ampletie {
namespace {
bool is_dxf(std::string_view text) {
  // Pairs of lines, a code and a value; a drawing begins with a section, perhaps after remarks (code 999).
  LineReader in(text.substr(0, 20000));
  std::string_view code, value;
  for (int pair = 0; pair < 50 && in.next(code) && in.next(value); ++pair) {
    if (trimmed(code) == "0") return trimmed(value) == "SECTION";
    if (trimmed(code) != "999") return false;
  }
  return false;
}
bool is_geojson(std::string_view text) {
  const std::string_view start = trimmed(text.substr(0, 3000));
  if (!start.starts_with('{') || start.find("\"type\"") == std::string_view::npos) return false;
  for (const char *kind : {"\"FeatureCollection\"", "\"LineString\"", "\"MultiLineString\"", "\"Polygon\""})
    if (start.find(kind) != std::string_view::npos) return true;
  return false;
}
bool is_geopackage(std::string_view bytes) {
  return bytes.size() > 100 && bytes.substr(0, 15) == "SQLite format 3" && bytes.substr(68, 2) == "GP";
}
const char *driver_of(std::string_view bytes) {
  return is_geopackage(bytes) ? "GPKG" : is_dxf(bytes) ? "DXF" : is_geojson(bytes) ? "GeoJSON" : nullptr;
}

/// Metres in the unit that a drawing's head names ($INSUNITS); nothing where it names none.
std::optional<double> unit_of_drawing(std::string_view dxf) {
  const auto at = dxf.substr(0, 200'000).find("$INSUNITS");
  if (at == std::string_view::npos) return {};
  LineReader in(dxf.substr(at, 200));
  std::string_view line;
  in.next(line), in.next(line); // its name, the code of the value
  if (!in.next(line)) return {};
  const auto code = parse_integer(trimmed(line));
  constexpr std::pair<int, double> units[] = {{1, 0.0254}, {2, 0.3048}, {3, 1609.344}, {4, 0.001},
                                              {5, 0.01},   {6, 1.0},    {7, 1000.0},   {21, 1200.0 / 3937.0}};
  for (const auto &[number, metres] : units)
    if (code && *code == number) return metres;
  return {};
}
} // namespace

bool looks_like_linework(std::string_view bytes) { return driver_of(bytes) != nullptr; }

Linework read_linework(std::string_view bytes) {
  const char *driver = driver_of(bytes);
  if (!driver) throw InputError("this is no drawing that is known (DXF, GeoJSON, GeoPackage)");
  static const auto read = reinterpret_cast<LineworkModule *>(module_function("linework", "ampletie_linework"));
  Linework out;
  read(bytes.data(), bytes.size(), driver, out);
  if (const auto unit = driver == std::string_view("DXF") ? unit_of_drawing(bytes) : std::nullopt) {
    out.unit = *unit, out.unit_stated = true;
    for (Linework::Line &l : out.lines)
      for (Eigen::Vector2d &p : l.points) p *= out.unit;
  }
  if (out.lines.empty())
    throw InputError(out.passed_over ? "it holds no lines, only points, texts or solids: marks come from a control list"
                                     : "it holds no lines");
  return out;
}

std::string linework_words(const Linework &l) {
  std::set<std::string> layers;
  for (const Linework::Line &line : l.lines) layers.insert(line.layer);
  return fmt::format("{} line{} on {} layer{}, drawn behind the plan and used for nothing{}{}{}", l.lines.size(),
                     l.lines.size() == 1 ? "" : "s", layers.size(), layers.size() == 1 ? "" : "s",
                     l.crs.empty() ? "; in the job's grid, for it names no system" : "; in " + l.crs,
                     l.unit == 1 ? "" : fmt::format("; its unit is {:g} m", l.unit),
                     l.passed_over ? fmt::format("; {} points, texts or solids passed over", l.passed_over) : "");
}

} // namespace ampletie
