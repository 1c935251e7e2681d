#include "formats/linework.h"
#include "base/error.h"
#include "base/module.h"
#include "base/text.h"
#include <cmath>

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
} // namespace

bool looks_like_linework(std::string_view bytes) { return driver_of(bytes) != nullptr; }

Linework read_linework(std::string_view bytes) {
  const char *driver = driver_of(bytes);
  if (!driver) throw InputError("this is no drawing that is known (DXF, GeoJSON, GeoPackage)");
  static const auto read = reinterpret_cast<LineworkModule *>(module_function("linework", "ampletie_linework"));
  Linework out;
  read(bytes.data(), bytes.size(), driver, out);
  if (out.lines.empty())
    throw InputError(out.passed_over ? "it holds no lines, only points, texts or solids: marks come from a control list"
                                     : "it holds no lines");
  return out;
}

} // namespace ampletie
