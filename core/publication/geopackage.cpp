#include "publication/geopackage.h"
#include "base/module.h"

namespace ampletie {

std::string geopackage(const std::string &crs, const std::vector<GeoLayer> &layers, const std::string &time) {
  static const auto write = reinterpret_cast<GeoPackageModule *>(module_function("geopackage", "ampletie_geopackage"));
  std::string out;
  write(crs, layers, time, out);
  return out;
}

} // namespace ampletie
