#include "publication/control_sheet.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "publication/also_files.h"
#include "publication/change_table.h"
#include "publication/control_tables.h"
#include "publication/figures.h"
#include "publication/fit_files.h"
#include "publication/network_drawing.h"
#include "publication/reliability_tables.h"
#include "publication/sheet_parts.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {
using nlohmann::json;

namespace {
/// Verdict, systems, coordinates and their accuracy.
ReportSection what_is_issued(const json &r, LengthUnit unit, bool physical) {
  const ControlTables t(r, unit, physical);
  ReportSection what{"What is issued", {}, {}};
  what.paragraphs = {verdict_words(r), issue_system_words(r, physical)};
  if (const json kept = r.value("kept_out", json::array()); !kept.empty()) {
    std::string names;
    for (const json &n : kept) names += (names.empty() ? "" : ", ") + n.get<std::string>();
    what.paragraphs.push_back("Adjusted with the others and not issued: " + names + ".");
  }
  if (r.value("format", 0) >= 4) what.drawings = network_drawings(r, 720, 262);
  what.leading = what.paragraphs.size();
  int short_of_it = 0;
  const ReportTable asked = asked_table(r, short_of_it);
  for (const ReportTable *table : {&t.grid, &t.accuracy, &t.heights, &t.physical_heights, &asked})
    if (!table->rows.empty()) what.tables.push_back(*table);
  what.paragraphs.push_back(
      asked.rows.empty() ? "No accuracy was asked for; it is stated as it is."
      : short_of_it      ? fmt::format("{} of {} marks do not reach the accuracy that is asked of them.", short_of_it,
                                       asked.rows.size())
                         : fmt::format("All {} marks of which an accuracy is asked reach it.", asked.rows.size()));
  if (!asked.rows.empty()) what.paragraphs.push_back("Classes are those of FGDC-STD-007.2-1998 by the value reached.");
  const int degrees = degrees_of_scale(r);
  std::string named;
  for (const auto &n : t.unchecked) named += (named.empty() ? "" : ", ") + n;
  what.paragraphs.push_back(t.unchecked.empty() ? "Every computed mark has at least one independent check."
                                                : "Without an independent check: " + named + ".");
  what.paragraphs.push_back(fmt::format(
      "95 % means: height ±{:.3f} s; plan, the radius of the circle that holds 95 % ({:.3f} s where the "
      "error is equal in all directions). Local: mean with respect to the connected marks. "
      "Network: with respect to the datum, the published uncertainty of the held marks included. {}",
      factor95(1, degrees), factor95(2, degrees),
      degrees > 0 ? fmt::format("All standard deviations were scaled by a factor that was decided from what "
                                "was left over (see the decisions): 95 % follows Student's and Fisher's "
                                "distributions with {} degrees of freedom, and the test of the variance "
                                "factor says nothing of its own any more.",
                                degrees)
                  : "Standard deviations are a priori; they are not scaled by the variance factor."));
  return what;
}

ReportTable held_table(const json &r) {
  ReportTable held{"Held marks",
                   {{"Mark", "", false},
                    {"How", "", false},
                    {"Published in", "", false},
                    {"At", "", true},
                    {"s east", "mm"},
                    {"s north", "mm"},
                    {"s up", "mm"},
                    {"Source", "", false}},
                   {}};
  for (const json &h : r.at("held"))
    held.rows.push_back({h.at("name"), h.at("how"), h.at("frame"), h.at("epoch"), mm(h.at("sd")[0]), mm(h.at("sd")[1]),
                         mm(h.at("sd")[2]), h.at("source")});
  return held;
}

ReportTable prediction_table(const json &r) {
  ReportTable control{
      "Each held mark predicted from the others (held − predicted)",
      {{"Mark", "", false}, {"East", "mm"}, {"North", "mm"}, {"Up", "mm"}, {"χ²", ""}, {"Limit", ""}, {"", "", false}},
      {}};
  for (const json &c : r.at("control"))
    control.rows.push_back({c.at("mark"), mm(c.at("difference")[0]), mm(c.at("difference")[1]),
                            mm(c.at("difference")[2]), fmt::format("{:.2f}", c.at("statistic").get<double>()),
                            fmt::format("{:.2f}", c.at("limit").get<double>()),
                            c.at("passes").get<bool>() ? "agrees" : "DISAGREES"});
  return control;
}

ReportTable check_table(const json &r) {
  ReportTable checks{"Check marks: compared, never used (adjusted − published, with the standard deviation of both)",
                     {{"Mark", "", false},
                      {"East", "mm"},
                      {"s", "mm"},
                      {"North", "mm"},
                      {"s", "mm"},
                      {"Height", "mm"},
                      {"s", "mm"},
                      {"", "", false},
                      {"Source", "", false}},
                     {}};
  const auto value = [](const json &x) { return x.is_null() ? std::string("–") : mm(x); };
  for (const json &c : r.value("checks", json::array())) // records of before have none
    checks.rows.push_back({c.at("mark"), value(c.at("de_m")), value(c.at("sd_e_m")), value(c.at("dn_m")),
                           value(c.at("sd_n_m")),
                           value(c.at("dh_m")) + (c.at("dh_m").is_null() || c.at("physical").get<bool>() ? "" : " h"),
                           value(c.at("sd_h_m")), c.at("verdict"), c.at("source")});
  return checks;
}

/// How coordinates came into the frame, what held them, and the coordinates on the ellipsoid.
/// The frames of what was solved as tracks or by others and takes part; empty: nothing of it.
std::string frames_of_measured(const json &r) {
  std::set<std::string> frames;
  for (const json &m : r.value("measured", json::array()))
    if (m.at("used").get<bool>()) frames.insert(m.at("frame").get<std::string>());
  std::string out;
  for (const std::string &f : frames) out += (out.empty() ? "" : ", ") + f;
  return out;
}

ReportSection datum_section(const json &r, LengthUnit unit, bool physical) {
  ReportSection datum{"Datum", {}, {}};
  const bool gnss = !r.at("operation").get<std::string>().empty();
  if (gnss)
    datum.paragraphs.push_back(fmt::format("From the orbits' frame to {}: {}. Stated accuracy {}.",
                                           r.at("frame").get<std::string>(), r.at("operation").get<std::string>(),
                                           r.at("operation_accuracy_m").is_null()
                                               ? "none"
                                               : fmt::format("{:.3f} m", r.at("operation_accuracy_m").get<double>())));
  if (gnss)
    datum.paragraphs.push_back("Pipeline: " + r.at("pipeline").get<std::string>());
  else if (const std::string frames = frames_of_measured(r); frames.empty())
    datum.paragraphs.push_back("No satellite observations take part: the datum is that of the held marks.");
  else
    datum.paragraphs.push_back("Stops of tracks and vectors of others came in " + frames +
                               (frames == r.at("frame").get<std::string>()
                                    ? ", the job's frame"
                                    : ", each brought to the job's frame by itself") +
                               ". The datum is that of the held marks.");
  if (r.contains("older_datum")) {
    const json &o = r.at("older_datum");
    datum.paragraphs.push_back(fmt::format(
        "The grid rests on {}. It is reached from {} by {}, stated accuracy {}; this way is the same for what is held "
        "and what is issued in the grid, and no standard deviation counts it. Latitudes, longitudes and geocentric "
        "coordinates below are those in {}.",
        o.at("name").get<std::string>(), r.at("frame").get<std::string>(), o.at("way").get<std::string>(),
        o.at("accuracy_m").is_null() ? "none" : fmt::format("{:.3f} m", o.at("accuracy_m").get<double>()),
        r.at("frame").get<std::string>()));
  }
  if (r.value("ground_moves", false) && !r.value("plate", "").empty())
    datum.paragraphs.push_back(fmt::format("Ground moves in this frame. Between epochs, marks without a published "
                                           "velocity and vectors were moved with the plate "
                                           "{} (rotation poles of ITRF2014, Altamimi et al. 2017); ± {:g} mm a year is "
                                           "in the standard deviations of such marks.",
                                           r.at("plate").get<std::string>(),
                                           1000 * r.at("motion_sd_m_yr").get<double>()));
  else if (r.contains("motion_sd_m_yr") && gnss && !r.value("ground_moves", false))
    datum.paragraphs.push_back(fmt::format(
        "The frame goes with the ground: marks without a published velocity were taken to stand still in it "
        "between their epoch and that of the job; ± {:g} mm a year is in their standard deviations.",
        1000 * r.at("motion_sd_m_yr").get<double>()));
  const auto &geoid_sd = r.at("geoid_sd_m");
  // Where levels or held heights correct the grid, heights are better than it.
  const bool geoid_adjusted = std::any_of(r.at("marks").begin(), r.at("marks").end(), [&](const json &m) {
    const auto sd = m.find("height_sd_m");
    return sd != m.end() && sd->is_number() && geoid_sd.is_number() && sd->get<double>() < geoid_sd.get<double>();
  });
  const bool through_grid = physical && (gnss || !r.at("geoid_source").get<std::string>().empty());
  const std::string grid = r.value("geoid_grid", ""); // records of before do not name it
  if (through_grid)
    datum.paragraphs.push_back(fmt::format(
        "Physical heights through the grid of {}{}; stated standard deviation of the grid {}. {}",
        r.at("geoid_name").get<std::string>(), grid.empty() ? "" : " (" + grid + ")",
        r.at("geoid_sd_m").is_null()
            ? "none"
            : fmt::format(
                  fmt::runtime(geoid_adjusted
                                   ? "{:.2f} m (absolute); levels and held heights correct it, as the heights' own "
                                     "standard deviations say"
                                   : "{:.2f} m (absolute), so physical heights are not better than that, though their "
                                     "differences are"),
                  r.at("geoid_sd_m").get<double>()),
        r.at("geoid_source").get<std::string>()));
  datum.tables = {held_table(r)};
  const ControlTables t(r, unit, physical);
  if (!t.geodetic.rows.empty() && !is_local(r.at("crs").get<std::string>())) {
    datum.tables.push_back(t.geodetic);
    datum.tables.push_back(t.geocentric);
  }
  if (ReportTable predicted = prediction_table(r); !predicted.rows.empty())
    datum.tables.push_back(std::move(predicted));
  if (ReportTable checks = check_table(r); !checks.rows.empty()) {
    datum.paragraphs.push_back("Heights of check marks are physical ones; an h marks an ellipsoidal one.");
    datum.tables.push_back(std::move(checks));
  }
  return datum;
}

ReportTable residual_table(const json &n) {
  ReportTable residuals{"Vectors: residuals, tests and reliability",
                        {{"Vector", "", false},
                         {"vX", "mm"},
                         {"vY", "mm"},
                         {"vZ", "mm"},
                         {"largest |w|", ""},
                         {"block test", ""},
                         {"limit", ""},
                         {"smallest detectable", "mm"},
                         {"effect on a mark", "mm"}},
                        {}};
  for (const json &v : n.at("vectors"))
    residuals.rows.push_back(
        {v.at("name"), mm(v.at("v")[0]), mm(v.at("v")[1]), mm(v.at("v")[2]),
         fmt::format("{:.2f}", v.at("w").get<double>()),
         v.at("limit").get<double>() > 0 ? fmt::format("{:.2f}", v.at("statistic").get<double>()) : "untested",
         fmt::format("{:.2f}", v.at("limit").get<double>()), v.at("mdb_m").is_null() ? "–" : mm(v.at("mdb_m")),
         v.at("effect_m").is_null() ? "–" : mm(v.at("effect_m"))});
  return residuals;
}

ReportTable level_table(const json &n) {
  ReportTable levels{"Levelled differences: residuals and tests",
                     {{"From", "", false},
                      {"To", "", false},
                      {"Line", "", false},
                      {"Difference", "m"},
                      {"Length", "km"},
                      {"Set-ups"},
                      {"residual", "mm"},
                      {"|w|"},
                      {"smallest detectable", "mm"}},
                     {}};
  for (const json &l : n.value("levels", json::array()))
    levels.rows.push_back({l.at("from"), l.at("to"), l.at("line"), fixed(l.at("difference_m"), 5),
                           fixed(l.at("length_m").get<double>() / 1000, 3), std::to_string(l.at("setups").get<int>()),
                           fixed(1000 * l.at("v_m").get<double>(), 2), fixed(l.at("w"), 2),
                           l.at("mdb_m").is_null() ? "–" : mm(l.at("mdb_m"))});
  return levels;
}

ReportTable sight_table(const json &n) {
  ReportTable sights{"Sights of total stations: residuals and tests",
                     {{"From", "", false},
                      {"To", "", false},
                      {"what", "", false},
                      {"residual"},
                      {"|w|"},
                      {"redundancy"},
                      {"smallest detectable"}},
                     {}};
  for (const json &s : n.value("sights", json::array())) {
    const std::string of = s.at("unit");
    sights.rows.push_back(
        {s.at("from"), s.at("to"), s.at("what"), fmt::format("{:.1f} {}", s.at("v").get<double>(), of),
         fmt::format("{:.2f}", s.at("w").get<double>()), fmt::format("{:.2f}", s.at("redundancy").get<double>()),
         s.at("mdb").is_null() ? "–" : fmt::format("{:.1f} {}", s.at("mdb").get<double>(), of)});
  }
  return sights;
}

/// What is stated beside the vectors' own covariances; records of before do not say it.
std::string weight_words(const json &n) {
  if (n.value("setups", 0) == 0) return {};
  const auto millimetres = [&](const char *key) { return fmt::format("± {:g} mm", 1000 * n.at(key).get<double>()); };
  std::string out = "Common to all vectors of a set-up: centring " + millimetres("centring_sd_m") +
                    " each way, antenna height " + millimetres("antenna_height_sd_m") + ".";
  const auto &types = n.at("calibrations");
  if (types.empty()) return out;
  std::string all;
  for (const json &t : types) all += (all.empty() ? "" : ", ") + t.get<std::string>();
  return out +
         fmt::format(" Calibrations of {}: each {} in height and half of it in plan, common to all of its set-ups.",
                     all, millimetres("calibration_sd_m"));
}

ReportSection test_section(const json &r) {
  const json &n = r.at("network");
  ReportSection tests{"Adjustment and tests", {}, {}};
  tests.paragraphs.push_back(fmt::format("{} adjustment: {} observations, {} unknowns, redundancy {}. Variance factor "
                                         "{:.3f}, bounds {:.3f} and {:.3f} (5 % beyond each): the global test {}.",
                                         n.at("mode").get<std::string>(), n.at("observations").get<int>(),
                                         n.at("unknowns").get<int>(), n.at("redundancy").get<int>(),
                                         n.at("variance_factor").get<double>(), n.at("lower").get<double>(),
                                         n.at("upper").get<double>(),
                                         n.at("redundancy").get<int>() == 0 ? "has nothing to test"
                                         : !n.at("passes").get<bool>()      ? "FAILS"
                                         : n.at("variance_factor").get<double>() < n.at("lower").get<double>()
                                             ? "passes; the observations agree better than stated"
                                             : "passes"));
  tests.paragraphs.push_back(
      "Single tests: error probability 0.001 each, smallest detectable errors at a power of 80 %.");
  if (r.value("undetected_left_out", false))
    tests.paragraphs.push_back("External reliability was not worked out: the network has more than 1,000 marks.");
  if (const std::string w = weight_words(n); !w.empty()) tests.paragraphs.push_back(w);
  for (ReportTable table :
       {constraint_table(r.value("constraints", json())), undetected_table(r.value("undetected", json::array())),
        turn_table(n.value("turns", json::array())),
        azimuth_constant_table(n.value("azimuth_constants", json::array())), residual_table(n), level_table(n),
        sight_table(n)})
    if (!table.rows.empty()) tests.tables.push_back(std::move(table));
  return tests;
}

ReportTable vector_table(const json &r) {
  ReportTable vectors{"Vectors used",
                      {{"From", "", false},
                       {"To", "", false},
                       {"Session", "", false},
                       {"Result", "", false},
                       {"Length", "m"},
                       {"Ratio", ""},
                       {"Rms", "mm"},
                       {"Satellites", ""},
                       {"Minutes", ""},
                       {"Orbits", "", false}},
                      {}};
  for (const json &v : r.at("vectors"))
    vectors.rows.push_back({v.at("from"), v.at("to"), v.at("session"), v.at("solution"),
                            fmt::format("{:.4f}", v.at("length_m").get<double>()),
                            fmt::format("{:.1f}", v.at("ratio").get<double>()), mm(v.at("rms_m")),
                            std::to_string(v.at("satellites").get<int>()),
                            fmt::format("{:.0f}", v.at("minutes").get<double>()), v.at("orbits")});
  return vectors;
}

/// What others measured, with how far the network lies from it.
ReportTable measured_table(const json &r) {
  ReportTable t{"Measured in real time or by others",
                {{"From", "", false},
                 {"To", "", false},
                 {"What", "", false},
                 {"Status", "", false},
                 {"Epochs", ""},
                 {"Length", "m"},
                 {"Weight", "", false},
                 {"dE", "mm"},
                 {"dN", "mm"},
                 {"dU", "mm"},
                 {"Use", "", false}},
                {}};
  const auto difference = [](const json &v) { return v.is_null() ? std::string("–") : mm(v.get<double>()); };
  for (const json &v : r.value("measured", json::array()))
    t.rows.push_back({v.at("from"), v.at("to"), v.at("kind"),
                      v.at("status").get<std::string>().empty() ? "not said" : v.at("status").get<std::string>(),
                      v.at("epochs").is_null() ? "–" : std::to_string(v.at("epochs").get<int>()),
                      fmt::format("{:.3f}", v.at("length_m").get<double>()), v.at("weight"), difference(v.at("de_m")),
                      difference(v.at("dn_m")), difference(v.at("du_m")),
                      v.at("used").get<bool>()    ? std::string("used")
                      : v.at("check").get<bool>() ? std::string("check")
                                                  : "not used: " + v.at("because").get<std::string>()});
  return t;
}

ReportTable occupation_table(const json &r) {
  ReportTable occ{"Occupations",
                  {{"Mark", "", false},
                   {"From", "", false},
                   {"To", "", false},
                   {"Antenna", "", false},
                   {"Read", "m"},
                   {"To point", "", false},
                   {"ARP height", "m"},
                   {"Source", "", false}},
                  {}};
  for (const json &o : r.at("occupations"))
    occ.rows.push_back({o.at("mark"), o.at("start"), o.at("stop"), o.at("antenna"),
                        fmt::format("{:.4f}", o.at("measured_m").get<double>()), o.at("measured_to"),
                        o.at("arp_m").is_null() ? "–" : fmt::format("{:.4f}", o.at("arp_m").get<double>()),
                        o.at("source")});
  return occ;
}

ReportSection origin_section(const json &r) {
  ReportSection evidence{"How each mark came about", {}, {}};
  for (ReportTable table : {vector_table(r), measured_table(r), occupation_table(r)})
    if (!table.rows.empty()) evidence.tables.push_back(std::move(table));
  ReportTable files{"Files", {{"Name", "", false}, {"Kind", "", false}, {"SHA-256", "", false}}, {}};
  for (const json &f : r.at("sources")) files.rows.push_back({f.at("name"), f.at("kind"), f.at("sha256")});
  evidence.tables.push_back(std::move(files));
  return evidence;
}

ReportSection doubt_section(const json &r) {
  ReportSection doubts{"Doubts", {}, {}};
  if (r.at("doubts").empty()) doubts.paragraphs.push_back("None.");
  ReportTable list{
      "Open and accepted doubts at the time of issue",
      {{"What", "", false}, {"Where", "", false}, {"Why", "", false}, {"Effect", "mm"}, {"State", "", false}},
      {}};
  for (const json &d : r.at("doubts"))
    list.rows.push_back(
        {d.at("kind"), d.at("about"), d.at("sentence"), d.at("effect_m").is_null() ? "–" : mm(d.at("effect_m")),
         d.at("state").get<std::string>() + (d.at("accepted_because").get<std::string>().empty()
                                                 ? ""
                                                 : ": " + d.at("accepted_because").get<std::string>())});
  if (!list.rows.empty()) doubts.tables = {list};
  ReportTable left{"No part of the result", {{"What", "", false}, {"Which", "", false}, {"Why", "", false}}, {}};
  for (const json &x : r.value("left_over", json::array()))
    left.rows.push_back({x.at("kind"), x.at("name"), x.at("because")});
  if (!left.rows.empty()) doubts.tables.push_back(std::move(left));
  return doubts;
}

ReportSection decision_section(const json &r) {
  ReportSection decisions{"Decisions", {}, {}};
  ReportTable log{
      "What was decided, in order",
      {{"No.", ""}, {"Time (UTC)", "", false}, {"Author", "", false}, {"Decision", "", false}, {"Reason", "", false}},
      {}};
  for (const json &d : r.at("decisions"))
    log.rows.push_back({std::to_string(d.at("seq").get<long>()), d.at("time"), d.at("author"),
                        d.at("text").get<std::string>() + (d.value("stands", true) ? "" : " (withdrawn)"),
                        d.at("reason")});
  decisions.tables = {log};
  return decisions;
}
} // namespace

Report control_sheet(const json &r, LengthUnit unit) {
  Report out;
  out.title = "Control sheet";
  out.subtitle = r.at("title");
  const bool physical = !r.at("vertical_name").get<std::string>().empty();
  out.sections = {what_is_issued(r, unit, physical),
                  datum_section(r, unit, physical),
                  test_section(r),
                  origin_section(r),
                  doubt_section(r),
                  decision_section(r)};
  std::vector<ReportSection> fits;
  for (const json &f : r.value("fits", json::array())) fits.push_back(fit_section(f, unit));
  for (const json &a : r.value("also", json::array())) fits.push_back(also_section(a));
  for (const json &c : r.value("changes", json::array())) fits.push_back(change_section(c, r));
  // Of a single earlier record the change says it all.
  if (const auto m = r.find("motion"); m != r.end() && m->at("times").size() > 2) fits.push_back(motion_section(*m));
  out.sections.insert(out.sections.begin() + 2, fits.begin(), fits.end());
  out.paged = r.value("format", 0) >= 4;
  if (!out.paged) return out;
  if (const json &since = r.at("since_last"); !since.is_null())
    out.sections.insert(out.sections.begin() + 1, since_section(since, r));
  out.sections.push_back(method_section(r));
  out.sections.push_back(signing_section(r));
  if (r.at("choice").at("sheet") == "short") shorten(out, r, unit);
  return out;
}

} // namespace ampletie
