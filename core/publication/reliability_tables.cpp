#include "publication/reliability_tables.h"
#include "base/angle.h"
#include "network/influence.h"
#include "publication/figures.h"
#include "results/observed_names.h"
#include <fmt/format.h>

namespace ampletie {
using nlohmann::json;
using nlohmann::ordered_json;

ordered_json constraint_record(const ConstraintTest &t) {
  auto levels = ordered_json::array();
  for (const DatumLevel &l : t.levels)
    levels.push_back({{"mode", datum_mode_name(l.mode)},
                      {"observations", l.observations},
                      {"redundancy", l.redundancy},
                      {"variance_factor", l.variance_factor},
                      {"lower", l.lower},
                      {"upper", l.upper},
                      {"passes", l.passes},
                      {"problem", l.problem}});
  return {
      {"levels", levels}, {"statistic", t.statistic}, {"limit", t.limit}, {"degrees", t.degrees}, {"passes", t.passes}};
}

bool too_many_undetected(const NetworkRun &run) {
  return run.result.marks.size() > 1000; // what it takes grows with the square
}

ordered_json undetected_record(const JobSnapshot &s, const NetworkRun &run) {
  auto out = ordered_json::array();
  if (too_many_undetected(run) || run.result.adjustment.tests.empty()) return out;
  const ObservedNames names(s);
  for (const auto &[mark, e] : largest_undetected(run.result)) {
    if (!e.has_place && !e.has_height) continue; // held in all that is known of it
    ordered_json j{{"mark", mark},
                   {"external_m", nullptr},
                   {"plan_m", nullptr},
                   {"up_m", nullptr},
                   {"by", nullptr},
                   {"height_m", nullptr},
                   {"height_by", nullptr},
                   {"has_place", e.has_place},
                   {"has_height", e.has_height}};
    const auto by = [&](const UndetectedError &u) { return names.words(u.id, u.kind, u.component); };
    if (e.place)
      j["external_m"] = e.place->effect_enu.norm(), j["plan_m"] = e.place->effect_enu.head<2>().norm(),
      j["up_m"] = std::abs(e.place->effect_enu.z()), j["by"] = by(*e.place);
    if (e.height) j["height_m"] = std::abs(e.height->effect_height), j["height_by"] = by(*e.height);
    out.push_back(std::move(j));
  }
  return out;
}

ReportTable constraint_table(const json &r) {
  ReportTable t{
      "Free, with the least constraints, held",
      {{"Datum", "", false}, {"Observations", ""}, {"Redundancy", ""}, {"Variance factor", ""}, {"", "", false}},
      {}};
  if (!r.is_object()) return t;
  for (const json &l : r.at("levels")) {
    const std::string problem = l.at("problem");
    const int redundancy = l.at("redundancy");
    t.rows.push_back(
        {l.at("mode"), problem.empty() ? std::to_string(l.at("observations").get<int>()) : "–",
         problem.empty() ? std::to_string(redundancy) : "–",
         problem.empty() && redundancy > 0 ? fmt::format("{:.3f}", l.at("variance_factor").get<double>()) : "–",
         !problem.empty()             ? problem
         : redundancy == 0            ? "nothing checks it"
         : l.at("passes").get<bool>() ? "passes"
                                      : "FAILS"});
  }
  if (const int degrees = r.at("degrees"); degrees > 0)
    t.rows.push_back({"what holding adds", "–", std::to_string(degrees),
                      fmt::format("{:.2f}", r.at("statistic").get<double>()),
                      fmt::format("limit {:.2f}: the control {}", r.at("limit").get<double>(),
                                  r.at("passes").get<bool>() ? "agrees with the observations" : "DISAGREES")});
  return t;
}

ReportTable undetected_table(const json &rows) {
  ReportTable t{"External reliability: what an error that no single test finds would move each mark by",
                {{"Mark", "", false},
                 {"Plan", "mm"},
                 {"h", "mm"},
                 {"by an error of", "", false},
                 {"H", "mm"},
                 {"by an error of", "", false}},
                {}};
  const std::string open = "no bound: nothing checks an observation";
  const auto size = [](const json &v) { return v.is_null() ? std::string("–") : mm(v); };
  for (const json &j : rows) {
    const bool place = j.at("has_place"), height = j.at("has_height");
    t.rows.push_back({j.at("mark"), size(j.at("plan_m")), size(j.at("up_m")),
                      !place                 ? std::string("–")
                      : j.at("by").is_null() ? open
                                             : j.at("by").get<std::string>(),
                      size(j.at("height_m")),
                      !height                       ? std::string("–")
                      : j.at("height_by").is_null() ? open
                                                    : j.at("height_by").get<std::string>()});
  }
  return t;
}

ordered_json turn_rows(const NetworkRun &run) {
  auto out = ordered_json::array();
  const auto three = [](const Vec3 &v) { return std::vector<double>{1e6 * v.x(), 1e6 * v.y(), 1e6 * v.z()}; };
  for (const auto &t : run.result.turns) {
    const bool turned = t.rotation_sd.maxCoeff() > 0, stretched = t.scale_sd > 0;
    out.push_back({{"group", t.group},
                   {"rotation_ppm", turned ? ordered_json(three(t.rotation)) : ordered_json(nullptr)},
                   {"rotation_sd_ppm", turned ? ordered_json(three(t.rotation_sd)) : ordered_json(nullptr)},
                   {"scale_ppm", stretched ? ordered_json(1e6 * t.scale) : ordered_json(nullptr)},
                   {"scale_sd_ppm", stretched ? ordered_json(1e6 * t.scale_sd) : ordered_json(nullptr)}});
  }
  return out;
}

ordered_json azimuth_constant_rows(const NetworkRun &run) {
  auto out = ordered_json::array();
  for (const auto &[instrument, c] : run.result.azimuth_constants)
    out.push_back({{"instrument", instrument},
                   {"azimuths", c.azimuths},
                   {"correction_s", c.correction / rad_per_arcsec},
                   {"sd_s", c.sd / rad_per_arcsec}});
  return out;
}

ReportTable azimuth_constant_table(const json &rows) {
  ReportTable out{"Instruments that find north by themselves: what their azimuths miss beyond their card",
                  {{"Instrument", "", false}, {"Azimuths", ""}, {"Correction", "″"}, {"s", "″"}},
                  {}};
  for (const json &r : rows)
    out.rows.push_back({r.at("instrument").get<std::string>(), std::to_string(r.at("azimuths").get<int>()),
                        fmt::format("{:+.1f}", r.at("correction_s").get<double>()),
                        fmt::format("{:.1f}", r.at("sd_s").get<double>())});
  return out;
}

ReportTable turn_table(const json &rows) {
  ReportTable out{
      "Groups of vectors that were let turn and stretch as a whole (one standard deviation)",
      {{"Group", "", false}, {"About east", "ppm"}, {"About north", "ppm"}, {"About up", "ppm"}, {"Scale", "ppm"}},
      {}};
  const auto with = [](double value, double sd) { return fmt::format("{:+.3f} ± {:.3f}", value, sd); };
  for (const json &r : rows) {
    std::vector<std::string> row{r.at("group").get<std::string>()};
    for (std::size_t i = 0; i < 3; ++i)
      row.push_back(r.at("rotation_ppm").is_null()
                        ? "–"
                        : with(r.at("rotation_ppm")[i].get<double>(), r.at("rotation_sd_ppm")[i].get<double>()));
    row.push_back(
        r.at("scale_ppm").is_null() ? "–" : with(r.at("scale_ppm").get<double>(), r.at("scale_sd_ppm").get<double>()));
    out.rows.push_back(std::move(row));
  }
  return out;
}

} // namespace ampletie
