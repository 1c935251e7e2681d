#include "cli/traverses.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "cli/names.h"
#include "cli/words.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie::cli {
namespace {
using nlohmann::json;
using nlohmann::ordered_json;

ordered_json finite(double v) { return std::isfinite(v) ? ordered_json(v) : ordered_json(nullptr); }

json maybe_number(const std::string &name, const std::string &text, double least, double most) {
  return text.empty() ? json() : json(number(name, text, least, most));
}

json sight_value(const std::string &name, const std::string &text) {
  if (name == "mark") return {{"mark", text.empty() ? json() : json(text)}};
  if (name == "height") return {{"height", maybe_number(name, text, -10, 30)}};
  if (name == "constant") return {{"constant", maybe_number(name, text, -0.5, 0.5)}};
  if (name == "kind") {
    if (text != "orientation" && text != "control" && text != "detail")
      throw InputError("a sight is for orientation, control or detail");
    return {{"kind", text}};
  }
  throw InputError("a sight has mark, height, constant and kind, no \"" + name + "\"");
}

json setup_value(const std::string &name, const std::string &text) {
  if (const auto dot = name.rfind('.'); dot != std::string::npos)
    return {{"targets", {{name.substr(0, dot), sight_value(name.substr(dot + 1), text)}}}};
  if (name == "exchange") {
    const auto colon = text.find(':');
    if (colon == std::string::npos) throw InputError("two targets are needed, as A:B");
    const std::string a = text.substr(0, colon), b = text.substr(colon + 1);
    return {{"targets", {{a, {{"mark", b}}}, {b, {{"mark", a}}}}}};
  }
  if (name == "height") return {{"height", maybe_number(name, text, -10, 30)}};
  if (name == "east" || name == "north") return {{name, maybe_number(name, text, -100, 100)}};
  if (name == "pressure") return {{"pressure", maybe_number(name, text, 450, 1090)}};
  if (name == "temperature") return {{"temperature", maybe_number(name, text, -60, 60)}};
  if (name == "onward") return {{"onward", text}};
  if (name == "mark" || name == "instrument") return {{name, text.empty() ? json() : json(text)}};
  throw InputError(
      "a set-up has mark, height, east, north, pressure, temperature, instrument, onward, exchange and TARGET.mark, "
      ".height, .constant, .kind; no \"" +
      name + "\"");
}

json line_value(const std::string &name, const std::string &text) {
  if (text.empty()) return {{name, json()}};
  if (name == "balance") return {{name, balance_name(balance_by_name(text))}};
  if (name == "angles") return {{name, angle_share_name(angle_share_by_name(text))}};
  if (name == "heights") return {{name, height_share_name(height_share_by_name(text))}};
  if (name == "name") return {{name, text}};
  if (name == "start_east" || name == "start_north") return {{name, number(name, text, -1e8, 1e8)}};
  if (name == "start_height") return {{name, number(name, text, -500, 9000)}};
  if (name == "start_bearing") {
    const auto a = parse_angle_deg(text);
    if (!a) throw InputError("\"" + text + "\" is no bearing in degrees");
    return {{name, *a}};
  }
  throw InputError("a traverse has balance, angles, heights, name and start_east, _north, _height, _bearing; no \"" +
                   name + "\"");
}

json style_value(const std::string &name, const std::string &text) {
  if (name == "symbol") {
    const auto &all = code_symbols();
    if (std::find(all.begin(), all.end(), text) == all.end())
      throw InputError("a symbol is one of " + fmt::format("{}", fmt::join(all, ", ")));
    return {{name, text}};
  }
  if (name != "label" && name != "height" && name != "line")
    throw InputError("a style has symbol, label, height and line, no \"" + name + "\"");
  if (text != "yes" && text != "no") throw InputError(name + " is yes or no");
  return {{name, text == "yes"}};
}

/// Targets of a set-up must be ones that it saw.
void require_targets(const Job &job, const std::string &setup, const json &v) {
  std::vector<std::string> seen;
  for (const auto &source : job.snapshot()->traverses->field.sources)
    for (const StationSetup &u : source.file->setups)
      if (u.id == setup)
        for (const Pointing &p : u.pointings) seen.push_back(p.booked);
  if (v.contains("targets"))
    for (const auto &[name, what] : v.at("targets").items()) require_known("target of this set-up", name, seen, false);
  if (v.contains("onward") && v.at("onward").is_string() && !v.at("onward").get<std::string>().empty())
    require_mark(job, v.at("onward").get<std::string>(), false);
}

/// What the field computed for a traverse; null: it said nothing.
ordered_json booked_row(const TraverseLine &l) {
  if (!l.booked) return nullptr;
  const FieldClosure &f = l.booked->booked;
  return {{"angular_misclosure_s", finite(f.angle / rad_per_arcsec)},
          {"de", finite(f.east)},
          {"dn", finite(f.north)},
          {"dh", finite(f.height)},
          {"linear_misclosure_m", finite(f.length)},
          {"same", l.booked->same},
          {"explained", l.booked->explained},
          {"line", f.line}};
}

} // namespace

void set_traverses(Job &job, const std::vector<std::string> &words, const std::string &because, bool ahead) {
  if (words.size() < 3) throw InputError("say which one and NAME=VALUE");
  std::vector<std::string> targets;
  if (words[0] == "style") {
    std::vector<std::string> codes;
    for (const auto &[name, m] : job.snapshot()->traverses->marks)
      if (!m.code.empty()) codes.push_back(m.code);
    if (words[1].empty() || words[1].back() != '*') require_known("code", words[1], codes, ahead);
    targets = {"style:" + words[1]};
  } else
    for (const Named &n : resolve(job, words[1], {words[0]}, words[0] != "pointing")) targets.push_back(n.id);
  for (std::size_t i = 2; i < words.size(); ++i) {
    const auto [name, text] = name_value(words[i]);
    const json v = words[0] == "setup"   ? setup_value(name, text)
                   : words[0] == "style" ? style_value(name, text)
                   : words[0] == "route" ? line_value(name, text)
                                         : sight_value(name, text);
    if (words[0] == "setup" && (v.contains("targets") || v.contains("onward")))
      require_targets(job, targets.front(), v);
    for (const auto &target : targets) job.decide("set", target, v, because);
  }
}

ordered_json setup_rows(const Job &job) {
  auto out = ordered_json::array();
  const TraverseReport &t = *job.snapshot()->traverses;
  for (const auto &r : t.field.setups) {
    const auto found = t.judgements.find(r->setup.id);
    ordered_json j{{"id", r->setup.id},
                   {"mark", r->setup.mark},
                   {"day", r->setup.day},
                   {"instrument", r->setup.instrument},
                   {"height_m", r->setup.instrument_height},
                   {"pressure_hpa", r->setup.air ? ordered_json(r->setup.air->pressure_hpa) : ordered_json()},
                   {"temperature_c", r->setup.air ? ordered_json(r->setup.air->temperature_c) : ordered_json()},
                   {"onward", found == t.judgements.end() ? "" : found->second.onward_mark},
                   {"used", r->used}};
    j["targets"] = ordered_json::array();
    for (const TargetSight &s : r->sights)
      j["targets"].push_back({{"id", s.id},
                              {"mark", s.mean.target},
                              {"kind", pointing_kind_name(s.mean.kind)},
                              {"sets", s.mean.sets},
                              {"direction_deg", finite(degrees(s.mean.direction))},
                              {"direction_spread_s", s.mean.direction_spread / rad_per_arcsec},
                              {"direction_limit_s", s.mean.direction_limit / rad_per_arcsec},
                              {"zenith_deg", finite(degrees(s.mean.zenith))},
                              {"zenith_spread_s", s.mean.zenith_spread / rad_per_arcsec},
                              {"zenith_limit_s", s.mean.zenith_limit / rad_per_arcsec},
                              {"slope_m", finite(s.slope)},
                              {"slope_spread_m", s.mean.slope_spread},
                              {"slope_limit_m", s.mean.slope_limit},
                              {"horizontal_m", finite(s.horizontal)},
                              {"rise_m", finite(s.rise)},
                              {"target_height_m", s.mean.target_height},
                              {"constant_m", s.mean.prism_constant}});
    j["checks"] = ordered_json::array();
    if (found != t.judgements.end())
      for (const KnownMarkCheck &c : found->second.checks)
        j["checks"].push_back({{"mark", c.mark},
                               {"along_m", finite(c.along)},
                               {"along_limit_m", c.along_limit},
                               {"across_m", finite(c.across)},
                               {"across_limit_m", c.across_limit},
                               {"up_m", finite(c.up)},
                               {"up_limit_m", c.up_limit},
                               {"passes", c.passes()}});
    out.push_back(std::move(j));
  }
  return out;
}

ordered_json traverse_rows(const Job &job) {
  auto out = ordered_json::array();
  for (const TraverseLine &l : job.snapshot()->traverses->lines) {
    const TraverseClosure &c = l.result.closure;
    ordered_json j{{"id", l.id},
                   {"name", l.name},
                   {"kind", l.problem.empty() ? traverse_kind_name(l.result.kind) : ""},
                   {"from", l.marks.front()},
                   {"to", l.marks.back()},
                   {"legs", l.legs.size()},
                   {"length_m", c.length},
                   {"angular_misclosure_s", c.has_angular ? ordered_json(c.angular / rad_per_arcsec) : ordered_json()},
                   {"angular_limit_s", c.has_angular ? ordered_json(l.angular_limit / rad_per_arcsec) : ordered_json()},
                   {"linear_misclosure_m", c.has_linear ? ordered_json(c.linear) : ordered_json()},
                   {"linear_limit_m", c.has_linear ? ordered_json(l.linear_limit) : ordered_json()},
                   {"dn", c.has_linear ? ordered_json(c.north) : ordered_json()},
                   {"de", c.has_linear ? ordered_json(c.east) : ordered_json()},
                   {"dh", c.has_height ? ordered_json(c.height) : ordered_json()},
                   {"dh_limit_m", c.has_height ? ordered_json(l.height_limit) : ordered_json()},
                   {"precision", c.ratio ? ordered_json(*c.ratio) : ordered_json()},
                   {"limit", l.limit_name},
                   {"used", l.used},
                   {"passes", l.closes()},
                   {"local", l.local_place || l.local_bearing},
                   {"balance", balance_name(l.balance)},
                   {"field", booked_row(l)},
                   {"problem", l.problem}};
    j["marks"] = ordered_json::array();
    if (l.problem.empty()) {
      const auto &adjusted = l.balanced().points;
      for (std::size_t i = 0; i < l.result.raw.size(); ++i) {
        const TraversePoint &a = l.result.raw[i], &b = adjusted[i];
        j["marks"].push_back({{"name", a.mark},
                              {"n", a.place.north},
                              {"e", a.place.east},
                              {"h", a.height ? ordered_json(*a.height) : ordered_json()},
                              {"adjusted_n", b.place.north},
                              {"adjusted_e", b.place.east},
                              {"adjusted_h", b.height ? ordered_json(*b.height) : ordered_json()}});
      }
    }
    j["comparisons"] = ordered_json::array();
    for (const TraverseComparison &x : l.comparisons)
      j["comparisons"].push_back({{"mark", x.mark},
                                  {"with", x.with},
                                  {"de", finite(x.east)},
                                  {"dn", finite(x.north)},
                                  {"dh", finite(x.up)},
                                  {"passes", x.passes}});
    j["remarks"] = l.remarks;
    j["suspects"] = ordered_json::array();
    for (const TraverseSuspect &s : l.result.suspects)
      if (s.clears)
        j["suspects"].push_back({{"mark", s.mark},
                                 {"what", s.angle ? "angle" : "distance"},
                                 {"size", s.angle ? s.size / rad_per_arcsec : s.size},
                                 {"unit", s.angle ? "arcsec" : "m"}});
    out.push_back(std::move(j));
  }
  return out;
}

} // namespace ampletie::cli
