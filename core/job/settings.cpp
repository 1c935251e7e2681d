#include "job/settings.h"
#include "base/error.h"
#include "base/text.h"
#include "base/utf8.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::json;

struct JobNumber {
  const char *name;
  double &(*at)(JobSettings &);
  double unit; ///< of the value shown
};
constexpr JobNumber job_numbers[] = {
    {"epoch", [](JobSettings &s) -> double & { return s.datum.epoch; }, 1},
    {"mask", [](JobSettings &s) -> double & { return s.mask_deg; }, 1},
    {"interval", [](JobSettings &s) -> double & { return s.interval_s; }, 1},
    {"frequencies", [](JobSettings &s) -> double & { return s.frequencies; }, 1},
    {"correlation", [](JobSettings &s) -> double & { return s.correlation_s; }, 1},
    {"ionosphere", [](JobSettings &s) -> double & { return s.ionosphere_ppm; }, 1},
    {"loop", [](JobSettings &s) -> double & { return s.loop_mm; }, 1},
    {"loop-ppm", [](JobSettings &s) -> double & { return s.loop_ppm; }, 1},
    {"ratio", [](JobSettings &s) -> double & { return s.ratio_limit; }, 1},
    {"rms", [](JobSettings &s) -> double & { return s.rms_limit_m; }, 1e-3},
    {"overlap", [](JobSettings &s) -> double & { return s.min_overlap_min; }, 1},
    {"centring", [](JobSettings &s) -> double & { return s.centring_sd_m; }, 1e-3},
    {"height", [](JobSettings &s) -> double & { return s.height_sd_m; }, 1e-3},
    {"transformation", [](JobSettings &s) -> double & { return s.worst_transformation_m; }, 1e-3},
    {"asked-plan", [](JobSettings &s) -> double & { return s.asked.plan; }, 1e-3},
    {"asked-height", [](JobSettings &s) -> double & { return s.asked.height; }, 1e-3},
    {"zone", [](JobSettings &s) -> double & { return s.times.zone_h; }, 1},
    {"level-limit", [](JobSettings &s) -> double & { return s.levels.limit_mm_km; }, 1},
    {"level-limit-setup", [](JobSettings &s) -> double & { return s.levels.limit_mm_setup; }, 1},
    {"level-section-limit", [](JobSettings &s) -> double & { return s.levels.section_mm_km; }, 1},
    {"level-sd", [](JobSettings &s) -> double & { return s.levels.sd_mm_km; }, 1},
    {"level-sd-setup", [](JobSettings &s) -> double & { return s.levels.sd_mm_setup; }, 1},
    {"collimation", [](JobSettings &s) -> double & { return s.levels.collimation_mm_m; }, 1},
    {"refraction", [](JobSettings &s) -> double & { return s.levels.refraction; }, 1},
    {"staff-scale", [](JobSettings &s) -> double & { return s.levels.staff_ppm; }, 1},
    {"staff-expansion", [](JobSettings &s) -> double & { return s.levels.staff_expansion; }, 1},
    {"staff-temperature", [](JobSettings &s) -> double & { return s.levels.staff_temperature; }, 1},
};

const JobNumber *job_number(std::string_view name) {
  for (const JobNumber &n : job_numbers)
    if (n.name == name) return &n;
  return nullptr;
}

} // namespace

void apply_setting(JobSettings &s, const std::string &name, const json &v) {
  if (const JobNumber *n = job_number(name))
    n->at(s) = v.get<double>() * n->unit;
  else if (name == "title")
    s.title = v;
  else if (name == "crs")
    s.datum.crs = v;
  else if (name == "vertical")
    s.datum.vertical = v;
  else if (name == "realisation")
    s.datum.realisation = v;
  else if (name == "orbits")
    s.orbits = v;
  else if (name == "systems")
    s.systems = v;
  else if (name == "known-ionosphere")
    s.known_ionosphere = v;
  else if (name == "sessions")
    s.together = v != "one by one";
  else if (name == "pairs")
    s.all_pairs = v == "all";
  else if (name == "asked-of")
    s.asked.local = v == "local";
  else if (name == "times")
    s.times.kind = v == "local"         ? TimeStyle::Kind::local
                   : v == "day of year" ? TimeStyle::Kind::day_of_year
                                        : TimeStyle::Kind::gps;
  else if (name == "level-order")
    s.levels.order = v;
  else if (name == "height-type")
    s.levels.height_type = height_type_by_name(v);
  else if (name == "distribution")
    s.levels.distribution = v == "none"     ? Distribution::none
                            : v == "setups" ? Distribution::setups
                                            : Distribution::distance;
  else if (name == "curvature")
    s.levels.curvature = v == "yes";
  else if (name == "height-correction")
    s.levels.height_correction = v != "no";
  else if (name == "mode")
    s.mode = v == "free" ? DatumMode::free : v == "minimal" ? DatumMode::minimal : DatumMode::held;
  else if (!apply_traverse_setting(s.traverse, name, v))
    throw InputError("there is no setting called \"" + name + "\"");
}

bool is_setting_group(std::string_view target) {
  const auto &all = setting_catalogue();
  return std::any_of(all.begin(), all.end(), [&](const SettingInfo &i) { return i.target == target; });
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
       "plane of the site's own (rough latitude, longitude and height); empty is a job of heights alone.",
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
      {"solve", "pairs", "Pairs", "",
       "Where a receiver logged with more than fifteen others: as needed (from one base to each, between published "
       "marks "
       "and to the three nearest; the rest follows from these), or all of them.",
       K::choice, 0, 0, "as needed|all"},
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
  if (const JobNumber *number = job_number(n)) {
    JobSettings copy = s;
    return fmt::format(fmt::runtime(n == "epoch" ? "{:.2f}" : "{:g}"), number->at(copy) / number->unit);
  }
  if (n == "title") return s.title;
  if (n == "crs") return s.datum.crs;
  if (n == "realisation") return s.datum.realisation;
  if (n == "vertical") return s.datum.vertical;
  if (n == "orbits") return s.orbits;
  if (n == "systems") return s.systems;
  if (n == "known-ionosphere") return s.known_ionosphere;
  if (n == "sessions") return s.together ? "together" : "one by one";
  if (n == "pairs") return s.all_pairs ? "all" : "as needed";
  if (n == "asked-of") return s.asked.local ? "local" : "network";
  if (n == "times")
    return s.times.kind == TimeStyle::Kind::local         ? "local"
           : s.times.kind == TimeStyle::Kind::day_of_year ? "day of year"
                                                          : "gps";
  const LevelSettings &l = s.levels;
  if (n == "level-order") return l.order;
  if (n == "height-type") return height_type_name(l.height_type);
  if (n == "distribution") return distribution_name(l.distribution);
  if (n == "curvature") return l.curvature ? "yes" : "no";
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
