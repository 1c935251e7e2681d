#include "base/error.h"
#include "base/text.h"
#include "base/utf8.h"
#include "formats/landxml_units.h"
#include "formats/recipe.h"
#include "formats/vector_list.h"
#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <pugixml.hpp>

namespace ampletie {
namespace {
constexpr std::size_t most_xml = std::size_t{16} << 20;

std::optional<double> number(const pugi::xml_node &n, const char *name) {
  const pugi::xml_attribute a = n.attribute(name);
  if (!a) return {};
  const auto v = parse_number(trimmed(a.value()));
  if (!v) throw InputError(fmt::format("{} of a GPSVector is no number: \"{}\"", name, printable(a.value())));
  return v;
}
std::string word(const pugi::xml_node &n, const char *name) {
  return printable(utf8_text(std::string(trimmed(n.attribute(name).value()))));
}

/// Metres in the unit that the file states for all of its lengths.
double metres_per_unit(const pugi::xml_document &document) {
  for (const auto &path : document.select_nodes("//Units/Metric|//Units/Imperial")) {
    const std::string named = word(path.node(), "linearUnit");
    if (named.empty()) continue;
    const std::string unit = landxml_length_unit(named);
    if (unit.empty()) throw InputError("the unit of length \"" + named + "\" is not known");
    return metres_in(unit);
  }
  return 1;
}

/// The solution and the covariance that stand below a vector; `unit` m.
void quality(const pugi::xml_node &v, double unit, MeasuredRow &r) {
  for (const char *level : {"GPSQCInfoLevel2", "GPSQCInfoLevel1"}) {
    const pugi::xml_node q = v.child(level);
    if (!q) continue;
    r.status = word(q, "GPSSolnType");
    if (const auto n = number(q, "nbrSatellites")) r.satellites = static_cast<int>(*n);
    const auto xx = number(q, "covarianceXX"), xy = number(q, "covarianceXY"), xz = number(q, "covarianceXZ"),
               yy = number(q, "covarianceYY"), yz = number(q, "covarianceYZ"), zz = number(q, "covarianceZZ");
    if (xx && xy && xz && yy && yz && zz)
      r.cov_xyz = unit * unit * Mat3{{*xx, *xy, *xz}, {*xy, *yy, *yz}, {*xz, *yz, *zz}};
    return;
  }
}
} // namespace

bool looks_like_landxml_vectors(std::string_view text) {
  return text.substr(0, 4096).find("LandXML") != std::string_view::npos &&
         text.find("<GPSVector") != std::string_view::npos;
}

VectorList read_landxml_vectors(std::string_view text) {
  if (text.size() > most_xml) throw InputError("a LandXML file of more than 16 MB");
  pugi::xml_document document;
  const auto parsed = document.load_buffer(text.data(), text.size());
  if (!parsed)
    throw InputError({}, 1 + std::count(text.begin(), text.begin() + std::min(parsed.offset, std::ssize(text)), '\n'),
                     std::string("the XML is damaged: ") + parsed.description());
  const double unit = metres_per_unit(document);
  VectorList out;
  std::map<std::string, std::string> stations;
  // Vectors come in the order of the file: lines are counted once.
  std::ptrdiff_t counted = 0;
  long lines = 1;
  const auto next_line = [&](std::ptrdiff_t at) {
    at = std::clamp<std::ptrdiff_t>(at, counted, std::ssize(text));
    lines += std::count(text.begin() + counted, text.begin() + at, '\n');
    counted = at;
    return lines;
  };
  for (const auto &path : document.select_nodes("//GPSSetup"))
    stations[word(path.node(), "id")] = word(path.node(), "stationName");
  const auto mark = [&](const std::string &setup) {
    const auto s = stations.find(setup);
    if (s == stations.end() || s->second.empty())
      throw InputError("a GPSVector ends at the set-up \"" + setup + "\", which has no station name");
    return s->second;
  };
  for (const auto &path : document.select_nodes("//GPSVector")) {
    const pugi::xml_node v = path.node();
    MeasuredRow r;
    r.line = next_line(v.offset_debug());
    try {
      r.from = mark(word(v, "setupID_A")), r.to = mark(word(v, "setupID_B"));
      const auto x = number(v, "dX"), y = number(v, "dY"), z = number(v, "dZ");
      if (!x || !y || !z) throw InputError("a GPSVector without dX, dY, dZ");
      r.d = unit * Vec3(*x, *y, *z);
      r.time = word(v, "startTime"), r.description = word(v, "purpose");
      r.check = lower(r.description) == "check";
      quality(v, unit, r);
      const auto plan = number(v, "horizontalPrecision"), up = number(v, "verticalPrecision");
      if (!r.cov_xyz && plan && up && *plan > 0 && *up > 0) r.sd_enu = unit * Vec3(*plan, *plan, *up);
    } catch (const InputError &e) {
      throw InputError({}, r.line, e.reason());
    }
    refuse_impossible(r);
    out.rows.push_back(std::move(r));
    if (out.rows.size() > most_measured) throw InputError("the file holds more than 20000 vectors");
  }
  if (out.rows.empty()) throw InputError("the file holds no GPSVector");
  return out;
}

} // namespace ampletie
