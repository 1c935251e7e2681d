#pragma once
#include "base/vector.h"
#include <optional>
#include <string>
#include <variant>
#include <vector>

namespace ampletie {

struct GeoField {
  std::string name;
  enum class Type { text, number, integer } type = Type::text;
};
/// A value of a field; `monostate` is null.
using GeoValue = std::variant<std::monostate, std::string, double, long>;
struct GeoFeature {
  std::vector<Vec3> points; ///< east, north, height, m; empty: no place is known
  std::vector<GeoValue> values;
};
struct GeoLayer {
  std::string name, description;
  bool lines = false; ///< else points
  std::vector<GeoField> fields;
  std::vector<GeoFeature> features;
};

/// A GeoPackage (OGC 12-128) as bytes. `crs`: "EPSG:25833"; `time`: what it says of its last change, UTC. Throws
/// `InputError` when the system is not known or the package cannot be made.
std::string geopackage(const std::string &crs, const std::vector<GeoLayer> &layers, const std::string &time);

/// The part that calls GDAL (modules/geopackage.cpp).
using GeoPackageModule = void(const std::string &crs, const std::vector<GeoLayer> &layers, const std::string &time,
                              std::string &out);

} // namespace ampletie
