#include "cli/traverses.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "cli/names.h"
#include "job/decision.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie::cli {
namespace {
using nlohmann::json;
using nlohmann::ordered_json;

ordered_json finite(double v) { return std::isfinite(v) ? ordered_json(v) : ordered_json(nullptr); }

json setup_value(const std::string &name, const std::string &text) {
  if (const auto dot = name.rfind('.'); dot != std::string::npos) {
    const std::string field = name.substr(dot + 1);
    return {{"targets", {{name.substr(0, dot), {{field, typed_field<TargetThing>(field, text)}}}}}};
  }
  if (name == "exchange") {
    const auto colon = text.find(':');
    if (colon == std::string::npos) throw InputError("two targets are needed, as A:B");
    const std::string a = text.substr(0, colon), b = text.substr(colon + 1);
    return {{"targets", {{a, {{"mark", b}}}, {b, {{"mark", a}}}}}};
  }
  if (!find_field(SetupThing::fields(), name))
    throw InputError("a set-up has " + field_names(SetupThing::fields()) + ", exchange, and of a target TARGET." +
                     field_names(TargetThing::fields()) + "; no \"" + name + "\"");
  return {{name, typed_field<SetupThing>(name, text)}};
}

/// Targets of a set-up must be ones that it saw.
void require_targets(const Job &job, const std::string &setup, const json &v) {
  std::vector<std::string> seen;
  for (const auto &source : job.snapshot()->traverses().field.sources)
    for (const StationSetup &u : source.file->setups)
      if (u.id == setup)
        for (const Pointing &p : u.pointings) seen.push_back(p.booked);
  if (v.contains("targets"))
    for (const auto &[name, what] : v.at("targets").items()) require_known("target of this set-up", name, seen, false);
  if (v.contains("onward") && v.at("onward").is_string() && !v.at("onward").get<std::string>().empty())
    require_mark(job, v.at("onward").get<std::string>(), false);
}

/// A traverse is turned to a mark that its first set-up saw and whose place is published.
void require_sighted(const Job &job, const std::string &route, const std::string &mark) {
  const JobSnapshot &s = *job.snapshot();
  const ReducedSetup *first = s.traverses().field.find(route.substr(route.find(':') + 1));
  std::vector<std::string> seen;
  if (first)
    for (const TargetSight &x : first->sights)
      if (s.published().count(x.mean.target)) seen.push_back(x.mean.target);
  require_known("mark with a published place among the sights of its first set-up", mark, seen, false);
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
    for (const auto &[name, m] : job.snapshot()->traverses().marks)
      if (!m.code.empty()) codes.push_back(m.code);
    if (words[1].empty() || words[1].back() != '*') require_known("code", words[1], codes, ahead);
    targets = {"style:" + words[1]};
  } else
    for (const Named &n : resolve(job, words[1], {words[0]}, words[0] != "pointing")) targets.push_back(n.id);
  for (std::size_t i = 2; i < words.size(); ++i) {
    const auto [name, text] = name_value(words[i]);
    // One by one: GCC 12 destroys what it has not made yet when one of several initializer lists throws.
    json v = json::object();
    if (words[0] == "setup")
      v = setup_value(name, text);
    else if (words[0] == "style")
      v[name] = typed_field<StyleThing>(name, text);
    else if (words[0] == "route")
      v[name] = typed_field<RouteThing>(name, text);
    else
      v[name] = typed_field<PointingThing>(name, text);
    if (words[0] == "route" && v.contains("start_toward") && v.at("start_toward").is_string())
      require_sighted(job, targets.front(), v.at("start_toward"));
    if (words[0] == "setup" && (v.contains("targets") || v.contains("onward")))
      require_targets(job, targets.front(), v);
    for (const auto &target : targets) job.decide("set", target, v, because);
  }
}

ordered_json setup_rows(const Job &job) {
  auto out = ordered_json::array();
  const TraverseReport &t = job.snapshot()->traverses();
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
  for (const TraverseLine &l : job.snapshot()->traverses().lines) {
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
