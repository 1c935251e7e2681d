#include "judgement/decision_words.h"
#include "base/text.h"
#include "job/settings.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::json;

/// How a value of a decision is said. `unit` follows numbers, which are multiplied by `factor` for it.
struct Saying {
  const char *name, *words, *unit;
  double factor = 1;
};
// What a total station's card says stands in `station_card`.
constexpr Saying sayings[] = {
    {"mark", "mark", ""},
    {"antenna", "antenna", ""},
    {"height", "height", "m"},
    {"height_to", "point", ""},
    {"east", "east", "m"},
    {"north", "north", "m"},
    {"azimuth", "azimuth of the antenna's north mark", "°"},
    {"pressure", "pressure", "hPa"},
    {"temperature", "temperature", "°C"},
    {"humidity", "humidity", "%"},
    {"set_up", "belongs to the set-up", ""},
    {"constant", "prism constant", "m"},
    {"instrument", "instrument", ""},
    {"onward", "onward to", ""},
    {"follows", "follows", ""},
    {"sd", "standard error of a kilometre", "mm"},
    {"sd-setup", "standard error of a set-up", "mm"},
    {"staff-scale", "scale of the staff", "ppm"},
    {"staff-temperature", "temperature of the staff", "°C"},
    {"collimation", "line of sight", "mm/m"},
    {"scale", "scale", "ppm"},
    {"until", "certificate until", ""},
    {"gravity", "gravity", "m/s²"},
    {"same_as", "stands for", ""},
    {"recipe", "read with the recipe", ""},
    {"name", "called", ""},
    {"plan", "plan", "mm", 1000},
    {"of", "of the", ""},
    {"start_east", "starts at east", "m"},
    {"start_north", "starts at north", "m"},
    {"start_height", "starts at height", "m"},
    {"start_bearing", "starts with the bearing", "°"},
    {"velocity", "velocity", "m/yr"},
    {"sd_enu", "standard deviations east, north, up", "m"},
    {"sd_height", "standard deviation of the height", "m"},
    {"xyz", "X, Y, Z", "m"},
    {"geodetic", "latitude, longitude, ellipsoidal height", ""},
    {"grid", "east, north, height", "m"},
    {"frame", "in", ""},
    {"epoch", "at", ""},
};

std::string with_unit(double v, const Saying *s) {
  const std::string number = fmt::format("{:.10g}", s ? v * s->factor : v);
  return s && *s->unit ? number + " " + s->unit : number;
}

std::string value_words(const json &v, const Saying *s) {
  if (v.is_null()) return "as before";
  if (v.is_string()) return v.get<std::string>();
  if (v.is_boolean()) return v.get<bool>() ? "yes" : "no";
  if (v.is_number()) return with_unit(v.get<double>(), s);
  std::string out;
  if (v.is_array()) {
    for (const json &x : v) out += (out.empty() ? "" : ", ") + value_words(x, nullptr);
    return s && *s->unit ? out + " " + s->unit : out;
  }
  for (const auto &[name, x] : v.items()) out += (out.empty() ? "" : ", ") + name + ": " + value_words(x, s);
  return out;
}

/// `card`: of a total station's card.
std::string phrase(const std::string &name, const json &v, bool card = false) {
  if (name == "slant" && v.is_boolean()) return v.get<bool>() ? "slant" : "vertical";
  if (name == "reverse" && v.is_boolean()) return v.get<bool>() ? "walked the other way" : "walked as booked";
  if (name == "symbol") return "symbol " + value_words(v, nullptr);
  if (v.is_boolean() && (name == "line" || name == "label" || name == "height"))
    return (v.get<bool>() ? "with " : "without ") + (name == "line"    ? std::string("a line")
                                                     : name == "label" ? "its label"
                                                                       : "its height");
  if (name == "seen") return "what is unread was looked at";
  if (v.is_object() && (name == "split" || name == "computed" || name == "rename")) {
    std::string out;
    for (const auto &[mark, x] : v.items()) {
      const bool on = x.is_boolean() && x.get<bool>();
      out += out.empty() ? "" : ", ";
      out += name == "split"      ? (on ? "split at " : "joined at ") + mark
             : name == "computed" ? mark + (on ? " computed" : " held")
             : x.is_string()      ? mark + " means " + x.get<std::string>()
                                  : mark + " as booked";
    }
    return out;
  }
  if (v.is_object() && name == "targets") {
    std::string out;
    for (const auto &[target, what] : v.items())
      if (what.is_object())
        for (const auto &[k, x] : what.items())
          out += (out.empty() ? "" : ", ") + ("target " + target) + ": " + phrase(k, x);
    return out;
  }
  for (const CardEntry &e : station_card())
    if (card && e.name == name && !v.is_object())
      return std::string(lower(e.label)) + " " + value_words(v, nullptr) +
             (v.is_number() ? std::string(" ") + e.unit : "");
  for (const Saying &s : sayings)
    if (s.name == name) return std::string(s.words) + " " + value_words(v, &s);
  return name + " " + value_words(v, nullptr);
}

/// A setting of the job, or of one vector.
std::string setting_words(const std::string &name, const json &v) {
  const char *label = nullptr, *unit = "";
  for (const SettingInfo &i : setting_catalogue())
    if (name == i.name) label = i.label, unit = i.unit;
  return (label ? std::string(label) : name) + " " + value_words(v, nullptr) +
         (*unit && v.is_number() ? std::string(" ") + unit : "");
}

} // namespace

std::string field_words(const std::string &name) {
  if (name == "slant") return "slant or vertical";
  for (const Saying &s : sayings)
    if (s.name == name) return s.words;
  return name;
}

DecisionWords::DecisionWords(const JobSnapshot &s, const std::vector<VectorResult> &vectors,
                             const std::vector<Doubt> &doubts, const std::vector<Decision> &log)
    : log_(log) {
  for (const Occupation &o : s.occupations) names_[o.id] = occupation_name(o);
  for (const VectorResult &v : vectors) names_[v.id] = "vector " + v.from + " → " + v.to;
  for (const auto &c : s.contents) names_[c.source.id] = names_["source:" + c.source.id] = "file " + c.source.name;
  for (const LevelSource &src : s.levels->sources)
    for (const LevelRun &r : src.runs())
      for (const StaffSight &x : r.sights) names_[x.id] = fmt::format("reading {} line {}", src.name, x.line);
  for (const LevelLine &l : s.levels->lines) {
    names_[l.id] = "line " + l.name;
    for (const auto &part : l.parts) names_.try_emplace(part, "line " + l.name);
  }
  for (const auto &r : s.traverses->field.setups) {
    names_[r->setup.id] = "set-up on " + r->setup.mark;
    for (const Pointing &p : r->setup.pointings)
      names_[p.id] = fmt::format("pointing {} → {}, line {}", r->setup.mark, p.target, p.line);
  }
  for (const TraverseLine &l : s.traverses->lines) names_["traverse:" + l.id] = "traverse " + l.name;
  for (const Doubt &d : doubts) names_[d.id] = d.kind + ", " + d.about;
}

const Decision *DecisionWords::decision(long number) const {
  for (const Decision &d : log_)
    if (d.seq == number) return &d;
  return nullptr;
}

std::string DecisionWords::named(const std::string &target) const {
  if (const auto it = names_.find(target); it != names_.end()) return it->second;
  // "v-…:G07@from/to": a span of an occupation, a vector or the whole job.
  if (const auto colon = target.find(':'); colon != std::string::npos) {
    if (const auto it = names_.find(target.substr(0, colon)); it != names_.end())
      return target.substr(colon + 1) + " of " + it->second;
    const std::string kind = target.substr(0, colon);
    for (const auto &[prefix, words] : {std::pair{"asked", "accuracy asked of"},
                                        {"mark", "mark"},
                                        {"staff", "staff"},
                                        {"instrument", "instrument"},
                                        {"style", "code"},
                                        {"traverse", "traverse"}})
      if (kind == prefix) return std::string(words) + " " + target.substr(colon + 1);
  }
  return target;
}

std::string DecisionWords::about(const Decision &d) const {
  if (d.verb == "withdraw") return fmt::format("decision {}", d.value.value("decision", 0L));
  if (d.verb == "set" && is_setting_group(d.target)) return "settings";
  return named(d.target);
}

std::string DecisionWords::said(const Decision &d) const {
  std::string out;
  if (!d.value.is_object()) return out;
  if (d.verb == "withdraw") {
    const Decision *what = decision(d.value.value("decision", 0L));
    return what && what != &d ? sentence(*what) : "";
  }
  if (d.verb == "set" && is_setting_group(d.target)) {
    for (const auto &[name, v] : d.value.items()) {
      if (v.is_string() && v.get_ref<const std::string &>().empty()) continue;
      out += (out.empty() ? "" : ", ") + setting_words(name, v);
    }
    return out;
  }
  if (d.verb == "hold") {
    const std::string how = d.value.value("how", "full");
    out = how == "full"       ? "held fully"
          : how == "check"    ? "a check, never used"
          : how == "weighted" ? "held as observed with its published uncertainty"
                              : "held in " + how;
    for (const auto &[name, v] : d.value.items())
      if (name != "how") out += ", " + phrase(name, v);
    return out;
  }
  const bool card = d.target.rfind("instrument:", 0) == 0, vector = d.target.rfind("v-", 0) == 0;
  static constexpr Saying asked_height{"height", "height", "mm", 1000};
  const bool asked = d.target.rfind("asked:", 0) == 0;
  for (const auto &[name, v] : d.value.items())
    out += (out.empty() ? "" : ", ") + (vector                      ? setting_words(name, v)
                                        : asked && name == "height" ? "height " + value_words(v, &asked_height)
                                                                    : phrase(name, v, card));
  return out;
}

std::string DecisionWords::sentence(const Decision &d) const {
  const std::string what = about(d), words = said(d);
  if (d.verb == "leave-out") return "left out: " + what;
  if (d.verb == "use") return "used again: " + what;
  if (d.verb == "release") return what + " is held no longer";
  if (d.verb == "accept") return "doubt accepted: " + what;
  if (d.verb == "withdraw") {
    const Decision *of = decision(d.value.value("decision", 0L));
    // Withdrawing a withdrawal makes the decision count again.
    const bool again = of && of->verb == "withdraw";
    const Decision *first = again ? decision(of->value.value("decision", 0L)) : of;
    return fmt::format("{} {}: {}", again ? "made again" : "taken back", first ? first->seq : 0L,
                       first && first != &d ? sentence(*first) : what);
  }
  const bool antenna = d.verb == "set" && d.value.is_object() && d.target.rfind("o-", 0) == 0 &&
                       (d.value.contains("height") || d.value.contains("height_to") || d.value.contains("slant"));
  const bool plain = antenna && words.rfind("height ", 0) == 0;
  return (antenna ? "antenna height of " + what : what) +
         (words.empty() ? "" : ": " + (plain ? words.substr(7) : words));
}

} // namespace ampletie
