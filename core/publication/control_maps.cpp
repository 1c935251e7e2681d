#include "publication/control_maps.h"
#include "base/angle.h"
#include "base/utf8.h"
#include "publication/geopackage.h"
#include "publication/landxml.h"
#include "results/control_record.h"
#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <sstream>

namespace ampletie {
namespace {
using nlohmann::json;

std::vector<ControlRecord> marks_of(const json &r) {
  std::vector<ControlRecord> out;
  for (const json &m : r.at("marks")) out.push_back(control_record_of(m));
  return out;
}
/// The height that is issued: physical where there is one.
double height_of(const ControlRecord &m) { return m.height_m.value_or(m.h_m); }

std::string system_words(const json &r) {
  const std::string vertical = r.at("vertical_name").get<std::string>();
  return fmt::format("{} ({}), {} at {:.4f}; heights: {}", r.at("crs_name").get<std::string>(),
                     r.at("crs").get<std::string>(), r.at("frame").get<std::string>(), r.at("epoch").get<double>(),
                     vertical.empty() ? "ellipsoidal" : vertical);
}

/// Ends of the vectors that took part, each pair of marks once.
std::vector<std::pair<std::string, std::string>> pairs_of(const json &r) {
  std::vector<std::pair<std::string, std::string>> out;
  for (const char *list : {"vectors", "measured"})
    if (r.contains(list))
      for (const json &v : r.at(list))
        if (v.contains("from") && v.contains("to")) {
          // Of a list, for that of two values returns references to what is gone by the next line.
          const auto ends = std::minmax({v.at("from").get<std::string>(), v.at("to").get<std::string>()});
          out.emplace_back(ends.first, ends.second);
        }
  std::sort(out.begin(), out.end());
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

/// How ellipses are enlarged, and the extent of it all, m.
struct Drawing {
  double extent = 1, scale = 1;
  explicit Drawing(const std::vector<ControlRecord> &marks) {
    double west = 1e300, east = -1e300, south = 1e300, north = -1e300;
    std::vector<double> sizes;
    for (const ControlRecord &m : marks) {
      west = std::min(west, m.east_m), east = std::max(east, m.east_m);
      south = std::min(south, m.north_m), north = std::max(north, m.north_m);
      if (m.network_plan95_m > 0) sizes.push_back(m.network_plan95_m);
    }
    extent = std::max({1.0, east - west, north - south});
    if (sizes.empty()) return;
    std::nth_element(sizes.begin(), sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 2), sizes.end());
    // A thirtieth of the drawing for the middle one, by one, two or five times a power of ten.
    const double wanted = extent / 30 / sizes[sizes.size() / 2], power = std::pow(10, std::floor(std::log10(wanted)));
    scale = power * (wanted / power >= 5 ? 5 : wanted / power >= 2 ? 2 : 1);
  }
};
/// The 95 % ellipse of a mark about its place, east and north, m.
std::vector<Vec3> ellipse_of(const ControlRecord &m, double scale) {
  std::vector<Vec3> out;
  const json e = ellipse95(m.network_cov_enu, m.scale_degrees);
  const double a = scale * e.at("a_m").get<double>(), b = scale * e.at("b_m").get<double>(),
               t = radians(e.at("azimuth_deg").get<double>());
  if (!(a > 0)) return out;
  constexpr int corners = 48;
  for (int i = 0; i <= corners; ++i) {
    const double u = 2 * pi * i / corners, along = a * std::cos(u), across = b * std::sin(u);
    out.emplace_back(m.east_m + along * std::sin(t) + across * std::cos(t),
                     m.north_m + along * std::cos(t) - across * std::sin(t), height_of(m));
  }
  return out;
}

/// Writes groups of a drawing.
class Dxf {
public:
  explicit Dxf(LengthUnit unit) : unit_(unit) {}
  Dxf &put(int code, const std::string &value) {
    out_ += fmt::format("{:>3}\n{}\n", code, value);
    return *this;
  }
  Dxf &put(int code, double value) { return put(code, fmt::format("{:.4f}", value)); }
  Dxf &at(const Vec3 &x) {
    return put(10, in_unit(x.x(), unit_)).put(20, in_unit(x.y(), unit_)).put(30, in_unit(x.z(), unit_));
  }
  /// One line of text; what is not ASCII as readers of later releases know it, what they would take for a sign apart.
  static std::string words(const std::string &text) {
    const std::string clean = printable(text);
    std::string out;
    for (std::size_t i = 0; i < clean.size(); ++i) {
      const auto lead = static_cast<unsigned char>(clean[i]);
      if (lead < 0x80) {
        if (lead == '%' && out.ends_with('%')) out += ' ';
        out += clean[i];
        continue;
      }
      const int more = lead >= 0xF0 ? 3 : lead >= 0xE0 ? 2 : 1;
      unsigned code = lead & (0x3Fu >> more);
      for (int k = 0; k < more && i + 1 < clean.size(); ++k)
        code = code << 6 | (static_cast<unsigned char>(clean[++i]) & 0x3Fu);
      out += code > 0xFFFF ? "?" : fmt::format("\\U+{:04X}", code);
    }
    return out;
  }
  std::string done() && { return std::move(out_); }

private:
  LengthUnit unit_;
  std::string out_;
};

struct Layer {
  std::string name;
  int colour; ///< of the index of drawings: 7 black or white, 1 red, 4 cyan, 8 grey
};
std::string layer_of(const ControlRecord &m) {
  return m.held == "full" || m.held == "plan" || m.held == "weighted" ? "MARK_HELD"
         : m.held == "height"                                         ? "MARK_HEIGHT_HELD"
                                                                      : "MARK";
}
} // namespace

std::string control_kml(const json &r) {
  const auto marks = marks_of(r);
  if (marks.empty() || is_local(r.at("crs").get<std::string>())) return {};
  pugi::xml_document doc;
  auto declaration = doc.append_child(pugi::node_declaration);
  declaration.append_attribute("version") = "1.0";
  declaration.append_attribute("encoding") = "UTF-8";
  auto root = doc.append_child("kml");
  root.append_attribute("xmlns") = "http://www.opengis.net/kml/2.2";
  auto all = root.append_child("Document");
  const auto words = [](pugi::xml_node node, const char *name, const std::string &text) {
    node.append_child(name).append_child(pugi::node_pcdata).set_value(printable(text).c_str());
  };
  words(all, "name", r.at("title").get<std::string>());
  words(all, "description",
        "Latitude and longitude in " + r.at("frame").get<std::string>() +
            fmt::format(" at {:.4f}; record {}", r.at("epoch").get<double>(), r.at("id").get<std::string>()));
  for (const ControlRecord &m : marks) {
    auto p = all.append_child("Placemark");
    words(p, "name", m.name);
    words(p, "description",
          fmt::format("{}{:.4f} E {:.4f} N, height {:.4f} m{}; 95 % {:.1f} mm in plan, {:.1f} mm in height above the "
                      "ellipsoid; held: {}",
                      m.description.empty() ? "" : m.description + "; ", m.east_m, m.north_m, height_of(m),
                      m.height_m ? fmt::format(", ellipsoidal {:.4f} m", m.h_m) : " ellipsoidal",
                      1000 * m.network_plan95_m, 1000 * m.network_up95_m, m.held));
    words(p.append_child("Point"), "coordinates", fmt::format("{:.9f},{:.9f}", m.lon_deg, m.lat_deg));
  }
  std::ostringstream out;
  doc.save(out, " ", pugi::format_default, pugi::encoding_utf8);
  return out.str();
}

std::string control_dxf(const json &r, LengthUnit unit) {
  const auto marks = marks_of(r);
  if (marks.empty()) return {};
  const Drawing d(marks);
  const std::string ellipses = fmt::format("ELLIPSE_95_X{:.0f}", d.scale);
  Dxf out(unit);
  for (const std::string &line :
       {"Control of " + r.at("title").get<std::string>() + ", record " + r.at("id").get<std::string>(), system_words(r),
        "east and north of the grid, heights, in " + unit_name(unit)})
    out.put(999, Dxf::words(line));
  out.put(0, "SECTION").put(2, "HEADER").put(9, "$ACADVER").put(1, "AC1009").put(0, "ENDSEC");
  out.put(0, "SECTION").put(2, "TABLES").put(0, "TABLE").put(2, "LTYPE").put(70, "1");
  out.put(0, "LTYPE").put(2, "CONTINUOUS").put(70, "0").put(3, "Solid line").put(72, "65").put(73, "0").put(40, 0.0);
  out.put(0, "ENDTAB").put(0, "TABLE").put(2, "LAYER").put(70, "6");
  for (const Layer &l :
       {Layer{"MARK_HELD", 7}, {"MARK_HEIGHT_HELD", 7}, {"MARK", 4}, {"NAME", 7}, {"VECTOR", 8}, {ellipses, 1}})
    out.put(0, "LAYER").put(2, l.name).put(70, "0").put(62, std::to_string(l.colour)).put(6, "CONTINUOUS");
  out.put(0, "ENDTAB").put(0, "ENDSEC").put(0, "SECTION").put(2, "ENTITIES");
  std::map<std::string, Vec3> places;
  const double letters = in_unit(d.extent / 90, unit);
  for (const ControlRecord &m : marks) {
    const Vec3 x(m.east_m, m.north_m, height_of(m));
    places.emplace(m.name, x);
    out.put(0, "POINT").put(8, layer_of(m)).at(x);
    out.put(0, "TEXT").put(8, "NAME").at(x + Vec3(d.extent / 180, d.extent / 180, 0)).put(40, letters);
    out.put(1, Dxf::words(m.name));
    const auto around = ellipse_of(m, d.scale);
    if (around.empty()) continue;
    out.put(0, "POLYLINE").put(8, ellipses).put(66, "1").put(70, "8").put(10, 0.0).put(20, 0.0).put(30, 0.0);
    for (const Vec3 &e : around) out.put(0, "VERTEX").put(8, ellipses).at(e).put(70, "32");
    out.put(0, "SEQEND").put(8, ellipses);
  }
  for (const auto &[from, to] : pairs_of(r)) {
    const auto a = places.find(from), b = places.find(to);
    if (a == places.end() || b == places.end()) continue; // a mark that was not issued
    out.put(0, "LINE").put(8, "VECTOR").at(a->second);
    out.put(11, in_unit(b->second.x(), unit))
        .put(21, in_unit(b->second.y(), unit))
        .put(31, in_unit(b->second.z(), unit));
  }
  out.put(0, "ENDSEC").put(0, "EOF");
  return std::move(out).done();
}

std::string control_landxml(const json &r) {
  const auto marks = marks_of(r);
  if (marks.empty()) return {};
  pugi::xml_document doc;
  auto root = begin_landxml(doc, LandXmlHead{r.at("time"), r.at("crs"), r.at("vertical_name"), r.at("title")});
  auto points = root.append_child("CgPoints");
  points.append_attribute("desc") = (system_words(r) + "; record " + r.at("id").get<std::string>()).c_str();
  for (const ControlRecord &m : marks) {
    auto p = points.append_child("CgPoint");
    p.append_attribute("name") = printable(m.name).c_str();
    p.append_attribute("desc") =
        fmt::format("{}95 % {:.1f} mm in plan, {:.1f} mm in height above the ellipsoid; held: {}",
                    m.description.empty() ? "" : printable(m.description) + "; ", 1000 * m.network_plan95_m,
                    1000 * m.network_up95_m, m.held)
            .c_str();
    p.append_child(pugi::node_pcdata)
        .set_value(fmt::format("{:.4f} {:.4f} {:.4f}", m.north_m, m.east_m, height_of(m)).c_str());
  }
  std::ostringstream out;
  doc.save(out, " ", pugi::format_default, pugi::encoding_utf8);
  return out.str();
}

std::string control_geopackage(const json &r) {
  const auto marks = marks_of(r);
  const std::string crs = r.at("crs");
  if (marks.empty() || crs.rfind("EPSG:", 0) != 0) return {};
  using Type = GeoField::Type;
  GeoLayer points{"marks", system_words(r), false, {{"name"}, {"held"}, {"independent_checks", Type::integer}}, {}};
  for (const char *field : {"east_m", "north_m", "height_m", "lat_deg", "lon_deg", "h_m", "sd_height_m", "plan95_m",
                            "up95_m", "cov_ee_m2", "cov_en_m2", "cov_eu_m2", "cov_nn_m2", "cov_nu_m2", "cov_uu_m2"})
    points.fields.push_back({field, Type::number});
  for (const char *field : {"frame", "epoch", "description", "record"}) points.fields.push_back({field});
  const Drawing d(marks);
  GeoLayer vectors{"vectors", "between issued marks", true, {{"from"}, {"to"}}, {}};
  GeoLayer ellipses{"ellipses", "95 % in plan, enlarged", true, {{"mark"}, {"enlarged", Type::number}}, {}};
  std::map<std::string, Vec3> places;
  for (const ControlRecord &m : marks) {
    const Vec3 x(m.east_m, m.north_m, height_of(m));
    places.emplace(m.name, x);
    const auto maybe = [](const std::optional<double> &v) { return v ? GeoValue(*v) : GeoValue(); };
    const Mat3 &c = m.network_cov_enu;
    points.features.push_back({{x},
                               {m.name,
                                m.held,
                                static_cast<long>(m.independent_checks),
                                m.east_m,
                                m.north_m,
                                maybe(m.height_m),
                                m.lat_deg,
                                m.lon_deg,
                                m.h_m,
                                maybe(m.height_sd_m),
                                m.network_plan95_m,
                                m.network_up95_m,
                                c(0, 0),
                                c(0, 1),
                                c(0, 2),
                                c(1, 1),
                                c(1, 2),
                                c(2, 2),
                                m.frame,
                                fmt::format("{:.4f}", m.epoch),
                                m.description,
                                r.at("id").get<std::string>()}});
    if (auto around = ellipse_of(m, d.scale); !around.empty())
      ellipses.features.push_back({std::move(around), {m.name, d.scale}});
  }
  for (const auto &[from, to] : pairs_of(r))
    if (places.count(from) && places.count(to))
      vectors.features.push_back({{places.at(from), places.at(to)}, {from, to}});
  const std::string time = r.at("time").get<std::string>();
  return geopackage(crs, {points, vectors, ellipses}, time.substr(0, 19) + ".000Z");
}

} // namespace ampletie
