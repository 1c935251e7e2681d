#include "results/setups.h"
#include "base/angle.h"
#include "base/hash.h"
#include "formats/landxml_survey.h"
#include "traverse/distance.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {

const TargetSight *ReducedSetup::find(const std::string &target) const {
  for (const TargetSight &s : sights)
    if (s.mean.target == target) return &s;
  return nullptr;
}
const ReducedSetup *JobSetups::find(const std::string &id) const {
  for (const auto &s : setups)
    if (s->setup.id == id) return s.get();
  return nullptr;
}

const JobSetups::Source *JobSetups::source(const std::string &id) const {
  for (const Source &s : sources)
    if (s.head.source_id == id) return &s;
  return nullptr;
}

StationSetup decided_setup(const StationSetup &booked, const JobState &state) {
  StationSetup s = booked;
  const auto found = state.setups.find(s.id);
  const SetupEdits none, &e = found == state.setups.end() ? none : found->second;
  if (e.mark.value) s.mark = *e.mark.value;
  s.mark = state.mark_name(s.mark);
  if (e.instrument.value) s.instrument = *e.instrument.value;
  if (e.instrument_height.value) s.instrument_height = *e.instrument_height.value;
  s.east = e.east.value.value_or(0), s.north = e.north.value.value_or(0);
  if (e.pressure.value || e.temperature.value) {
    Air air = s.air.value_or(Air{});
    if (e.pressure.value) air.pressure_hpa = *e.pressure.value;
    if (e.temperature.value) air.temperature_c = *e.temperature.value;
    s.air = air;
  }
  for (Pointing &p : s.pointings) {
    if (const auto t = e.targets.find(p.booked); t != e.targets.end()) {
      const SetupEdits::Target &x = t->second;
      if (x.mark.value) p.target = *x.mark.value;
      if (x.height.value) p.target_height = *x.height.value;
      if (x.constant.value) p.prism_constant = *x.constant.value;
      if (x.kind.value)
        p.kind = *x.kind.value == "orientation" ? PointingKind::orientation
                 : *x.kind.value == "control"   ? PointingKind::control
                                                : PointingKind::detail;
    }
    if (!state.pointings.empty())
      if (const auto own = state.pointings.find(p.id); own != state.pointings.end()) {
        if (own->second.mark.value) p.target = *own->second.mark.value;
        if (own->second.height.value) p.target_height = *own->second.height.value;
        if (own->second.constant.value) p.prism_constant = *own->second.constant.value;
      }
    p.target = state.mark_name(p.target);
    if (const auto left = state.left_out.find(p.id); left != state.left_out.end())
      p.used = false, p.left_out_because = left->second.reason;
    else if (state.taken_up.count(p.id))
      p.used = true, p.left_out_because.clear();
  }
  return s;
}

namespace {

/// Zenith angle, slope distance and height difference from what a reduced observation gives of them.
void derive(TargetSight &o, const StationSetup &s, const InstrumentStandard &standard,
            const TraverseSettings &settings) {
  TargetMean &t = o.mean;
  if (!std::isfinite(t.horizontal) && !std::isfinite(t.rise)) return;
  const double level = s.instrument_height - t.target_height; // from what was sighted to the mark
  const auto bend = [&](double flat) { return (1 - settings.k) * flat * flat / (2 * sphere_radius); };
  if (!std::isfinite(o.slope) && std::isfinite(t.horizontal)) {
    const double flat = t.horizontal + t.prism_constant;
    if (!std::isfinite(t.zenith)) {
      o.zenith_derived = true;
      o.flat = !std::isfinite(t.rise);
      t.zenith = o.flat ? pi / 2 : std::atan2(flat, t.rise - level - bend(flat));
      t.zenith_sd = t.rise_sd > 0 ? t.rise_sd / flat : standard.zenith_sd(std::max(1.0, flat));
    }
    o.slope_derived = true;
    o.slope = flat / std::sin(t.zenith);
    o.slope_sd = std::hypot(t.horizontal_sd, standard.target_centring);
  } else if (std::isfinite(o.slope) && !std::isfinite(t.zenith) && std::isfinite(t.rise)) {
    const double up = t.rise - level;
    double cosine = 0;
    for (int i = 0; i < 4; ++i) cosine = (up - bend(o.slope * std::sqrt(std::max(0.0, 1 - cosine * cosine)))) / o.slope;
    if (std::abs(cosine) < 1) {
      o.zenith_derived = true;
      t.zenith = std::acos(cosine);
      t.zenith_sd = t.rise_sd > 0 ? t.rise_sd / o.slope : standard.zenith_sd(std::max(1.0, o.slope));
    }
  }
  if (std::isfinite(o.slope) && std::isfinite(t.zenith)) o.horizontal = o.slope * std::sin(t.zenith);
  if (std::isfinite(t.rise) && (o.zenith_derived || !std::isfinite(t.zenith)))
    o.rise = t.rise;
  else if (std::isfinite(o.slope) && std::isfinite(t.zenith) && !o.flat)
    o.rise = trigonometric_height({t.zenith, s.instrument_height, t.target_height}, o.slope, settings.k);
  if (std::isfinite(o.rise)) {
    const double flat = std::isfinite(o.horizontal) ? o.horizontal : 0;
    const double own = t.rise_sd > 0 ? t.rise_sd : t.zenith_sd * flat;
    const double bent = settings.k_sd * flat * flat / (2 * sphere_radius);
    o.rise_sd = std::sqrt(own * own + bent * bent + 2 * std::pow(standard.height, 2));
  }
}

} // namespace

ReducedSetup reduce_setup(StationSetup setup, const std::optional<Air> &booked_air, const InstrumentStandard &standard,
                          const TraverseSettings &settings) {
  ReducedSetup out;
  out.setup = std::move(setup);
  out.standard = standard;
  out.booked_air = booked_air;
  const StationSetup &s = out.setup;
  out.reduced = reduce_sets(s, standard);
  // What the instrument has put in for the air, and what it should have been.
  const double applied = s.applied_ppm != 0 ? s.applied_ppm
                         : settings.air_applied && booked_air.has_value()
                             ? first_velocity_ppm(standard.edm, *booked_air)
                             : 0;
  const double wanted = s.air ? first_velocity_ppm(standard.edm, *s.air) : applied;
  if (const double more = wanted - applied; std::abs(more) > 0.005)
    out.remarks.push_back(
        fmt::format("distances {:+.2f} ppm for the air: {:g} hPa and {:g} °C ask for {:+.2f} ppm, the "
                    "instrument had put in {:+.2f} ppm",
                    more, s.air->pressure_hpa, s.air->temperature_c, wanted, applied));
  if (s.east != 0 || s.north != 0)
    out.remarks.push_back(fmt::format(
        "the instrument stood {:+.3f} m east and {:+.3f} m north of {}: centred to the mark", s.east, s.north, s.mark));
  if (standard.edm.scale_ppm != 0 || standard.edm.constant_m != 0)
    out.remarks.push_back(fmt::format("distances {:+.2f} ppm and {:+.2f} mm by the card of {}", standard.edm.scale_ppm,
                                      1000 * standard.edm.constant_m, s.instrument));
  if (standard.gyro.constant != 0 &&
      std::any_of(out.reduced.targets.begin(), out.reduced.targets.end(),
                  [](const auto &t) { return std::isfinite(t.azimuth) && !t.grid_bearing; }))
    out.remarks.push_back(
        fmt::format("azimuths {:+.1f}″ by the card of {}", standard.gyro.constant / rad_per_arcsec, s.instrument));
  for (TargetMean &t : out.reduced.targets) {
    // Plain numbers, where the job wants them, in place of limits that follow from the standard.
    if (settings.spread_direction_s > 0) t.direction_limit = settings.spread_direction_s * rad_per_arcsec;
    if (settings.spread_zenith_s > 0) t.zenith_limit = settings.spread_zenith_s * rad_per_arcsec;
    if (settings.spread_distance > 0) t.slope_limit = settings.spread_distance;
    TargetSight o;
    o.id = content_id("q", s.id + "|" + t.target);
    o.mean = t;
    o.air_ppm = wanted - applied;
    const double read = std::isfinite(t.slope) ? t.slope : t.horizontal;
    const double length = std::isfinite(read) ? std::max(1.0, read) : 100;
    o.direction_sd = std::hypot(t.direction_sd, standard.target_centring / length);
    if (std::isfinite(t.slope)) {
      o.slope =
          (t.slope + t.prism_constant + standard.edm.constant_m) * (1 + 1e-6 * (o.air_ppm + standard.edm.scale_ppm));
      o.slope_sd = std::hypot(t.slope_sd, standard.target_centring);
    }
    if (std::isfinite(t.zenith) && std::isfinite(t.rise))
      out.remarks.push_back("the height difference to " + t.target + " is not used: its zenith angle says the same");
    derive(o, s, standard, settings);
    if (std::isfinite(t.zenith) && std::isfinite(o.slope) && !o.slope_derived) {
      o.horizontal = o.slope * std::sin(t.zenith);
      o.rise = trigonometric_height({t.zenith, s.instrument_height, t.target_height}, o.slope, settings.k);
      const double bend = settings.k_sd * o.horizontal * o.horizontal / (2 * sphere_radius);
      o.rise_sd = std::sqrt(std::pow(t.zenith_sd * o.horizontal, 2) + bend * bend +
                            std::pow(std::cos(t.zenith) * t.slope_sd, 2) + 2 * std::pow(standard.height, 2));
    }
    out.sights.push_back(std::move(o));
  }
  // Azimuths alone are directions of a circle that was turned to north.
  if (std::none_of(out.sights.begin(), out.sights.end(),
                   [](const TargetSight &o) { return std::isfinite(o.mean.direction); })) {
    double first = NAN;
    for (TargetSight &o : out.sights) {
      if (!std::isfinite(o.mean.azimuth)) continue;
      if (!std::isfinite(first)) first = o.mean.azimuth;
      o.mean.direction = positive_angle(o.mean.azimuth - first), o.direction_derived = true;
      o.direction_sd = std::hypot(o.direction_sd, o.mean.azimuth_sd);
    }
  }
  return out;
}

namespace {
/// A file as a recipe reads it, or as LandXML (null); read once.
std::shared_ptr<const FieldSource> field_source(const SourceContent &c, const Recipe *recipe, SetupReadings &readings) {
  auto &kept = readings.read[c.source.id + (recipe ? write_recipe(*recipe) : "LandXML")];
  if (kept) return kept;
  Recipe used;
  used.name = "LandXML", used.reads = "pointings";
  if (recipe) used = *recipe;
  auto f = std::make_shared<FieldSource>();
  FieldBook b = recipe ? read_field_book(used, source_text(c), c.source.id)
                       : build_field_book(read_landxml_survey(source_text(c)), c.source.id);
  f->source_id = c.source.id, f->name = c.source.name, f->recipe = used.name;
  f->used = std::make_shared<Recipe>(std::move(used));
  f->telling = b.reading.telling;
  f->unread = b.reading.unread, f->unit_conflict = b.reading.unit_conflict;
  f->first_unread_line = b.reading.first_unread.line, f->first_unread_why = b.reading.first_unread.why;
  f->setups = std::move(b.setups), f->troubles = std::move(b.troubles);
  f->places = std::move(b.places), f->closures = std::move(b.closures);
  for (const StationSetup &s : f->setups)
    for (const Pointing &p : s.pointings) f->owner[p.id] = s.id;
  return kept = f;
}
} // namespace

namespace {
void read_sources(const Contents &contents, const JobState &state, SetupReadings &readings, JobSetups &out) {
  RecipeChooser chooser(contents, state, "pointings", readings.best);
  for (const auto &c : contents) {
    if (c.source.kind != "pointings") continue;
    const bool xml = looks_like_landxml_survey(source_text(c));
    RecipeChooser::Choice choice;
    if (xml)
      choice.score = 1;
    else
      choice = chooser.choose(c);
    const auto read = field_source(c, xml ? nullptr : &choice.recipe, readings);
    JobSetups::Source source{*read, read};
    source.head.score = choice.score;
    source.head.seen = state.seen.count(c.source.id) > 0;
    if (choice.otherwise) {
      source.head.otherwise = field_source(c, &*choice.otherwise, readings)->telling;
      source.head.otherwise_recipe = choice.otherwise->name;
    }
    if (const auto left = state.left_out.find(c.source.id); left != state.left_out.end())
      source.used = false, source.left_out_because = left->second.reason;
    out.sources.push_back(std::move(source));
  }
  // Books in the order of their days, then of their names.
  std::sort(out.sources.begin(), out.sources.end(), [](const auto &a, const auto &b) {
    const auto day = [](const auto &s) { return s.file->setups.empty() ? std::string() : s.file->setups[0].day; };
    return std::tuple(day(a), a.file->name, a.file->source_id) < std::tuple(day(b), b.file->name, b.file->source_id);
  });
}

/// Set-ups that decisions about single pointings touch, with what tells those decisions from others.
std::map<std::string, std::string> touched_setups(const JobSetups &out, const JobState &state) {
  std::map<std::string, std::string> touched;
  const auto touch = [&](const std::string &item, long decision) {
    if (item.rfind("p-", 0) != 0) return;
    for (const auto &source : out.sources)
      if (const auto o = source.file->owner.find(item); o != source.file->owner.end())
        touched[o->second] += item + fmt::format(" {};", decision);
  };
  for (const auto &[item, r] : state.left_out) touch(item, r.decision);
  for (const auto &[item, seq] : state.taken_up) touch(item, seq);
  for (const auto &[item, e] : state.pointings)
    touch(item, std::max({e.mark.decision, e.height.decision, e.constant.decision}));
  return touched;
}

/// What is said of a set-up as a whole: what it was made of, for the key of its reduction.
std::string edits_key(const SetupEdits &x) {
  std::string key =
      fmt::format("|{} {} {} {} {} {} {}", x.mark.decision, x.instrument.decision, x.instrument_height.decision,
                  x.pressure.decision, x.temperature.decision, x.east.decision, x.north.decision);
  for (const auto &[name, t] : x.targets)
    key +=
        fmt::format("|{} {} {} {} {}", name, t.mark.decision, t.kind.decision, t.height.decision, t.constant.decision);
  return key;
}

/// Of everything that all reductions read.
std::string common_key(const JobState &state) {
  const TraverseSettings &set = state.settings.traverse;
  std::string common = fmt::format("{:g} {:g} {:g} {:g} {:g} {}", set.k, set.k_sd, set.spread_direction_s,
                                   set.spread_zenith_s, set.spread_distance, set.air_applied);
  for (const auto &[name, same] : state.same_marks) common += "|" + name + "=" + same.value;
  return common;
}

/// What instruments measure to, each worked out once, with a key.
class Standards {
public:
  explicit Standards(const JobState &state) : state_(state) {}
  const std::pair<InstrumentStandard, std::string> &of(const std::string &instrument) {
    const auto [standard, fresh] = known_.try_emplace(instrument);
    if (fresh) {
      const InstrumentStandard i = instrument_standard(state_, instrument);
      standard->second = {
          i, fmt::format("{:g} {:g} {:g} {:g} {:g} {:g} {:g} {:g} {:g} {:g} {:g} {:g} {:g} {:g} {} {:g}", i.direction,
                         i.zenith, i.distance, i.distance_ppm, i.pointing, i.centring, i.target_centring, i.height,
                         i.edm.wavelength_um, i.edm.reference.pressure_hpa, i.edm.reference.temperature_c,
                         i.edm.scale_ppm, i.edm.constant_m, i.gyro.sd, i.gyro.constant, i.gyro.constant_sd)};
    }
    return standard->second;
  }

private:
  const JobState &state_;
  std::map<std::string, std::pair<InstrumentStandard, std::string>> known_;
};
} // namespace

JobSetups job_setups(const Contents &contents, const JobState &state, SetupReadings &readings) {
  JobSetups out;
  if (std::none_of(contents.begin(), contents.end(), [](const auto &c) { return c.source.kind == "pointings"; }))
    return out;
  read_sources(contents, state, readings, out);
  const auto touched = touched_setups(out, state);
  const std::string common = common_key(state);
  Standards standards(state);
  std::set<std::string> present;
  for (const auto &source : out.sources) {
    if (source.blocked()) continue;
    for (const StationSetup &booked : source.file->setups) {
      std::string key = common;
      std::string instrument = booked.instrument;
      if (const auto e = state.setups.find(booked.id); e != state.setups.end()) {
        if (e->second.instrument.value) instrument = *e->second.instrument.value;
        key += edits_key(e->second);
      }
      if (const auto t = touched.find(booked.id); t != touched.end()) key += "|" + t->second;
      const auto &[standard, standard_key] = standards.of(instrument);
      key += "|" + standard_key;
      const auto left = state.left_out.find(booked.id);
      if (left != state.left_out.end()) key += fmt::format("|out {}", left->second.decision);
      auto &kept = readings.reduced[booked.id];
      if (!kept || kept->key != key) {
        auto r = std::make_shared<ReducedSetup>(
            reduce_setup(decided_setup(booked, state), booked.air, standard, state.settings.traverse));
        r->key = key;
        if (left != state.left_out.end()) r->used = false, r->left_out_because = left->second.reason;
        kept = r;
      }
      present.insert(booked.id);
      out.setups.push_back(kept);
      out.key += booked.id + key;
    }
  }
  std::erase_if(readings.reduced, [&](const auto &r) { return !present.count(r.first); });
  for (const auto &source : out.sources)
    if (!source.used) out.key += "|" + source.head.source_id;
  out.key = sha256_hex(out.key);
  return out;
}

} // namespace ampletie
