#include "job/state.h"
#include "base/error.h"
#include "base/text.h"
#include "base/utf8.h"
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

void apply_setting(JobSettings &s, const std::string &name, const json &v) {
  auto number = [&](double &x, double factor = 1) { x = v.get<double>() * factor; };
  if (name == "title")
    s.title = v;
  else if (name == "crs")
    s.datum.crs = v;
  else if (name == "vertical")
    s.datum.vertical = v;
  else if (name == "realisation")
    s.datum.realisation = v;
  else if (name == "epoch")
    number(s.datum.epoch);
  else if (name == "mask")
    number(s.mask_deg);
  else if (name == "interval")
    number(s.interval_s);
  else if (name == "orbits")
    s.orbits = v;
  else if (name == "systems")
    s.systems = v;
  else if (name == "frequencies")
    number(s.frequencies);
  else if (name == "correlation")
    number(s.correlation_s);
  else if (name == "ionosphere")
    number(s.ionosphere_ppm);
  else if (name == "known-ionosphere")
    s.known_ionosphere = v;
  else if (name == "sessions")
    s.together = v != "one by one";
  else if (name == "loop")
    number(s.loop_mm);
  else if (name == "loop-ppm")
    number(s.loop_ppm);
  else if (name == "ratio")
    number(s.ratio_limit);
  else if (name == "rms")
    number(s.rms_limit_m, 1e-3);
  else if (name == "overlap")
    number(s.min_overlap_min);
  else if (name == "centring")
    number(s.centring_sd_m, 1e-3);
  else if (name == "height")
    number(s.height_sd_m, 1e-3);
  else if (name == "transformation")
    number(s.worst_transformation_m, 1e-3);
  else if (name == "asked-plan")
    number(s.asked.plan, 1e-3);
  else if (name == "asked-height")
    number(s.asked.height, 1e-3);
  else if (name == "asked-of")
    s.asked.local = v == "local";
  else if (name == "times")
    s.times.kind = v == "local"         ? TimeStyle::Kind::local
                   : v == "day of year" ? TimeStyle::Kind::day_of_year
                                        : TimeStyle::Kind::gps;
  else if (name == "zone")
    number(s.times.zone_h);
  else if (name == "level-limit")
    number(s.levels.limit_mm_km);
  else if (name == "level-limit-setup")
    number(s.levels.limit_mm_setup);
  else if (name == "level-order")
    s.levels.order = v;
  else if (name == "level-section-limit")
    number(s.levels.section_mm_km);
  else if (name == "height-type")
    s.levels.height_type = height_type_by_name(v);
  else if (name == "level-sd")
    number(s.levels.sd_mm_km);
  else if (name == "level-sd-setup")
    number(s.levels.sd_mm_setup);
  else if (name == "distribution")
    s.levels.distribution = v == "none"     ? Distribution::none
                            : v == "setups" ? Distribution::setups
                                            : Distribution::distance;
  else if (name == "collimation")
    number(s.levels.collimation_mm_m);
  else if (name == "curvature")
    s.levels.curvature = v == "yes";
  else if (name == "refraction")
    number(s.levels.refraction);
  else if (name == "staff-scale")
    number(s.levels.staff_ppm);
  else if (name == "staff-expansion")
    number(s.levels.staff_expansion);
  else if (name == "staff-temperature")
    number(s.levels.staff_temperature);
  else if (name == "height-correction")
    s.levels.height_correction = v != "no";
  else if (name == "mode")
    s.mode = v == "free" ? DatumMode::free : v == "minimal" ? DatumMode::minimal : DatumMode::held;
  else if (!apply_traverse_setting(s.traverse, name, v))
    throw InputError("there is no setting called \"" + name + "\"");
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
  if (h.xyz && (h.xyz->norm() < 6.3e6 || h.xyz->norm() > 6.4e6)) bad("X, Y, Z do not lie near the Earth's surface");
  if (h.geodetic_deg && (std::abs(h.geodetic_deg->x()) > 90 || std::abs(h.geodetic_deg->y()) > 360))
    bad("latitude or longitude is impossible");
  if (h.grid && (std::abs(h.grid->x()) > 5e7 || std::abs(h.grid->y()) > 5e7))
    bad("the grid coordinates are impossible");
  for (const auto &height : {h.height, h.grid ? std::optional(h.grid->z()) : std::nullopt,
                             h.geodetic_deg ? std::optional(h.geodetic_deg->z()) : std::nullopt})
    if (height && (*height < -600 || *height > 9000)) bad("the height is impossible");
  if (h.sd_enu && (h.sd_enu->minCoeff() < 0 || h.sd_enu->maxCoeff() > 100)) bad("a standard deviation is impossible");
  if (h.sd_height && (*h.sd_height < 0 || *h.sd_height > 100)) bad("a standard deviation is impossible");
  if (h.velocity && h.velocity->norm() > 0.9) bad("a velocity is impossible: it is in metres per year");
}

/// What one decision changes. Throws when its value has not the form that its verb asks for.
void apply(JobState &s, const Decision &d) {
  if (d.verb == "set" && (d.target == "job" || d.target == "solve" || d.target == "limit" || d.target == "weight" ||
                          d.target == "levels" || d.target == "traverse")) {
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

bool is_vector_setting(std::string_view name) {
  for (std::string_view n : {"mask", "interval", "systems", "frequencies", "correlation", "ionosphere", "ratio"})
    if (n == name) return true;
  return false;
}

JobSettings settings_of_vector(const JobState &s, const std::string &vector) {
  JobSettings out = s.settings;
  if (const auto it = s.vector_settings.find(vector); it != s.vector_settings.end())
    for (const auto &[name, v] : it->second) apply_setting(out, name, v.value);
  return out;
}

const std::vector<SettingInfo> &setting_catalogue() {
  using K = SettingInfo::Kind;
  static const std::vector<SettingInfo> all{
      {"job", "title", "Title", "", "The name of the job, printed on every sheet.", K::text},
      {"job", "crs", "Grid", "",
       "The projected system in which control is issued, by its code in the EPSG register; local:47.1:9.3:450 is a "
       "plane "
       "of the site's own (rough latitude, longitude and height); empty is a job of heights alone.",
       K::text},
      {"job", "realisation", "Realisation", "",
       "The frame that the grid's datum stands for (ETRF2000, ITRF2020 …); empty takes the usual one.", K::text},
      {"job", "vertical", "Heights", "",
       "The vertical system of physical heights, by its code; empty issues ellipsoidal heights only.", K::text},
      {"job", "epoch", "Epoch", "year", "The date to which the issued coordinates refer, as a decimal year.", K::number,
       1980, 2100},
      {"job", "transformation", "Worst transformation", "mm",
       "A change of frame less accurate than this is refused for control.", K::number, 1, 1000},
      {"job", "times", "Times", "",
       "How times are shown: GPS time, local time of the zone below, or GPS time with the day of the year.", K::choice,
       0, 0, "gps|local|day of year"},
      {"job", "zone", "Time zone", "h", "Local time is this many hours ahead of UTC (summer time included).", K::number,
       -12, 14},
      {"solve", "mask", "Elevation mask", "°", "Satellites below this elevation are not used.", K::number, 5, 40},
      {"solve", "interval", "Interval", "s", "Epochs used in a static solution; those in between serve slip detection.",
       K::number, 1, 120},
      {"solve", "orbits", "Orbits", "", "Broadcast or precise orbits; precise ones must cover the sessions.", K::choice,
       0, 0, "broadcast|precise"},
      {"solve", "systems", "Systems", "",
       "Letters of the satellite systems in use: G GPS, R GLONASS, E Galileo, C BeiDou, J QZSS.", K::text},
      {"solve", "frequencies", "Frequencies", "", "At most this many carriers of each satellite are used.", K::number,
       1, 3},
      {"solve", "correlation", "Multipath memory", "s",
       "Time over which reflections at the antenna stay alike; longer makes printed accuracies more cautious.",
       K::number, 30, 1800},
      {"solve", "ionosphere", "Ionosphere", "ppm",
       "How much the ionosphere may differ between the ends of a vector, per length.", K::number, 0.5, 20},
      {"solve", "known-ionosphere", "Known ionosphere", "",
       "Taken off before the rest is estimated: maps (IONEX) where the job holds them, the broadcast model, or none.",
       K::choice, 0, 0, "maps|broadcast|none"},
      {"solve", "sessions", "Sessions", "",
       "Together: all receivers of a session in one solution that closes exactly and knows what its vectors share. One "
       "by one: n − 1 vectors, each by itself.",
       K::choice, 0, 0, "together|one by one"},
      {"limit", "ratio", "Ratio", "",
       "Second-best over best set of integers; below this a fixed vector is questioned (3 is common practice). "
       "Integers "
       "are accepted by their failure rate, 1 in 10 000.",
       K::number, 1, 100},
      {"limit", "rms", "Rms", "mm", "Phase residuals above this raise a doubt about the vector.", K::number, 1, 100},
      {"limit", "overlap", "Overlap", "min", "A shorter common time raises a doubt about the vector.", K::number, 1,
       600},
      {"limit", "loop", "Loop", "mm",
       "A loop of vectors may miss by this much, and by the next per length, before it raises a doubt.", K::number, 0,
       1000},
      {"limit", "loop-ppm", "Loop, per length", "ppm", "The part of the loop limit that grows with its length.",
       K::number, 0, 100},
      {"limit", "level-limit", "Levelling", "mm/√km",
       "A levelled line may miss by this much times the root of its length in kilometres (FGCC 1984: 4, 5, 6, 8, 12).",
       K::number, 0, 100},
      {"limit", "level-limit-setup", "Levelling, per set-up", "mm/√n",
       "The same by the root of the number of set-ups; the larger of the two counts, 0 switches it off.", K::number, 0,
       50},
      {"limit", "level-order", "Levelling, order", "",
       "An order of a published standard (FGCC 1984) in place of own limits, for lines and for sections run both ways.",
       K::choice, 0, 0,
       "own|first order, class I|first order, class II|second order, class I|second order, class II|third order"},
      {"limit", "level-section-limit", "Levelling, fore and back", "mm/√km",
       "A section run both ways may differ by this much times the root of its length in kilometres.", K::number, 0.1,
       100},
      {"limit", "asked-plan", "Asked: plan", "mm",
       "The 95 % accuracy in plan that is asked of every mark, groups of the sheet Issue apart; 0: none. Classes of "
       "FGDC-STD-007.2: 1, 2, 5 mm, 1, 2, 5 cm, 1, 2, 5 dm.",
       K::number, 0, 10000},
      {"limit", "asked-height", "Asked: height", "mm",
       "The same of the height that is issued: the physical one where there is a geoid; 0: none.", K::number, 0, 10000},
      {"limit", "asked-of", "Asked: of what", "",
       "Network: with respect to the datum, held marks' published uncertainty and the geoid's included. Local: with "
       "respect to the connected marks, heights ellipsoidal.",
       K::choice, 0, 0, "network|local"},
      {"weight", "level-sd", "Levelling", "mm/√km", "Standard error of a kilometre of a single run.", K::number, 0.05,
       50},
      {"weight", "level-sd-setup", "Levelling, per set-up", "mm",
       "Standard error of one set-up, in place of that of a kilometre; 0: not used.", K::number, 0, 10},
      {"levels", "distribution", "Distribution", "", "How a misclosure is shared between known marks.", K::choice, 0, 0,
       "distance|setups|none"},
      {"levels", "collimation", "Line of sight", "mm/m",
       "Slope of the line of sight from a two-peg test, upwards positive; corrects unbalanced set-ups.", K::number, -1,
       1},
      {"levels", "curvature", "Curvature", "", "Take off the Earth's curvature and refraction of every sight.",
       K::choice, 0, 0, "no|yes"},
      {"levels", "refraction", "Refraction", "", "Coefficient of refraction that goes with it.", K::number, -2, 2},
      {"levels", "staff-scale", "Staff scale", "ppm",
       "What a metre of the staff is longer than a metre, from its certificate.", K::number, -1000, 1000},
      {"levels", "staff-expansion", "Staff expansion", "ppm/K",
       "How much a staff grows by warmth; invar about 0.8 (common practice), 0 leaves it out.", K::number, 0, 50},
      {"levels", "staff-temperature", "Staff temperature", "°C",
       "Of the staffs while measuring, where a line does not say it itself; certificates hold at 20 °C.", K::number,
       -40, 60},
      {"levels", "height-correction", "Height system", "",
       "Reduce levelled differences to the type of the height system below, where latitudes are known.", K::choice, 0,
       0, "yes|no"},
      {"levels", "height-type", "Type of heights", "",
       "What heights count. All but normal-orthometric ones (and dynamic ones, roughly) need gravity measured at marks "
       "of the line; where none is given, normal gravity stands in.",
       K::choice, 0, 0, "normal-orthometric|normal|orthometric|dynamic"},
      {"weight", "centring", "Centring", "mm", "Standard deviation of the centring of a set-up, each direction.",
       K::number, 0.1, 50},
      {"weight", "height", "Antenna height", "mm", "Standard deviation of a measured antenna height.", K::number, 0.1,
       50},
      {"weight", "direction", "Directions", "″",
       "Standard deviation of a direction from both faces in one set, of instruments without a card.", K::number, 0.1,
       60},
      {"weight", "zenith", "Zenith angles", "″", "The same of a zenith angle.", K::number, 0.1, 60},
      {"weight", "distance", "Distances", "mm", "Constant part of the standard deviation of a measured distance.",
       K::number, 0.1, 50},
      {"weight", "distance-ppm", "Distances, per length", "ppm", "The part that grows with length.", K::number, 0, 50},
      {"weight", "pointing", "Pointing", "mm",
       "How well a target is met across the line of sight; what counts on short sights.", K::number, 0, 10},
      {"weight", "station-centring", "Station centring", "mm",
       "Standard deviation of the centring of a total station, each direction.", K::number, 0, 50},
      {"weight", "target-centring", "Target centring", "mm", "The same of a target.", K::number, 0, 50},
      {"weight", "station-height", "Instrument and target height", "mm",
       "Standard deviation of a measured instrument or target height.", K::number, 0, 50},
      {"traverse", "k", "Refraction of sights", "",
       "Coefficient of refraction that a set-up starts from; its own is an unknown of the network.", K::number, -2, 3},
      {"weight", "k-sd", "Refraction of sights", "",
       "How far the coefficient of a set-up may be from that (common practice: 0.1 to 0.2).", K::number, 0.001, 2},
      {"weight", "deflection", "Plumb line", "″",
       "Standard deviation of the deflection of the vertical that the geoid's grid gives (mountains: 10).", K::number,
       0.01, 60},
      {"weight", "edm-scale", "Scale of distances", "ppm",
       "How far the scale of an instrument's distances may be off; above 0 it is an unknown of the network.", K::number,
       0, 50},
      {"weight", "edm-constant", "Constant of distances", "mm", "The same of the constant of instrument and prism.",
       K::number, 0, 50},
      {"traverse", "air", "Air", "",
       "Whether the distances in the books carry the correction for the booked pressure and temperature already. A "
       "book "
       "that states its ppm settles it.",
       K::choice, 0, 0, "applied by the instrument|to be applied"},
      {"traverse", "reduce-to", "Traverse in", "",
       "Grid: lengths carry the scale factor, directions the arc-to-chord correction. Ground: horizontal lengths as "
       "they are, at the height of each leg.",
       K::choice, 0, 0, "grid|ground"},
      {"traverse", "angles", "Angular share", "", "How an angular misclosure is shared out before coordinates.",
       K::choice, 0, 0, "equal|inverse to length|none"},
      {"traverse", "balance", "Balance", "", "The balance that a traverse's provisional coordinates take.", K::choice,
       0, 0, "none|compass rule|transit rule|Crandall|least squares"},
      {"traverse", "heights", "Height share", "", "How a height misclosure is shared out.", K::choice, 0, 0,
       "length|equal|none"},
      {"limit", "spread-direction", "Spread of directions", "″",
       "Largest less smallest direction of the sets; 0: derived from the instrument, pointing and length.", K::number,
       0, 600},
      {"limit", "spread-zenith", "Spread of zenith angles", "″", "The same of zenith angles; 0: derived.", K::number, 0,
       600},
      {"limit", "spread-distance", "Spread of distances", "mm", "The same of distances; 0: derived.", K::number, 0,
       100},
      {"limit", "traverse-order", "Traverse", "",
       "What a traverse may miss: propagated from the standards of its observations, own limits below, or a class of a "
       "published standard (FGCC 1984).",
       K::choice, 0, 0,
       "propagated|own|first order|second order, class I|second order, class II|third order, class I|third order, "
       "class II"},
      {"limit", "traverse-angle", "Traverse, angles", "″/√n",
       "Own limit of an angular misclosure: this much times the root of the number of angles.", K::number, 0.1, 600},
      {"limit", "traverse-ratio", "Traverse, length", "1 : n", "Own limit of a linear misclosure against the length.",
       K::number, 100, 1000000},
      {"limit", "known-mark", "Known mark", "mm",
       "What a known mark may come out elsewhere from a set-up; 0: derived from its accuracy and the sight's.",
       K::number, 0, 1000},
      {"job", "mode", "Datum", "",
       "Held: marks as said. Minimal: only one held mark per group. Free: no mark is favoured.", K::choice, 0, 0,
       "held|minimal|free"},
  };
  return all;
}

std::string setting_text(const JobSettings &s, const std::string &n) {
  if (n == "title") return s.title;
  if (n == "crs") return s.datum.crs;
  if (n == "realisation") return s.datum.realisation;
  if (n == "vertical") return s.datum.vertical;
  if (n == "epoch") return fmt::format("{:.2f}", s.datum.epoch);
  if (n == "mask") return fmt::format("{:g}", s.mask_deg);
  if (n == "interval") return fmt::format("{:g}", s.interval_s);
  if (n == "orbits") return s.orbits;
  if (n == "systems") return s.systems;
  if (n == "frequencies") return fmt::format("{:g}", s.frequencies);
  if (n == "correlation") return fmt::format("{:g}", s.correlation_s);
  if (n == "known-ionosphere") return s.known_ionosphere;
  if (n == "sessions") return s.together ? "together" : "one by one";
  if (n == "loop") return fmt::format("{:g}", s.loop_mm);
  if (n == "loop-ppm") return fmt::format("{:g}", s.loop_ppm);
  if (n == "ionosphere") return fmt::format("{:g}", s.ionosphere_ppm);
  if (n == "ratio") return fmt::format("{:g}", s.ratio_limit);
  if (n == "rms") return fmt::format("{:g}", s.rms_limit_m * 1000);
  if (n == "overlap") return fmt::format("{:g}", s.min_overlap_min);
  if (n == "centring") return fmt::format("{:g}", s.centring_sd_m * 1000);
  if (n == "height") return fmt::format("{:g}", s.height_sd_m * 1000);
  if (n == "transformation") return fmt::format("{:g}", s.worst_transformation_m * 1000);
  if (n == "asked-plan") return fmt::format("{:g}", s.asked.plan * 1000);
  if (n == "asked-height") return fmt::format("{:g}", s.asked.height * 1000);
  if (n == "asked-of") return s.asked.local ? "local" : "network";
  if (n == "times")
    return s.times.kind == TimeStyle::Kind::local         ? "local"
           : s.times.kind == TimeStyle::Kind::day_of_year ? "day of year"
                                                          : "gps";
  if (n == "zone") return fmt::format("{:g}", s.times.zone_h);
  const LevelSettings &l = s.levels;
  if (n == "level-limit") return fmt::format("{:g}", l.limit_mm_km);
  if (n == "level-limit-setup") return fmt::format("{:g}", l.limit_mm_setup);
  if (n == "level-order") return l.order;
  if (n == "level-section-limit") return fmt::format("{:g}", l.section_mm_km);
  if (n == "height-type") return height_type_name(l.height_type);
  if (n == "level-sd") return fmt::format("{:g}", l.sd_mm_km);
  if (n == "level-sd-setup") return fmt::format("{:g}", l.sd_mm_setup);
  if (n == "distribution") return distribution_name(l.distribution);
  if (n == "collimation") return fmt::format("{:g}", l.collimation_mm_m);
  if (n == "curvature") return l.curvature ? "yes" : "no";
  if (n == "refraction") return fmt::format("{:g}", l.refraction);
  if (n == "staff-scale") return fmt::format("{:g}", l.staff_ppm);
  if (n == "staff-expansion") return fmt::format("{:g}", l.staff_expansion);
  if (n == "staff-temperature") return fmt::format("{:g}", l.staff_temperature);
  if (n == "height-correction") return l.height_correction ? "yes" : "no";
  if (n == "mode") return datum_mode_name(s.mode);
  return traverse_setting_text(s.traverse, n);
}

json setting_value(const std::string &name, const std::string &text) {
  for (const SettingInfo &i : setting_catalogue()) {
    if (i.name != name) continue;
    const std::string t(trimmed(text));
    if (i.kind == SettingInfo::Kind::text) {
      if (name == "systems") {
        std::string letters;
        for (char c : t)
          if (c != ' ' && c != ',') letters += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
        if (letters.empty() || letters.find_first_not_of(solved_systems) != std::string::npos)
          throw InputError("systems are letters out of G R E C J");
        return letters;
      }
      if (name == "crs" && !t.empty()) Projection check(t);
      if (name == "vertical" && !t.empty()) vertical_name(t);
      check_name(t, i.label);
      if (name == "realisation" && !t.empty() && !frame_by_name(t))
        throw InputError("\"" + t + "\" names no frame realisation that is known");
      return t;
    }
    if (i.kind == SettingInfo::Kind::choice) {
      for (auto c : split(i.choices, '|'))
        if (c == t) return t;
      throw InputError(fmt::format("{} must be one of {}", i.label, i.choices));
    }
    const auto v = parse_number(t);
    if (!v || *v < i.least || *v > i.most)
      throw InputError(fmt::format("{} must be a number between {:g} and {:g} {}", i.label, i.least, i.most, i.unit));
    return *v;
  }
  throw InputError("there is no setting called \"" + name + "\"");
}

} // namespace ampletie
