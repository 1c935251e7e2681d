#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "datum/datum.h"
#include "geodesy/own_grid.h"
#include "job/setting_values.h"
#include "time/gps_time.h"
#include <cmath>

namespace ampletie {
namespace {
#define AT(path)                                                                                                       \
  [](JobSettings & s) -> auto & { return s.path; }

void known_grid(const std::string &code) { Projection check(code); }
void known_heights(const std::string &code) { vertical_name(code); }
void known_frame(const std::string &name) {
  if (!frame_by_name(name)) throw InputError("\"" + name + "\" names no frame realisation that is known");
}

/// A code, or a description that is kept on one line.
SettingValue grid() {
  SettingValue v = setting_values::text(AT(datum.crs), known_grid);
  const auto plain = v.read;
  v.read = [plain](const std::string &t, const SettingInfo &i) {
    const bool typed = looks_like_own_grid(t);
    if (!typed && !is_described(on_one_line(t))) return plain(t, i);
    // Longer than any name may be; what it says is checked by opening it.
    const std::string described = typed ? own_grid_as_proj(t) : on_one_line(t);
    known_grid(described);
    return nlohmann::json(described);
  };
  return v;
}

/// A number of things.
SettingValue whole(SettingValue v) {
  const auto check = [](const nlohmann::json &x, const std::string &what) {
    if (x.get<double>() != std::floor(x.get<double>())) throw InputError(what + " must be a whole number");
    return x;
  };
  v.whole = true;
  v.read = [check, read = v.read](const std::string &t, const SettingInfo &i) { return check(read(t, i), i.label); };
  v.put = [check, put = v.put](JobSettings &s, const nlohmann::json &x) { put(s, check(x, "it")); };
  return v;
}

/// Columns by name; longer than a name may be.
SettingValue issue_list() {
  SettingValue v = setting_values::text(AT(issue.columns));
  v.read = [](const std::string &t, const SettingInfo &) {
    std::string out;
    for (const std::string &name : issue_columns_named(t)) out += (out.empty() ? "" : " ") + name;
    return nlohmann::json(out);
  };
  v.put = [](JobSettings &s, const nlohmann::json &x) {
    issue_columns_named(x.get<std::string>());
    s.issue.columns = x.get<std::string>();
  };
  return v;
}

/// A decimal year, or a date.
SettingValue epoch() {
  SettingValue v = setting_values::number(AT(datum.epoch), 1980, 2100);
  v.text = [](const JobSettings &s) { return fmt::format("{:.2f}", s.datum.epoch); };
  // A job that was made without one keeps none.
  v.put = [](JobSettings &s, const nlohmann::json &x) { s.datum.epoch = x.get<double>(); };
  v.read = [](const std::string &t, const SettingInfo &i) {
    if (const auto date = parse_iso(t)) return nlohmann::json(decimal_year(*date));
    const auto year = parse_number(t);
    if (!year || *year < i.value.least || *year > i.value.most)
      throw InputError("\"" + t + "\" is no date: write 2026-05-12, or a decimal year");
    return nlohmann::json(*year);
  };
  return v;
}

SettingValue plate() {
  std::vector<std::pair<std::string, std::string>> options{{"not said", ""}};
  for (const std::string &name : plate_names()) options.emplace_back(name, name);
  return setting_values::choice(AT(datum.motion.plate), std::move(options));
}

/// Letters of satellite systems, written in any way.
SettingValue systems_in_use() {
  SettingValue v = setting_values::text(AT(systems));
  v.read = [](const std::string &t, const SettingInfo &) {
    std::string letters;
    for (char c : t)
      if (c != ' ' && c != ',') letters += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
    if (letters.empty() || letters.find_first_not_of(solved_systems) != std::string::npos)
      throw InputError("systems are letters out of G R E C J");
    return nlohmann::json(letters);
  };
  return v;
}

} // namespace

// Long because it is the table of all settings, a row each.
const std::vector<SettingInfo> &setting_catalogue() {
  using namespace setting_values;
  using Part = SettingPart;
  static const std::vector<SettingInfo> all{
      {"job", "title", "Title", "", Part::shown, text(AT(title)), "The name of the job, printed on every sheet."},
      {"job", "crs", "Grid", "", Part::datum, grid(),
       "The projected system in which control is issued, by its code in the EPSG register, or described in full (WKT "
       "2, "
       "+proj=…, or typed parameters: transverse-mercator lat=46 lon=15 scale=0.9999 east=500000; also lambert, "
       "oblique-mercator, stereographic, with factor= of a ground grid; then the realisation says which frame it rests "
       "on, where the text does not); local:47.1:9.3:450 is a "
       "plane of the site's own (rough latitude, longitude and height); empty is a job of heights alone."},
      {"job", "realisation", "Realisation", "", Part::datum, text(AT(datum.realisation), known_frame),
       "The frame that the grid's datum stands for (ETRF2000, ITRF2020 …); empty takes the usual one."},
      {"job", "vertical", "Heights", "", Part::datum, text(AT(datum.vertical), known_heights),
       "The vertical system of physical heights, by its code; empty issues ellipsoidal heights only."},
      {"job", "epoch", "Epoch", "year", Part::datum, epoch(),
       "The date to which the issued coordinates refer, as a decimal year."},
      {"job", "geoid_sd", "Geoid, deviation", "mm", Part::datum, number(AT(datum.geoid_sd), 0, 10000, 1e-3),
       "Absolute standard deviation of the geoid's grid where the job lies; 0: what is known of it, if anything."},
      {"job", "geoid_correlation", "Geoid, correlation", "km", Part::datum,
       number(AT(datum.geoid_correlation), 1, 1000, 1e3),
       "Over so many kilometres the error of the grid is alike, where its deviation is stated."},
      {"job", "plate", "Plate", "", Part::datum, plate(),
       "The tectonic plate on which the job lies: where ground moves in the frame, marks without a velocity of their "
       "own "
       "move with it from one epoch to another. Where nobody said, such marks cannot be moved and are not used."},
      {"job", "plate_sd", "Motion, deviation", "mm/yr", Part::datum, number(AT(datum.motion.sd_m_yr), 0, 100, 1e-3),
       "Standard deviation of the motion of marks without a velocity of their own, each axis: about 1 inside stable "
       "plates, "
       "much more near their boundaries. It counts for the years between their epoch and the job's."},
      {"job", "transformation", "Worst transformation", "mm", Part::datum,
       number(AT(worst_transformation_m), 0.1, 1000, 1e-3),
       "A change of frame less accurate than this is refused for control."},
      {"job", "older_datum", "Way to an older datum", "mm", Part::datum,
       number(AT(datum.worst_older_datum_m), 0.1, 20000, 1e-3),
       "Where the grid rests on a datum from before satellites and no grid of shifts leads to it, the register's way "
       "is "
       "used when it is stated to be at least as good as this. What is held and issued in the grid goes both ways "
       "through it; only what comes by satellites' frames alone is as wrong as the way."},
      {"job", "times", "Times", "", Part::shown,
       choice(AT(times.kind), {{"gps", TimeStyle::Kind::gps},
                               {"local", TimeStyle::Kind::local},
                               {"day of year", TimeStyle::Kind::day_of_year}}),
       "How times are shown: GPS time, local time of the zone below, or GPS time with the day of the year."},
      {"job", "zone", "Time zone", "h", Part::shown, number(AT(times.zone_h), -12, 14),
       "Local time is this many hours ahead of UTC (summer time included)."},
      {"solve", "mask", "Elevation mask", "°", Part::vectors, number(AT(mask_deg), 5, 40),
       "Satellites below this elevation are not used.", true},
      {"solve", "interval", "Interval", "s", Part::vectors, number(AT(interval_s), 1, 120),
       "Epochs used in a static solution; those in between serve slip detection.", true},
      {"solve", "orbits", "Orbits", "", Part::orbits, names(AT(orbits), {"broadcast", "precise"}),
       "Broadcast or precise orbits; precise ones must cover the sessions."},
      {"solve", "systems", "Systems", "", Part::vectors, systems_in_use(),
       "Letters of the satellite systems in use: G GPS, R GLONASS, E Galileo, C BeiDou, J QZSS.", true},
      {"solve", "frequencies", "Frequencies", "", Part::vectors, number(AT(frequencies), 1, 3),
       "At most this many carriers of each satellite are used.", true},
      {"solve", "correlation", "Multipath memory", "s", Part::vectors, number(AT(correlation_s), 30, 1800),
       "Time over which reflections at the antenna stay alike; longer makes printed accuracies more cautious.", true},
      {"solve", "ionosphere", "Ionosphere", "ppm", Part::vectors, number(AT(ionosphere_ppm), 0.5, 20),
       "How much the ionosphere may differ between the ends of a vector, per length.", true},
      {"solve", "known-ionosphere", "Known ionosphere", "", Part::orbits,
       names(AT(known_ionosphere), {"maps", "broadcast", "none"}),
       "Taken off before the rest is estimated: maps (IONEX) where the job holds them, the broadcast model, or none."},
      {"solve", "sessions", "Sessions", "", Part::sessions,
       choice(AT(together), {{"together", true}, {"one by one", false}}),
       "Together: all receivers of a session in one solution that closes exactly and knows what its vectors share. One "
       "by one: n − 1 vectors, each by itself."},
      {"solve", "pairs", "Pairs", "", Part::sessions, choice(AT(all_pairs), {{"as needed", false}, {"all", true}}),
       "Where a receiver logged with more than fifteen others: as needed (from one base to each, between published "
       "marks and to the three nearest; the rest follows from these), or all of them."},
      {"limit", "ratio", "Ratio", "", Part::judgement, number(AT(ratio_limit), 1, 100),
       "Second-best over best set of integers; below this a fixed vector is questioned (3 is common practice). "
       "Integers are accepted by their failure rate, 1 in 10 000.",
       true},
      {"limit", "rms", "Rms", "mm", Part::judgement, number(AT(rms_limit_m), 1, 100, 1e-3),
       "Phase residuals above this raise a doubt about the vector."},
      {"limit", "overlap", "Overlap", "min", Part::judgement, number(AT(min_overlap_min), 1, 600),
       "A shorter common time raises a doubt about the vector."},
      {"limit", "loop", "Loop", "mm", Part::loops, number(AT(loop_mm), 0, 1000),
       "A loop of vectors may miss by this much, and by the next per length, before it raises a doubt."},
      {"limit", "loop-ppm", "Loop, per length", "ppm", Part::loops, number(AT(loop_ppm), 0, 100),
       "The part of the loop limit that grows with its length."},
      {"limit", "level-limit", "Levelling", "mm/√km", Part::levels, number(AT(levels.limit_mm_km), 0, 100),
       "A levelled line may miss by this much times the root of its length in kilometres (FGCC 1984: 4, 5, 6, 8, 12)."},
      {"limit", "level-limit-setup", "Levelling, per set-up", "mm/√n", Part::levels,
       number(AT(levels.limit_mm_setup), 0, 50),
       "The same by the root of the number of set-ups; the larger of the two counts, 0 switches it off."},
      {"limit", "level-order", "Levelling, order", "", Part::levels,
       names(AT(levels.order), {"own", "first order, class I", "first order, class II", "second order, class I",
                                "second order, class II", "third order"}),
       "An order of a published standard (FGCC 1984) in place of own limits, for lines and for sections run both "
       "ways."},
      {"limit", "level-section-limit", "Levelling, fore and back", "mm/√km", Part::levels,
       number(AT(levels.section_mm_km), 0.1, 100),
       "A section run both ways may differ by this much times the root of its length in kilometres."},
      {"limit", "asked-plan", "Asked: plan", "mm", Part::judgement, number(AT(asked.plan), 0, 10000, 1e-3),
       "The 95 % accuracy in plan that is asked of every mark, groups of the sheet Issue apart; 0: none. Classes of "
       "FGDC-STD-007.2: 1, 2, 5 mm, 1, 2, 5 cm, 1, 2, 5 dm."},
      {"limit", "asked-height", "Asked: height", "mm", Part::judgement, number(AT(asked.height), 0, 10000, 1e-3),
       "The same of the height that is issued: the physical one where there is a geoid; 0: none."},
      {"limit", "asked-of", "Asked: of what", "", Part::judgement,
       choice(AT(asked.local), {{"network", false}, {"local", true}}),
       "Network: with respect to the datum, held marks' published uncertainty and the geoid's included. Local: with "
       "respect to the connected marks, heights ellipsoidal."},
      {"weight", "level-sd", "Levelling", "mm/√km", Part::levels, number(AT(levels.sd_mm_km), 0.05, 50),
       "Standard error of a kilometre of a single run."},
      {"weight", "level-sd-setup", "Levelling, per set-up", "mm", Part::levels, number(AT(levels.sd_mm_setup), 0, 10),
       "Standard error of one set-up, in place of that of a kilometre; 0: not used."},
      {"levels", "distribution", "Distribution", "", Part::levels,
       named(AT(levels.distribution), distribution_name,
             {Distribution::distance, Distribution::setups, Distribution::none}),
       "How a misclosure is shared between known marks."},
      {"levels", "collimation", "Line of sight", "mm/m", Part::levels, number(AT(levels.collimation_mm_m), -1, 1),
       "Slope of the line of sight from a two-peg test, upwards positive; corrects unbalanced set-ups."},
      {"levels", "curvature", "Curvature", "", Part::levels,
       choice(AT(levels.curvature), {{"no", false}, {"yes", true}}),
       "Take off the Earth's curvature and refraction of every sight."},
      {"levels", "refraction", "Refraction", "", Part::levels, number(AT(levels.refraction), -2, 2),
       "Coefficient of refraction that goes with it."},
      {"levels", "staff-scale", "Staff scale", "ppm", Part::levels, number(AT(levels.staff_ppm), -1000, 1000),
       "What a metre of the staff is longer than a metre, from its certificate."},
      {"levels", "staff-expansion", "Staff expansion", "ppm/K", Part::levels, number(AT(levels.staff_expansion), 0, 50),
       "How much a staff grows by warmth; invar about 0.8 (common practice), 0 leaves it out."},
      {"levels", "staff-temperature", "Staff temperature", "°C", Part::levels,
       number(AT(levels.staff_temperature), -40, 60),
       "Of the staffs while measuring, where a line does not say it itself; certificates hold at 20 °C."},
      {"levels", "height-correction", "Height system", "", Part::levels,
       choice(AT(levels.height_correction), {{"yes", true}, {"no", false}}),
       "Reduce levelled differences to the type of the height system below, where latitudes are known."},
      {"levels", "height-type", "Type of heights", "", Part::levels,
       named(AT(levels.height_type), height_type_name,
             {HeightType::normal_orthometric, HeightType::normal, HeightType::orthometric, HeightType::dynamic}),
       "What heights count. All but normal-orthometric ones (and dynamic ones, roughly) need gravity measured at marks "
       "of the line; where none is given, normal gravity stands in."},
      {"weight", "centring", "Centring", "mm", Part::network, number(AT(centring_sd_m), 0.1, 50, 1e-3),
       "Standard deviation of the centring of a set-up, each direction."},
      {"weight", "height", "Antenna height", "mm", Part::network, number(AT(height_sd_m), 0.1, 50, 1e-3),
       "Standard deviation of a measured antenna height."},
      {"weight", "calibration", "Antenna calibration", "mm", Part::network, number(AT(calibration_sd_m), 0, 50, 1e-3),
       "Standard deviation of the mean calibration of an antenna type in height, half of it in plan: an unknown of "
       "each "
       "type where several meet. Type means of one frame agree within about a millimetre (common practice). 0: none."},
      {"weight", "direction", "Directions", "″", Part::traverse,
       number(AT(traverse.standard.direction), 0.1, 60, rad_per_arcsec),
       "Standard deviation of a direction from both faces in one set, of instruments without a card."},
      {"weight", "zenith", "Zenith angles", "″", Part::traverse,
       number(AT(traverse.standard.zenith), 0.1, 60, rad_per_arcsec), "The same of a zenith angle."},
      {"weight", "distance", "Distances", "mm", Part::traverse, number(AT(traverse.standard.distance), 0.1, 50, 1e-3),
       "Constant part of the standard deviation of a measured distance."},
      {"weight", "distance-ppm", "Distances, per length", "ppm", Part::traverse,
       number(AT(traverse.standard.distance_ppm), 0, 50, 1e-6), "The part that grows with length."},
      {"weight", "pointing", "Pointing", "mm", Part::traverse, number(AT(traverse.standard.pointing), 0, 10, 1e-3),
       "How well a target is met across the line of sight; what counts on short sights."},
      {"weight", "station-centring", "Station centring", "mm", Part::traverse,
       number(AT(traverse.standard.centring), 0, 50, 1e-3),
       "Standard deviation of the centring of a total station, each direction."},
      {"weight", "target-centring", "Target centring", "mm", Part::traverse,
       number(AT(traverse.standard.target_centring), 0, 50, 1e-3), "The same of a target."},
      {"weight", "station-height", "Instrument and target height", "mm", Part::traverse,
       number(AT(traverse.standard.height), 0, 50, 1e-3),
       "Standard deviation of a measured instrument or target height."},
      {"traverse", "k", "Refraction of sights", "", Part::traverse, number(AT(traverse.k), -2, 3),
       "Coefficient of refraction that a set-up starts from; its own is an unknown of the network."},
      {"weight", "k-sd", "Refraction of sights", "", Part::traverse, number(AT(traverse.k_sd), 0.001, 2),
       "How far the coefficient of a set-up may be from that (common practice: 0.1 to 0.2)."},
      {"weight", "fix", "Fixes", "mm", Part::network, number(AT(fix_weight.plan), 0.1, 10000, 1e-3),
       "Standard deviation of a fix of real time, each axis in plan, where its list states none; the next grows with "
       "the "
       "distance from the base."},
      {"weight", "fix-ppm", "Fixes, per length", "ppm", Part::network, number(AT(fix_weight.plan_ppm), 0, 100),
       "The part that grows with the distance."},
      {"weight", "fix-up", "Fixes, up", "mm", Part::network, number(AT(fix_weight.up), 0.1, 10000, 1e-3),
       "The same in height."},
      {"weight", "fix-up-ppm", "Fixes, up, per length", "ppm", Part::network, number(AT(fix_weight.up_ppm), 0, 100),
       "The part in height that grows with the distance."},
      {"weight", "vector", "Others' vectors", "mm", Part::network, number(AT(vector_weight.plan), 0.1, 10000, 1e-3),
       "Standard deviation of a vector that others solved, each axis in plan, where its file states none."},
      {"weight", "vector-ppm", "Others' vectors, per length", "ppm", Part::network,
       number(AT(vector_weight.plan_ppm), 0, 100), "The part that grows with the length."},
      {"weight", "vector-up", "Others' vectors, up", "mm", Part::network,
       number(AT(vector_weight.up), 0.1, 10000, 1e-3), "The same in height."},
      {"weight", "vector-up-ppm", "Others' vectors, up, per length", "ppm", Part::network,
       number(AT(vector_weight.up_ppm), 0, 100), "The part in height that grows with the length."},
      {"weight", "deflection", "Plumb line", "″", Part::network, number(AT(traverse.deflection_sd_s), 0.01, 60),
       "Standard deviation of the deflection of the vertical that the geoid's grid gives (mountains: 10)."},
      {"weight", "edm-scale", "Scale of distances", "ppm", Part::network, number(AT(traverse.edm_scale_sd_ppm), 0, 50),
       "How far the scale of an instrument's distances may be off; above 0 it is an unknown of the network."},
      {"weight", "edm-constant", "Constant of distances", "mm", Part::network,
       number(AT(traverse.edm_constant_sd), 0, 50, 1e-3), "The same of the constant of instrument and prism."},
      {"traverse", "air", "Air", "", Part::traverse,
       choice(AT(traverse.air_applied), {{"applied by the instrument", true}, {"to be applied", false}}),
       "Whether the distances in the books carry the correction for the booked pressure and temperature already. A "
       "book that states its ppm settles it."},
      {"traverse", "reduce-to", "Traverse in", "", Part::traverse,
       choice(AT(traverse.grid), {{"grid", true}, {"ground", false}}),
       "Grid: lengths carry the scale factor, directions the arc-to-chord correction. Ground: horizontal lengths as "
       "they are, at the height of each leg."},
      {"traverse", "angles", "Angular share", "", Part::traverse,
       named(AT(traverse.angles), angle_share_name, {AngleShare::equal, AngleShare::inverse_length, AngleShare::none}),
       "How an angular misclosure is shared out before coordinates."},
      {"traverse", "balance", "Balance", "", Part::traverse, named(AT(traverse.balance), balance_name, all_balances()),
       "The balance that a traverse's provisional coordinates take."},
      {"traverse", "heights", "Height share", "", Part::traverse,
       named(AT(traverse.heights), height_share_name, {HeightShare::length, HeightShare::equal, HeightShare::none}),
       "How a height misclosure is shared out."},
      {"limit", "spread-direction", "Spread of directions", "″", Part::traverse,
       number(AT(traverse.spread_direction_s), 0, 600),
       "Largest less smallest direction of the sets; 0: derived from the instrument, pointing and length."},
      {"limit", "spread-zenith", "Spread of zenith angles", "″", Part::traverse,
       number(AT(traverse.spread_zenith_s), 0, 600), "The same of zenith angles; 0: derived."},
      {"limit", "spread-distance", "Spread of distances", "mm", Part::traverse,
       number(AT(traverse.spread_distance), 0, 100, 1e-3), "The same of distances; 0: derived."},
      {"limit", "traverse-order", "Traverse", "", Part::traverse,
       names(AT(traverse.order), {"propagated", "own", "first order", "second order, class I", "second order, class II",
                                  "third order, class I", "third order, class II"}),
       "What a traverse may miss: propagated from the standards of its observations, own limits below, or a class of a "
       "published standard (FGCC 1984)."},
      {"limit", "traverse-angle", "Traverse, angles", "″/√n", Part::traverse,
       number(AT(traverse.angle_limit_s), 0.1, 600),
       "Own limit of an angular misclosure: this much times the root of the number of angles."},
      {"limit", "traverse-ratio", "Traverse, length", "1 : n", Part::traverse,
       number(AT(traverse.ratio_limit), 100, 1000000), "Own limit of a linear misclosure against the length."},
      {"limit", "known-mark", "Known mark", "mm", Part::traverse, number(AT(traverse.known_mark), 0, 1000, 1e-3),
       "What a known mark may come out elsewhere from a set-up; 0: derived from its accuracy and the sight's."},
      {"job", "mode", "Datum", "", Part::network,
       named(AT(mode), datum_mode_name, {DatumMode::held, DatumMode::minimal, DatumMode::free}),
       "Held: marks as said. Minimal: only one held mark per group. Free: no mark is favoured."},
      {"issue", "unit", "Lengths in", "", Part::issue, names(AT(issue.unit), {"m", "ft", "us-ft"}),
       "What sheets and lists are printed in: metres, feet of 0.3048 m, or US survey feet; the record keeps metres."},
      {"issue", "decimals", "Decimals of coordinates", "", Part::issue,
       whole(setting_values::number(AT(issue.decimals), 0, 6)),
       "Of lengths in that unit, in sheets and in the own list. The lists for computers keep four."},
      {"issue", "axes", "Axes", "", Part::issue,
       choice(AT(issue.north_first), {{"east north", false}, {"north east", true}}),
       "In which order sheets and the own list write plan coordinates."},
      {"issue", "angle-style", "Latitudes and longitudes", "", Part::issue,
       names(AT(issue.angles), {"dms", "deg", "gon"}), "Degrees, minutes and seconds; decimal degrees; or gon."},
      {"issue", "columns", "Own list", "", Part::issue, issue_list(),
       "Columns of a list of one's own, by name with blanks between (mark east north height); empty: none is written."},
      {"issue", "separator", "Separator of the own list", "", Part::issue,
       names(AT(issue.separator), {"comma", "semicolon", "tab", "blank"}), "What stands between its columns."},
      {"issue", "heads", "Heads of the own list", "", Part::issue,
       choice(AT(issue.heads), {{"with", true}, {"without", false}}),
       "With: its first lines name the system and the columns. Without: for programs that want figures alone; the "
       "sheet says what they are in."},
      {"issue", "sheet", "Sheet", "", Part::issue, choice(AT(issue.short_form), {{"long", false}, {"short", true}}),
       "Long: with every observation. Short: verdict, drawing, coordinates, accuracy, checks and decisions."},
      {"issue", "mark-records", "Mark records", "", Part::issue,
       choice(AT(issue.mark_records), {{"none", false}, {"a page each", true}}),
       "A page for every mark: coordinates in every system asked for, ties and directions to its neighbours, monument "
       "and access."},
      {"issue", "setting-out", "Setting-out list", "", Part::issue,
       choice(AT(issue.setting_out), {{"none", false}, {"a sheet and a list", true}}),
       "Distances and bearings from every mark to the nearest that are issued with it, in the grid and on the ground."},
      {"issue", "second-person", "Second person", "", Part::issue,
       choice(AT(issue.second_person), {{"not asked", false}, {"asked", true}}),
       "Asked: nothing is issued that a second person did not look at as it stands."},
  };
  return all;
}

#undef AT

} // namespace ampletie
