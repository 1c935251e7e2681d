#include "job/state.h"
#include "base/error.h"
#include "base/text.h"
#include "base/utf8.h"
#include "geodesy/plausible.h"
#include "job/settings.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::json;

template <class T> void take(const json &value, const char *name, Decided<std::optional<T>> &out, long seq) {
  const auto it = value.find(name);
  if (it == value.end()) return;
  if (it->is_null())
    out = {std::nullopt, seq};
  else
    out = {it->get<T>(), seq};
}

std::optional<Vec3> triple(const json &v, const char *name) {
  const auto it = v.find(name);
  if (it == v.end() || !it->is_array() || it->size() != 3) return {};
  return Vec3((*it)[0], (*it)[1], (*it)[2]);
}

Hold hold_by_name(const std::string &s) {
  for (Hold h : {Hold::none, Hold::plan, Hold::height, Hold::full, Hold::weighted, Hold::check})
    if (hold_name(h) == s) return h;
  throw InputError("\"" + s + "\" is no way to hold a mark");
}

} // namespace

std::vector<bool> standing(const std::vector<Decision> &log) {
  std::vector<bool> out(log.size(), true);
  std::map<long, std::size_t> at;
  for (std::size_t i = 0; i < log.size(); ++i) at[log[i].seq] = i;
  // A withdrawal names something earlier, so one pass from the end settles all.
  for (std::size_t i = log.size(); i-- > 0;)
    if (!log[i].damage.empty())
      out[i] = false;
    else if (log[i].verb == "withdraw" && out[i]) {
      const auto it = at.find(log[i].value.value("decision", 0L));
      if (it != at.end() && it->second < i) out[it->second] = false;
    }
  return out;
}

namespace {
/// What a control list may not say a decision may not say either.
void refuse_impossible(const HoldDecision &h, const std::string &mark) {
  const auto bad = [&](const char *why) { throw InputError(mark + ": " + why); };
  if (h.xyz && !near_surface(*h.xyz)) bad("X, Y, Z do not lie near the Earth's surface");
  if (h.geodetic_deg && (std::abs(h.geodetic_deg->x()) > 90 || std::abs(h.geodetic_deg->y()) > 360))
    bad("latitude or longitude is impossible");
  if (h.grid && !plausible_grid(h.grid->x(), h.grid->y())) bad("the grid coordinates are impossible");
  for (const auto &height : {h.height, h.grid ? std::optional(h.grid->z()) : std::nullopt,
                             h.geodetic_deg ? std::optional(h.geodetic_deg->z()) : std::nullopt})
    if (height && !plausible_height(*height)) bad("the height is impossible");
  if (h.sd_enu && !(plausible_sd(h.sd_enu->minCoeff()) && plausible_sd(h.sd_enu->maxCoeff())))
    bad("a standard deviation is impossible");
  if (h.sd_height && !plausible_sd(*h.sd_height)) bad("a standard deviation is impossible");
  if (h.velocity && h.velocity->norm() > 0.9) bad("a velocity is impossible: it is in metres per year");
}

/// What one decision changes. Throws when its value has not the form that its verb asks for.
void apply(JobState &s, const Decision &d) {
  if (d.verb == "set" && is_setting_group(d.target)) {
    for (const auto &[name, v] : d.value.items()) {
      apply_setting(s.settings, name, v);
      s.setting_decisions[name] = d.seq;
    }
  } else if (d.verb == "set" && d.target.substr(0, 2) == "v-") {
    JobSettings probe; // what does not fit is said now, not when the vector is solved
    for (const auto &[name, v] : d.value.items())
      if (v.is_null())
        s.vector_settings[d.target].erase(name);
      else {
        apply_setting(probe, name, v);
        s.vector_settings[d.target][name] = {v, d.seq};
      }
  } else if (d.verb == "set" && d.target.substr(0, 2) == "l-") {
    RunEdits &r = s.runs[d.target];
    take(d.value, "reverse", r.reverse, d.seq);
    take(d.value, "name", r.name, d.seq);
    take(d.value, "follows", r.follows, d.seq);
    take(d.value, "sd", r.sd_mm_km, d.seq);
    take(d.value, "sd-setup", r.sd_mm_setup, d.seq);
    take(d.value, "staff-scale", r.staff_ppm, d.seq);
    take(d.value, "staff-temperature", r.staff_temperature, d.seq);
    take(d.value, "collimation", r.collimation_mm_m, d.seq);
    for (const auto &[key, map] : {std::pair{"computed", &r.computed}, {"split", &r.split}})
      if (const auto it = d.value.find(key); it != d.value.end() && it->is_object())
        for (const auto &[mark, on] : it->items()) {
          if (on.is_boolean() && on.get<bool>())
            (*map)[mark] = d.seq;
          else
            map->erase(mark);
        }
    if (const auto it = d.value.find("rename"); it != d.value.end() && it->is_object())
      for (const auto &[from, to] : it->items()) {
        if (to.is_string())
          r.rename[from] = {to.get<std::string>(), d.seq};
        else
          r.rename.erase(from);
      }
  } else if (d.verb == "set" && d.target.substr(0, 2) == "r-") {
    s.sight_marks[d.target] = {d.value.value("mark", ""), d.seq};
  } else if (d.verb == "set" && d.target.substr(0, 2) == "t-") {
    SetupEdits &u = s.setups[d.target];
    take(d.value, "mark", u.mark, d.seq);
    take(d.value, "instrument", u.instrument, d.seq);
    take(d.value, "onward", u.onward, d.seq);
    take(d.value, "height", u.instrument_height, d.seq);
    take(d.value, "east", u.east, d.seq);
    take(d.value, "north", u.north, d.seq);
    take(d.value, "pressure", u.pressure, d.seq);
    take(d.value, "temperature", u.temperature, d.seq);
    if (const auto it = d.value.find("targets"); it != d.value.end() && it->is_object())
      for (const auto &[name, what] : it->items()) {
        if (!what.is_object()) continue;
        SetupEdits::Target &t = u.targets[name];
        take(what, "mark", t.mark, d.seq);
        take(what, "kind", t.kind, d.seq);
        take(what, "height", t.height, d.seq);
        take(what, "constant", t.constant, d.seq);
      }
  } else if (d.verb == "set" && d.target.substr(0, 2) == "p-") {
    PointingEdits &p = s.pointings[d.target];
    take(d.value, "mark", p.mark, d.seq);
    take(d.value, "height", p.height, d.seq);
    take(d.value, "constant", p.constant, d.seq);
  } else if (d.verb == "set" && d.target.substr(0, 9) == "traverse:") {
    RouteEdits &r = s.routes[d.target.substr(9)];
    take(d.value, "name", r.name, d.seq);
    take(d.value, "balance", r.balance, d.seq);
    take(d.value, "angles", r.angles, d.seq);
    take(d.value, "heights", r.heights, d.seq);
    take(d.value, "start_east", r.start_east, d.seq);
    take(d.value, "start_north", r.start_north, d.seq);
    take(d.value, "start_bearing", r.start_bearing_deg, d.seq);
    take(d.value, "start_height", r.start_height, d.seq);
  } else if (d.verb == "set" && d.target.substr(0, 6) == "style:") {
    CodeStyle &c = s.styles[d.target.substr(6)];
    c.symbol = d.value.value("symbol", c.symbol);
    c.label = d.value.value("label", c.label);
    c.height = d.value.value("height", c.height);
    c.line = d.value.value("line", c.line);
    c.decision = d.seq;
  } else if (d.verb == "set" && d.target.substr(0, 6) == "asked:") {
    AskedOfGroup &g = s.asked[d.target.substr(6)];
    for (const auto &[name, out] : {std::pair{"plan", &g.plan}, {"height", &g.height}})
      if (const auto it = d.value.find(name); it != d.value.end())
        *out = it->is_number() ? std::optional(it->get<double>()) : std::nullopt;
    if (const auto it = d.value.find("of"); it != d.value.end())
      g.local = it->is_string() ? std::optional(*it == "local") : std::nullopt;
    g.decision = d.seq;
    if (!g.plan && !g.height && !g.local) s.asked.erase(d.target.substr(6));
  } else if (d.verb == "set" && d.target.substr(0, 6) == "staff:") {
    if (const auto x = d.value.find("scale"); x != d.value.end() && x->is_number())
      s.staffs[d.target.substr(6)] = {x->get<double>(), d.seq};
    else
      s.staffs.erase(d.target.substr(6));
  } else if (d.verb == "set" && d.target.substr(0, 11) == "instrument:") {
    InstrumentCard &card = s.instruments[d.target.substr(11)];
    take(d.value, "sd", card.sd_mm_km, d.seq);
    take(d.value, "sd-setup", card.sd_mm_setup, d.seq);
    for (const CardEntry &e : station_card())
      if (const auto it = d.value.find(e.name); it != d.value.end()) {
        if (it->is_number())
          card.station[e.name] = {it->get<double>(), d.seq};
        else
          card.station.erase(e.name);
      }
    take(d.value, "until", card.until, d.seq);
    if (const auto it = d.value.find("collimation"); it != d.value.end() && it->is_object())
      for (const auto &[day, slope] : it->items()) {
        if (slope.is_number())
          card.lines_of_sight[day] = {slope.get<double>(), d.seq};
        else
          card.lines_of_sight.erase(day);
      }
  } else if (d.verb == "set" && d.target.substr(0, 5) == "mark:") {
    const std::string mark = d.target.substr(5);
    if (const auto g = d.value.find("gravity"); g != d.value.end()) {
      if (g->is_number())
        s.gravity[mark] = {g->get<double>(), d.seq};
      else
        s.gravity.erase(mark);
    }
    if (const auto same = d.value.find("same_as"); same != d.value.end()) {
      if (same->is_string() && *same != mark)
        s.same_marks[mark] = {same->get<std::string>(), d.seq};
      else
        s.same_marks.erase(mark);
    }
  } else if (d.verb == "set" && d.target.substr(0, 7) == "source:") {
    const std::string id = d.target.substr(7);
    if (d.value.contains("recipe")) s.recipes[id] = {d.value.value("recipe", ""), d.seq};
    if (d.value.value("seen", false)) s.seen[id] = d.seq;
  } else if (d.verb == "set") {
    OccupationEdits &o = s.occupations[d.target];
    take(d.value, "mark", o.mark, d.seq);
    take(d.value, "antenna", o.antenna, d.seq);
    take(d.value, "height", o.measured, d.seq);
    take(d.value, "height_to", o.measured_to, d.seq);
    take(d.value, "slant", o.slant, d.seq);
    take(d.value, "east", o.east, d.seq);
    take(d.value, "north", o.north, d.seq);
    take(d.value, "azimuth", o.azimuth_deg, d.seq);
    take(d.value, "pressure", o.pressure, d.seq);
    take(d.value, "temperature", o.temperature, d.seq);
    take(d.value, "humidity", o.humidity, d.seq);
    take(d.value, "set_up", o.set_up, d.seq);
  } else if (d.verb == "hold") {
    HoldDecision h;
    h.how = hold_by_name(d.value.value("how", "full"));
    h.decision = d.seq;
    h.xyz = triple(d.value, "xyz");
    h.geodetic_deg = triple(d.value, "geodetic");
    h.grid = triple(d.value, "grid");
    h.sd_enu = triple(d.value, "sd_enu");
    if (const auto x = d.value.find("height"); x != d.value.end() && x->is_number()) h.height = x->get<double>();
    if (const auto x = d.value.find("sd_height"); x != d.value.end() && x->is_number()) h.sd_height = x->get<double>();
    h.velocity = triple(d.value, "velocity");
    refuse_impossible(h, d.target);
    h.frame = d.value.value("frame", "");
    h.epoch = d.value.value("epoch", "");
    s.holds[d.target] = h;
  } else if (d.verb == "release")
    s.holds.erase(d.target);
  else if (d.verb == "leave-out") {
    s.left_out[d.target] = {d.reason, d.seq};
    s.taken_up.erase(d.target);
  } else if (d.verb == "use") {
    s.left_out.erase(d.target);
    s.taken_up[d.target] = d.seq;
  } else if (d.verb == "accept")
    s.accepted[d.target] = {d.reason, d.seq};
}
} // namespace

JobState fold(const std::vector<Decision> &log) {
  JobState s;
  std::map<long, std::string> unreadable;
  const auto stands = standing(log);
  for (std::size_t i = 0; i < log.size(); ++i) {
    if (!log[i].damage.empty()) s.unreadable[log[i].seq] = log[i].damage;
    if (!stands[i] || unreadable.count(log[i].seq)) continue;
    try {
      apply(s, log[i]);
    } catch (const std::exception &e) {
      // Half of it may have been applied: begin again without it.
      const auto *input = dynamic_cast<const InputError *>(&e);
      unreadable[log[i].seq] = input ? input->reason() : "its value has not the form that it should have";
      s = {};
      i = static_cast<std::size_t>(-1);
    }
  }
  s.unreadable.insert(unreadable.begin(), unreadable.end());
  // What was said of a name that stands for another mark counts for that one, unless it has its own.
  for (const auto &[name, same] : s.same_marks) {
    const std::string mark = s.mark_name(name);
    if (auto h = s.holds.extract(name)) h.key() = mark, s.holds.insert(std::move(h));
    if (auto g = s.gravity.extract(name)) g.key() = mark, s.gravity.insert(std::move(g));
  }
  return s;
}

const std::vector<std::string> &code_symbols() {
  static const std::vector<std::string> all{"dot", "circle", "square", "triangle", "cross", "diamond", "none"};
  return all;
}

namespace {
/// The entry that counts for a name: its own, else that of the longest beginning ("AB*"); null: none.
template <class Value>
const std::pair<const std::string, Value> *closest(const std::map<std::string, Value> &groups,
                                                   const std::string &name) {
  if (const auto own = groups.find(name); own != groups.end()) return &*own;
  const std::pair<const std::string, Value> *best = nullptr;
  for (const auto &group : groups)
    if (in_group(group.first, name) && (!best || group.first.size() > best->first.size())) best = &group;
  return best;
}
} // namespace

CodeStyle JobState::style_of(const std::string &code) const {
  const auto *style = closest(styles, code);
  return style ? style->second : CodeStyle{};
}

const std::pair<const std::string, AskedOfGroup> *JobState::asked_group(const std::string &mark) const {
  return closest(asked, mark);
}

AskedAccuracy JobState::asked_of(const std::string &mark) const {
  AskedAccuracy out = settings.asked;
  if (const auto *group = asked_group(mark)) {
    out.plan = group->second.plan.value_or(out.plan), out.height = group->second.height.value_or(out.height);
    out.local = group->second.local.value_or(out.local);
  }
  return out;
}

std::string JobState::mark_name(std::string name) const {
  // Names may be chained; two that were said to stand for each other end after one round.
  for (std::size_t steps = 0; steps <= same_marks.size(); ++steps) {
    const auto it = same_marks.find(name);
    if (it == same_marks.end()) break;
    name = it->second.value;
  }
  return name;
}

const std::pair<const std::string, Decided<double>> *InstrumentCard::line_of_sight(const std::string &day) const {
  if (lines_of_sight.empty()) return nullptr;
  auto after = day.empty() ? lines_of_sight.end() : lines_of_sight.upper_bound(day);
  return after == lines_of_sight.begin() ? &*after : &*std::prev(after);
}

long undo_target(const std::vector<Decision> &log) {
  const auto stands = standing(log);
  for (std::size_t i = log.size(); i-- > 0;)
    if (log[i].verb != "withdraw" && stands[i]) return log[i].seq;
  return 0;
}

long redo_target(const std::vector<Decision> &log) {
  const auto stands = standing(log);
  // Only an unbroken tail of undoing and redoing can be redone: a new decision closes that road.
  for (std::size_t i = log.size(); i-- > 0;) {
    if (log[i].verb != "withdraw") return 0;
    const long target = log[i].value.value("decision", 0L);
    bool undoes_decision = true;
    for (const Decision &d : log)
      if (d.seq == target && d.verb == "withdraw") undoes_decision = false;
    if (undoes_decision && stands[i]) return log[i].seq;
  }
  return 0;
}

} // namespace ampletie
