#include "formats/control_documents.h"
#include "base/error.h"
#include "base/text.h"
#include "base/utf8.h"
#include "formats/landxml_units.h"
#include "formats/recipe.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <nlohmann/json.hpp>
#include <pugixml.hpp>

namespace ampletie {
namespace {

long line_of(std::string_view text, std::ptrdiff_t offset) {
  const auto end = text.begin() + std::clamp<std::ptrdiff_t>(offset, 0, static_cast<std::ptrdiff_t>(text.size()));
  return std::count(text.begin(), end, '\n') + 1;
}

double metres_per_unit(pugi::xml_node units) {
  for (const auto &[system, usual] : {std::pair{"Metric", "meter"}, {"Imperial", "foot"}})
    if (const auto node = units.child(system)) {
      const std::string named = node.attribute("linearUnit").as_string(usual), unit = landxml_length_unit(named);
      if (unit.empty()) throw InputError("the unit of length \"" + printable(lower(named)) + "\" is not read");
      return metres_in(unit);
    }
  throw InputError("the file states no unit of length");
}

bool no_control(const std::string &state, const std::string &words) {
  for (const char *w : {"provisional", "proposed", "local", "side shot", "from zero", "left out"})
    if (lower(state) == w || lower(words).rfind(w, 0) == 0) return true;
  return false;
}

} // namespace

bool looks_like_landxml_points(std::string_view text) {
  const std::string_view head = text.substr(0, 4096);
  return head.find("<LandXML") != std::string_view::npos && text.find("<Survey") == std::string_view::npos &&
         text.find("<CgPoint") != std::string_view::npos;
}

ControlList read_landxml_points(std::string_view text) {
  if (text.size() > (std::size_t{16} << 20)) throw InputError("a LandXML file of more than 16 MB: split it");
  pugi::xml_document doc;
  const pugi::xml_parse_result parsed = doc.load_buffer(text.data(), text.size());
  if (!parsed)
    throw InputError({}, line_of(text, parsed.offset), std::string("no well-formed XML: ") + parsed.description());
  const pugi::xml_node root = doc.child("LandXML");
  const double unit = metres_per_unit(root.child("Units"));
  const std::string epsg = root.child("CoordinateSystem").attribute("epsgCode").as_string();
  ControlList out;
  RowKeeper keep(out);
  // Lines are counted on: from the start for each point would be quadratic.
  long line = 1;
  std::ptrdiff_t counted = 0;
  const auto line_at = [&](pugi::xml_node n) {
    const std::ptrdiff_t to = std::clamp<std::ptrdiff_t>(n.offset_debug(), 0, static_cast<std::ptrdiff_t>(text.size()));
    if (to > counted) line += std::count(text.begin() + counted, text.begin() + to, '\n'), counted = to;
    return line;
  };
  for (pugi::xml_node list : root.children("CgPoints")) {
    for (pugi::xml_node p : list.children("CgPoint")) {
      ControlRow r;
      r.line = line_at(p);
      r.mark = utf8_text(p.attribute("name").as_string());
      if (r.mark.empty()) throw InputError({}, r.line, "a point has no name");
      check_name(r.mark, "the name of the mark", r.line);
      r.code = printable(utf8_text(p.attribute("code").as_string()));
      r.description = printable(utf8_text(p.attribute("desc").as_string()));
      if (no_control(p.attribute("state").as_string(), r.description)) {
        ++out.passed_over;
        continue;
      }
      std::vector<double> v;
      for (auto piece : split(p.text().as_string(), ' ')) {
        if (trimmed(piece).empty()) continue;
        const auto x = parse_number(piece);
        if (!x) throw InputError({}, r.line, "\"" + printable(utf8_text(piece)) + "\" is not a coordinate");
        v.push_back(*x * unit);
      }
      if (v.size() != 2 && v.size() != 3)
        throw InputError({}, r.line, "the point " + r.mark + " has not two or three coordinates");
      if (v.size() == 2) { // a place without a height cannot hold a mark in space
        ++out.passed_over;
        continue;
      }
      r.grid = Vec3(v[1], v[0], v[2]);
      r.height = v[2];
      if (!epsg.empty()) r.crs = "EPSG:" + epsg;
      keep.add(std::move(r));
    }
    for (pugi::xml_node f : list.children("Feature")) {
      if (std::string(f.attribute("code").as_string()) != "height without a place") continue;
      ControlRow r;
      r.line = line_at(f);
      r.mark = utf8_text(f.attribute("name").as_string());
      check_name(r.mark, "the name of the mark", r.line);
      std::string state;
      for (pugi::xml_node p : f.children("Property")) {
        const std::string label = p.attribute("label").as_string(), value = p.attribute("value").as_string();
        if (label == "height_m") r.height = parse_number(value);
        if (label == "sd_m") r.sd_height = parse_number(value);
        if (label == "state") state = value;
      }
      if (!r.height || no_control(state, "")) {
        ++out.passed_over;
        continue;
      }
      keep.add(std::move(r));
    }
  }
  if (out.rows.empty()) throw InputError("the file holds no points with heights that are not provisional");
  return out;
}

bool looks_like_issue_record(std::string_view text) {
  const std::string_view start = trimmed(text.substr(0, 64));
  return !start.empty() && start.front() == '{' && text.find("\"covariance_enu\"") != std::string_view::npos &&
         text.find("\"network_fingerprint\"") != std::string_view::npos;
}

namespace {
/// Of a record; null where it keeps none (too many marks).
std::shared_ptr<const JointCovariance> joint_covariance(const nlohmann::json &record) {
  const auto found = record.find("covariance_enu");
  if (found == record.end() || !found->is_array()) return nullptr;
  JointCovariance out;
  for (const auto &m : record.at("marks")) out.marks.push_back(m.at("name"));
  const std::size_t n = 3 * out.marks.size();
  if (found->size() != n) throw InputError("the record is damaged: its covariance does not suit its marks");
  // Before room is made for it: a file of empty rows would ask for more than there is.
  for (std::size_t i = 0; i < n; ++i)
    if (found->at(i).size() != i + 1) throw InputError("the record is damaged: its covariance is no triangle");
  const auto rows = static_cast<Eigen::Index>(n);
  out.enu.resize(rows, rows);
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t k = 0; k <= i; ++k) {
      const double v = found->at(i).at(k);
      if (!std::isfinite(v)) throw InputError("the record is damaged: its covariance is not finite");
      out.enu(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(k)) =
          out.enu(static_cast<Eigen::Index>(k), static_cast<Eigen::Index>(i)) = v;
    }
  }
  return std::make_shared<const JointCovariance>(std::move(out));
}

/// As the record says; in those that do not, the mean time of its occupations.
std::optional<double> observed_in(const nlohmann::json &j) {
  if (const auto said = j.find("observed_epoch"); said != j.end() && said->is_number()) return said->get<double>();
  double sum = 0;
  int n = 0;
  for (const auto &o : j.value("occupations", nlohmann::json::array()))
    for (const char *end : {"start", "stop"})
      if (const auto t = parse_iso(o.value(end, ""))) sum += decimal_year(*t), ++n;
  return n ? std::optional(sum / n) : std::nullopt;
}
} // namespace

ControlList read_issue_record(std::string_view text) {
  // A tree of it takes some fifty times the text.
  if (text.size() > (std::size_t{8} << 20)) throw InputError("a record of more than 8 MB was not made by this program");
  const auto j = nlohmann::json::parse(text, nullptr, false);
  if (!j.is_object()) throw InputError("the record is damaged: it is no well-formed JSON");
  ControlList out;
  RowKeeper keep(out);
  const auto line = [&](const std::string &mark) {
    const auto at = text.find("\"name\": " + nlohmann::json(mark).dump());
    return at == std::string_view::npos ? 1L : line_of(text, static_cast<std::ptrdiff_t>(at));
  };
  try {
    const std::string origin = j.value("id", std::string("an issue record"));
    const std::string crs = j.at("crs"), vertical = j.at("vertical");
    const double epoch = j.at("epoch");
    for (const auto &m : j.at("marks")) {
      ControlRow r;
      r.mark = m.at("name");
      r.line = line(r.mark);
      r.xyz = Vec3(m.at("x"), m.at("y"), m.at("z"));
      r.frame = m.at("frame");
      r.epoch = fmt::format("{:.6f}", m.value("epoch", epoch));
      if (m.at("height_m").is_number()) r.height = m.at("height_m").get<double>();
      if (m.at("height_sd_m").is_number()) r.sd_height = m.at("height_sd_m").get<double>();
      r.crs = crs, r.vertical = vertical, r.origin = origin;
      r.description = m.value("description", "");
      const char *key = m.contains("network_cov_enu") ? "network_cov_enu" : "cov_enu";
      const auto &c = m.at(key);
      r.cov_enu = Mat3{{c.at(0), c.at(1), c.at(2)}, {c.at(1), c.at(3), c.at(4)}, {c.at(2), c.at(4), c.at(5)}};
      r.sd_enu = r.cov_enu->diagonal().cwiseMax(0).cwiseSqrt();
      check_name(r.mark, "the name of the mark", r.line);
      keep.add(std::move(r));
    }
    out.joint = joint_covariance(j);
    out.observed = observed_in(j);
    for (const auto &h : j.value("heights", nlohmann::json::array())) {
      ControlRow r;
      r.mark = h.at("name");
      r.line = line(r.mark);
      r.height = h.at("height_m").get<double>();
      r.sd_height = h.at("height_sd_m").get<double>();
      r.vertical = vertical, r.origin = origin;
      check_name(r.mark, "the name of the mark", r.line);
      keep.add(std::move(r));
    }
  } catch (const nlohmann::json::exception &) {
    throw InputError("the record is damaged: a part of it is missing or has another form");
  }
  if (out.rows.empty()) throw InputError("the record holds no marks");
  return out;
}

} // namespace ampletie
