#include "formats/landxml_survey.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/landxml_units.h"
#include <algorithm>
#include <fmt/format.h>
#include <pugixml.hpp>

namespace ampletie {
namespace {

class Survey {
public:
  explicit Survey(std::string_view text) : text_(text) {
    for (std::size_t i = 0; i < text.size(); ++i)
      if (text[i] == '\n') breaks_.push_back(i);
    const pugi::xml_parse_result r = doc_.load_buffer(text.data(), text.size());
    if (!r) throw InputError("", line_at(r.offset), std::string("no well-formed XML: ") + r.description());
  }

  RecipeReading read() {
    const pugi::xml_node root = doc_.child("LandXML");
    units(root.child("Units"));
    for (pugi::xml_node survey : root.children("Survey")) {
      // Observations stand below their set-up, or in groups that name it.
      std::map<std::string, std::vector<pugi::xml_node>> raw, reduced;
      std::map<std::string, pugi::xml_node> air;
      std::vector<pugi::xml_node> setups;
      for (pugi::xml_node n : survey.children()) {
        const std::string name = n.name();
        if (name == "InstrumentSetup") {
          setups.push_back(n);
          collect(n, n.attribute("id").value(), raw, reduced, air);
        } else if (name == "TargetSetup")
          targets_[n.attribute("id").value()] = n;
        else if (name == "ObservationGroup")
          collect(n, "", raw, reduced, air);
        else if (name != "SurveyHeader" && name != "Equipment" && name != "CgPoints" && name != "Feature" &&
                 n.type() == pugi::node_element)
          unread(n, name + " is not read");
      }
      for (pugi::xml_node s : setups) setup(s, raw, reduced, air);
    }
    out_.lines = breaks_.size() + 1, out_.read_lines = out_.lines;
    out_.characters = out_.read_characters = text_.size();
    return std::move(out_);
  }

private:
  long line_at(std::ptrdiff_t offset) const {
    const auto at = static_cast<std::size_t>(std::max<std::ptrdiff_t>(0, offset));
    return std::lower_bound(breaks_.begin(), breaks_.end(), at) - breaks_.begin() + 1;
  }
  long line(pugi::xml_node n) const { return line_at(n.offset_debug()); }
  void unread(pugi::xml_node n, const std::string &why) {
    if (out_.unread++ == 0) out_.first_unread = {line(n), 0, 0, "", why};
  }

  void units(pugi::xml_node n) {
    pugi::xml_node u = n.child("Metric");
    if (!u) u = n.child("Imperial");
    const std::string length = u.attribute("linearUnit").value(), angle = u.attribute("angularUnit").value(),
                      pressure = lower(u.attribute("pressureUnit").value()),
                      temperature = lower(u.attribute("temperatureUnit").value());
    out_.stated_unit = length.empty() ? "m" : landxml_length_unit(length);
    if (out_.stated_unit.empty()) throw InputError("", line(u), "the unit of length \"" + length + "\" is not known");
    metre_ = metres_in(out_.stated_unit);
    if (angle == "radians" || angle.empty())
      angle_ = "rad";
    else if (angle == "grads")
      angle_ = "gon";
    else if (angle == "decimal degrees")
      angle_ = "deg";
    else if (angle == "decimal dd.mm.ss")
      angle_ = "packed dms";
    else
      throw InputError("", line(u), "the unit of angles \"" + angle + "\" is not known");
    hectopascal_ = pressure.rfind("mmhg", 0) == 0     ? 1.33322387
                   : pressure.rfind("inhg", 0) == 0   ? 33.8638867
                   : pressure.rfind("inchhg", 0) == 0 ? 33.8638867
                                                      : 1;
    fahrenheit_ = temperature == "fahrenheit";
  }

  void collect(pugi::xml_node parent, const std::string &own, std::map<std::string, std::vector<pugi::xml_node>> &raw,
               std::map<std::string, std::vector<pugi::xml_node>> &reduced,
               std::map<std::string, pugi::xml_node> &air) {
    std::string id = own;
    pugi::xml_node weather;
    for (pugi::xml_node n : parent.children()) {
      const std::string name = n.name();
      if (name == "AtmosphericConditions")
        weather = n;
      else if (name == "RawObservation" || name == "ReducedObservation") {
        const std::string of = n.attribute("setupID").value();
        if (!of.empty()) id = of;
        if (id.empty()) {
          unread(n, "an observation that names no set-up");
          continue;
        }
        (name[1] == 'a' ? raw : reduced)[id].push_back(n);
      } else if (name == "Backsight") {
        const std::string of = n.attribute("setupID").value();
        if (const std::string s = of.empty() ? id : of; !s.empty())
          backsights_[s].emplace(point_name(n.child("BacksightPoint")), n);
      }
    }
    if (weather && !id.empty()) air.emplace(id, weather);
  }

  static std::string point_name(pugi::xml_node p) {
    for (const char *a : {"name", "pntRef"})
      if (const std::string v = p.attribute(a).value(); !v.empty()) return v;
    return {};
  }

  RecipeRecord record(pugi::xml_node n, RecipeLine::What what) {
    RecipeRecord r;
    r.line = line(n), r.what = what;
    return r;
  }
  void put(RecipeRecord &r, const char *meaning, const std::string &text) {
    if (!text.empty()) r.values[meaning].text = text;
  }
  void number(RecipeRecord &r, const char *meaning, pugi::xml_node n, const char *attribute, double unit) {
    const std::string t = n.attribute(attribute).value();
    if (t.empty()) return;
    const auto v = parse_number(t);
    if (!v || !std::isfinite(*v)) return unread(n, fmt::format("\"{}\" is no number ({})", t, attribute));
    r.values[meaning] = {t, *v * unit, 0, 0};
  }
  void angle(RecipeRecord &r, const char *meaning, pugi::xml_node n, const char *attribute) {
    const std::string t = n.attribute(attribute).value();
    if (t.empty()) return;
    const auto v = read_angle(angle_, t);
    if (!v || !std::isfinite(*v)) return unread(n, fmt::format("\"{}\" is no angle ({})", t, attribute));
    r.values[meaning] = {t, *v, 0, 0};
  }

  /// The circle's reading of a back sight that has no observation of its own, where angles count from it.
  void back_sight_reading(const std::map<std::string, pugi::xml_node> &backsights,
                          const std::vector<pugi::xml_node> &observations) {
    const auto name_of = [&](pugi::xml_node o) {
      const std::string to = point_name(o.child("TargetPoint"));
      return to.empty() ? std::string(o.attribute("targetPoint").value()) : to;
    };
    const bool angles = std::any_of(observations.begin(), observations.end(),
                                    [](pugi::xml_node o) { return o.attribute("horizAngle"); });
    for (const auto &[mark, n] : backsights) {
      const bool read = std::any_of(observations.begin(), observations.end(),
                                    [&, &m = mark](pugi::xml_node o) { return name_of(o) == m; });
      if (mark.empty() || read || !angles) continue;
      RecipeRecord r = record(n, RecipeLine::What::record);
      put(r, "target", mark);
      put(r, "kind", "orientation");
      put(r, "face", "1");
      r.values["set"] = {"", 1, 0, 0};
      angle(r, "circle", n, "circle");
      if (!r.find("circle")) r.values["circle"] = {"0", 0, 0, 0};
      out_.add(std::move(r));
    }
  }

  void setup(pugi::xml_node s, const std::map<std::string, std::vector<pugi::xml_node>> &raw,
             const std::map<std::string, std::vector<pugi::xml_node>> &reduced,
             const std::map<std::string, pugi::xml_node> &air) {
    const std::string id = s.attribute("id").value();
    RecipeRecord station = record(s, RecipeLine::What::state);
    std::string name = s.attribute("stationName").value();
    if (name.empty()) name = point_name(s.child("InstrumentPoint"));
    if (name.empty()) return unread(s, "a set-up without the name of its mark");
    put(station, "station", name);
    number(station, "instrument_height", s, "instrumentHeight", metre_);
    out_.add(station);
    if (const auto a = air.find(id); a != air.end()) {
      RecipeRecord weather = record(a->second, RecipeLine::What::state);
      number(weather, "pressure", a->second, "pressure", hectopascal_);
      number(weather, "temperature", a->second, "temperature", 1);
      if (const auto t = weather.values.find("temperature"); fahrenheit_ && t != weather.values.end())
        t->second.number = (t->second.number - 32) / 1.8;
      out_.add(weather);
    }
    const bool is_raw = raw.count(id) > 0;
    const auto &all = is_raw ? raw : reduced;
    const auto found = all.find(id);
    if (found == all.end()) return;
    std::map<std::pair<std::string, std::string>, int> seen;
    const auto &backsights = backsights_[id];
    back_sight_reading(backsights, found->second);
    for (pugi::xml_node o : found->second) {
      RecipeRecord r = record(o, RecipeLine::What::record);
      pugi::xml_node target = o.child("TargetPoint");
      std::string to = point_name(target);
      if (to.empty()) to = o.attribute("targetPoint").value();
      put(r, "target", to);
      if (const auto t = targets_.find(o.attribute("targetSetupID").value()); t != targets_.end()) {
        number(r, "target_height", t->second, "targetHeight", metre_);
        number(r, "prism_constant", t->second, "prismConstant", metre_);
      }
      number(r, "target_height", o, "targetHeight", metre_);
      angle(r, "circle", o, o.attribute("horizAngle") ? "horizAngle" : "horizCircle");
      angle(r, "zenith", o, "zenithAngle");
      number(r, "slope", o, "slopeDistance", metre_);
      if (!is_raw) {
        // Slope and zenith angle say the same with less rounding.
        if (!r.find("slope")) number(r, "horizontal", o, "horizDistance", metre_);
        if (!r.find("zenith")) number(r, "rise", o, "vertDistance", metre_);
        // A bearing says how the circle was turned; with readings of the circle it would count twice.
        if (!r.find("circle")) angle(r, "grid_bearing", o, "azimuth");
        angle(r, "angle_sd", o, o.attribute("angleStdError") ? "angleStdError" : "azimuthAccuracy");
        number(r, "distance_sd", o, o.attribute("horizDistStdError") ? "horizDistStdError" : "distanceAccuracy",
               metre_);
        angle(r, "zenith_sd", o, "vertAngleStdError");
        number(r, "rise_sd", o, "vertDistStdError", metre_);
      }
      const std::string face = o.attribute("directFace").value();
      const std::string side = face == "false" || face == "0" ? "2" : face.empty() ? "" : "1";
      put(r, "face", side);
      r.values["set"] = {"", static_cast<double>(++seen[{to, side}]), 0, 0};
      const std::string purpose = o.attribute("purpose").value();
      put(r, "kind",
          purpose == "backsight" || (backsights.count(to) && !to.empty())          ? "orientation"
          : purpose == "foresight" || purpose == "check" || purpose == "resection" ? "control"
                                                                                   : "detail");
      put(r, "time", o.attribute("timeStamp").value());
      put(r, "code", target.attribute("code").value());
      const std::string desc = o.attribute("desc").value();
      put(r, "remark", desc);
      // As our own files say it.
      if (desc.find("left out") != std::string::npos) put(r, "used", "no");
      out_.add(std::move(r));
    }
  }

  std::string_view text_;
  std::vector<std::size_t> breaks_;
  pugi::xml_document doc_;
  RecipeReading out_;
  double metre_ = 1, hectopascal_ = 1;
  bool fahrenheit_ = false;
  std::string angle_ = "rad";
  std::map<std::string, std::map<std::string, pugi::xml_node>> backsights_; ///< set-up → mark → its element
  std::map<std::string, pugi::xml_node> targets_;
};

} // namespace

bool looks_like_landxml_survey(std::string_view text) {
  const std::string_view head = text.substr(0, 4000);
  return head.find("<LandXML") != std::string_view::npos && text.find("<Survey") != std::string_view::npos &&
         text.find("<InstrumentSetup") != std::string_view::npos;
}

RecipeReading read_landxml_survey(std::string_view text) { return Survey(text).read(); }

} // namespace ampletie
