#include "geodesy/system_search.h"
#include "base/angle.h"
#include "base/text.h"
#include "geodesy/proj_objects.h"
#include <algorithm>
#include <cmath>
#include <memory>

namespace ampletie {
using namespace projlib;
namespace {
struct InfoDeleter {
  void operator()(PROJ_CRS_INFO **l) const { proj_crs_info_list_destroy(l); }
};

const char *kind_of(PJ_TYPE t) {
  switch (t) {
  case PJ_TYPE_PROJECTED_CRS:
    return "projected";
  case PJ_TYPE_VERTICAL_CRS:
    return "vertical";
  case PJ_TYPE_GEOGRAPHIC_2D_CRS:
  case PJ_TYPE_GEOGRAPHIC_3D_CRS:
    return "geographic";
  case PJ_TYPE_GEOCENTRIC_CRS:
    return "geocentric";
  case PJ_TYPE_COMPOUND_CRS:
    return "compound";
  default:
    return "";
  }
}

/// Everything that the register has; read once.
const std::vector<FoundSystem> &all_systems() {
  static const std::vector<FoundSystem> all = [] {
    std::vector<FoundSystem> out;
    int count = 0;
    const std::unique_ptr<PROJ_CRS_INFO *, InfoDeleter> list(
        proj_get_crs_info_list_from_database(context(), "EPSG", nullptr, &count));
    for (int i = 0; i < count; ++i) {
      const PROJ_CRS_INFO &c = *list.get()[i];
      const std::string kind = kind_of(c.type);
      if (kind.empty() || c.deprecated || !c.bbox_valid) continue;
      out.push_back({std::string("EPSG:") + c.code, text(c.name), kind, text(c.area_name), c.west_lon_degree,
                     c.south_lat_degree, c.east_lon_degree, c.north_lat_degree});
    }
    return out;
  }();
  return all;
}

double width(const FoundSystem &s) { return s.east >= s.west ? s.east - s.west : s.east - s.west + 360; }

constexpr double strip = 0.5; // degrees around an area: jobs at the edge of a zone use it, common practice
/// `beside`: the strip in longitude, where zones end; the ends of countries in latitude are drawn roughly.
bool holds(const FoundSystem &s, const Geodetic &at, double beside = strip) {
  const double lat = degrees(at.lat);
  double beyond = std::fmod(degrees(at.lon) - s.west + beside, 360.0);
  if (beyond < 0) beyond += 360;
  return lat >= s.south - strip && lat <= s.north + strip && beyond <= width(s) + 2 * beside;
}
/// Of a sphere, in square degrees at the equator.
double size_of(const FoundSystem &s) {
  return width(s) * degrees(std::sin(radians(s.north)) - std::sin(radians(s.south)));
}
} // namespace

const std::vector<std::string> &system_kinds() {
  static const std::vector<std::string> kinds{"projected", "vertical", "geographic", "geocentric", "compound"};
  return kinds;
}

std::vector<FoundSystem> find_systems(const std::string &words, const std::optional<Geodetic> &at,
                                      const std::string &kind) {
  std::vector<std::string> wanted;
  const std::string plain = lower(words);
  for (std::string_view w : split(plain, ' '))
    if (!w.empty()) wanted.emplace_back(w);
  std::vector<FoundSystem> out;
  for (const FoundSystem &s : all_systems()) {
    if ((!kind.empty() && s.kind != kind) || (at && !holds(s, *at))) continue;
    const std::string all = lower(s.code + " " + s.name + " " + s.area);
    if (std::all_of(wanted.begin(), wanted.end(), [&](const auto &w) { return all.find(w) != std::string::npos; }))
      out.push_back(s);
  }
  // A neighbour's zone reaches across its edge, but comes after those of the place's own longitude.
  std::stable_sort(out.begin(), out.end(), [&](const FoundSystem &a, const FoundSystem &b) {
    const bool inside_a = !at || holds(a, *at, 0), inside_b = !at || holds(b, *at, 0);
    return inside_a != inside_b ? inside_a : size_of(a) < size_of(b);
  });
  return out;
}

} // namespace ampletie
