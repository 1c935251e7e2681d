#include "geodesy/own_grid.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include <algorithm>
#include <cctype>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <vector>

namespace ampletie {
namespace {

struct Method {
  const char *name, *proj;
  std::vector<const char *> needed, possible;
};
const std::vector<Method> &methods() {
  static const std::vector<Method> all{{"transverse-mercator", "tmerc", {"lat", "lon"}, {}},
                                       {"lambert", "lcc", {"lat", "lon"}, {"lat1", "lat2"}},
                                       {"oblique-mercator", "omerc", {"lat", "lon", "azimuth"}, {}},
                                       {"stereographic", "sterea", {"lat", "lon"}, {}}};
  return all;
}
const char *const common[] = {"scale", "east", "north", "factor", "unit", "ellipsoid"};

std::vector<std::string> words_of(std::string_view text) {
  std::vector<std::string> out{""};
  for (char c : text)
    if (std::isspace(static_cast<unsigned char>(c)) || c == ',')
      out.emplace_back();
    else
      out.back() += c;
  std::erase(out, "");
  return out;
}

const Method *method_of(const std::string &name) {
  for (const Method &m : methods())
    if (lower(name) == m.name) return &m;
  return nullptr;
}

/// Values by their names.
class Values {
public:
  Values(const Method &m, const std::vector<std::string> &words) : method_(m) {
    for (std::size_t i = 1; i < words.size(); ++i) {
      const auto equals = words[i].find('=');
      if (equals == std::string::npos) throw InputError("\"" + words[i] + "\" is no NAME=VALUE");
      const std::string name = lower(words[i].substr(0, equals));
      if (!known(name)) throw InputError(fmt::format("{} has no parameter \"{}\": {}", m.name, name, all_names()));
      if (!all_.emplace(name, words[i].substr(equals + 1)).second) throw InputError(name + " is said twice");
    }
    for (const char *n : m.needed)
      if (!all_.count(n)) throw InputError(fmt::format("{} needs {}: {}", m.name, n, all_names()));
  }
  bool has(const char *name) const { return all_.count(name) > 0; }
  std::string text(const char *name, const char *otherwise) const { return has(name) ? all_.at(name) : otherwise; }
  double angle(const char *name, double most) const {
    const auto a = parse_angle_deg(all_.at(name));
    if (!a || !(std::abs(*a) <= most)) throw InputError(fmt::format("{}: \"{}\" is no angle", name, all_.at(name)));
    return *a;
  }
  double number(const char *name, double otherwise, double least, double most) const {
    if (!has(name)) return otherwise;
    const auto v = parse_number(all_.at(name));
    if (!v || !(*v >= least && *v <= most))
      throw InputError(fmt::format("{} must be a number between {:g} and {:g}", name, least, most));
    return *v;
  }

private:
  bool known(const std::string &name) const {
    const auto in = [&](const auto &list) {
      return std::any_of(std::begin(list), std::end(list), [&](const char *n) { return name == n; });
    };
    return in(method_.needed) || in(method_.possible) || in(common);
  }
  std::string all_names() const {
    std::string out = "it has";
    for (const auto *list : {&method_.needed, &method_.possible})
      for (const char *n : *list) out += std::string(" ") + n;
    for (const char *n : common) out += std::string(" ") + n;
    return out;
  }
  const Method &method_;
  std::map<std::string, std::string> all_;
};
} // namespace

bool looks_like_own_grid(std::string_view text) {
  const auto words = words_of(text);
  return !words.empty() && method_of(words.front()) != nullptr;
}

std::string own_grid_as_proj(std::string_view text) {
  const auto words = words_of(text);
  const Method *m = words.empty() ? nullptr : method_of(words.front());
  if (!m)
    throw InputError("a grid of one's own begins with its method: transverse-mercator, lambert, oblique-mercator "
                     "or stereographic");
  const Values v(*m, words);
  const std::string ellipsoid = lower(v.text("ellipsoid", "grs80")), unit = lower(v.text("unit", "m"));
  const std::map<std::string, std::pair<const char *, double>> units{
      {"m", {"m", 1}}, {"ft", {"ft", 0.3048}}, {"us-ft", {"us-ft", 1200.0 / 3937}}};
  if (!units.count(unit)) throw InputError("unit is one of m, ft and us-ft");
  if (ellipsoid != "grs80" && ellipsoid != "wgs84")
    throw InputError("ellipsoid is GRS80 or WGS84: positions are computed on these alone");
  const auto [proj_unit, metres] = units.at(unit);
  // A ground grid is the projection with another scale: about the false origin, which stays as it is typed.
  const double factor = v.number("factor", 1, 0.9, 1.1), scale = v.number("scale", 1, 0.5, 2) * factor;
  std::string out =
      fmt::format("+proj={} +lat_0={:.12g} +lon_0={:.12g}", m->proj, v.angle("lat", 90), v.angle("lon", 360));
  if (std::string_view(m->proj) == "omerc")
    out = fmt::format("+proj=omerc +lat_0={:.12g} +lonc={:.12g} +alpha={:.12g} +gamma={:.12g}", v.angle("lat", 89.9),
                      v.angle("lon", 360), v.angle("azimuth", 360), v.angle("azimuth", 360));
  if (v.has("lat2") && !v.has("lat1")) throw InputError("lat2 is the second of two parallels: lat1 is missing");
  if (std::string_view(m->proj) == "lcc")
    out += v.has("lat1") ? fmt::format(" +lat_1={:.12g} +lat_2={:.12g}", v.angle("lat1", 89.9),
                                       v.angle(v.has("lat2") ? "lat2" : "lat1", 89.9))
                         : fmt::format(" +lat_1={:.12g}", v.angle("lat", 89.9));
  return out + fmt::format(" +k_0={:.14g} +x_0={:.12g} +y_0={:.12g} +ellps={} +units={} +no_defs +type=crs", scale,
                           metres * v.number("east", 0, -1e9, 1e9), metres * v.number("north", 0, -1e9, 1e9),
                           ellipsoid == "grs80" ? "GRS80" : "WGS84", proj_unit);
}

} // namespace ampletie
