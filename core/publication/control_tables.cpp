#include "publication/control_tables.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "publication/figures.h"
#include "publication/printed_as.h"
#include "results/control_record.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {

std::string held_words(const std::string &held) { return held == "none" ? "" : held; }

} // namespace

int degrees_of_scale(const nlohmann::json &record) {
  for (const char *list : {"marks", "heights"})
    if (record.contains(list))
      for (const auto &j : record.at(list)) return j.value("scale_degrees", 0);
  return 0;
}

ControlTables::ControlTables(const nlohmann::json &record, LengthUnit unit, bool physical) {
  const PrintedAs as = printed_as(record, unit);
  const std::string u = unit_name(as.unit);
  const auto percent95 = [](double sd, int degrees) { return fmt::format("{:.1f}", factor95(1, degrees) * 1000 * sd); };
  const int scale_degrees = degrees_of_scale(record);
  grid = {"Coordinates", {{"Mark", "", false}, {"East", u}, {"North", u}}, {}};
  if (as.north_first) std::swap(grid.columns[1], grid.columns[2]);
  if (physical) grid.columns.push_back({"Height", u}), grid.columns.push_back({"Geoid", u});
  grid.columns.push_back({"Ellipsoidal h", u});
  grid.columns.push_back({"Held", "", false});
  grid.columns.push_back({"Origin", "", false});
  accuracy = {fmt::format("Accuracy: standard deviations (one sigma, {}) and 95 % values",
                          scale_degrees > 0 ? "scaled from the residuals" : "a priori"),
              {{"Mark", "", false},
               {"s east", "mm"},
               {"s north", "mm"},
               {"s h", "mm"},
               {"local plan 95 %", "mm"},
               {"local h 95 %", "mm"},
               {"network plan 95 %", "mm"},
               {"network h 95 %", "mm"},
               {"Independent checks", "", true}},
              {}};
  geodetic = {"Geodetic coordinates",
              {{"Mark", "", false},
               {"Latitude", as.angle_unit(), true},
               {"Longitude", as.angle_unit(), true},
               {"h", u},
               {"Scale factor", ""},
               {"Convergence", "", true},
               {"Combined factor", ""}},
              {}};
  geocentric = {"Geocentric coordinates", {{"Mark", "", false}, {"X", u}, {"Y", u}, {"Z", u}}, {}};
  physical_heights = {"Accuracy of physical heights, the geoid's uncertainty included",
                      {{"Mark", "", false}, {"Height", u}, {"s", "mm"}, {"95 %", "mm"}},
                      {}};
  heights = {
      "Marks known in height only",
      {{"Mark", "", false}, {"Height", u}, {"s", "mm"}, {"95 %", "mm"}, {"Levelled differences"}, {"Held", "", false}},
      {}};
  for (const auto &j : record.at("marks")) {
    const ControlRecord m = control_record_of(j);
    std::vector<std::string> row{m.name, as.length(m.east_m), as.length(m.north_m)};
    if (as.north_first) std::swap(row[1], row[2]);
    // A physical height carries the geoid's uncertainty: a centimetre is all that is meaningful between areas, but
    // differences within the job are good to the millimetre, so the digits stay.
    if (physical) row.push_back(as.length(m.height_m)), row.push_back(as.length(m.geoid_m, 1));
    row.insert(row.end(), {as.length(m.h_m), held_words(m.held), m.origin});
    grid.rows.push_back(std::move(row));
    const bool held = m.held == "full";
    const auto sd = [&](int k) { return held ? std::string("held") : mm(std::sqrt(m.cov_enu(k, k))); };
    accuracy.rows.push_back({m.name, sd(0), sd(1), sd(2), mm(m.local_plan95_m), mm(m.local_up95_m),
                             mm(m.network_plan95_m), mm(m.network_up95_m),
                             held ? "held" : std::to_string(m.independent_checks)});
    geodetic.rows.push_back({m.name, as.angle(m.lat_deg), as.angle(m.lon_deg), as.length(m.h_m),
                             fmt::format("{:.8f}", m.scale), format_dms(m.convergence_deg, 1),
                             fmt::format("{:.8f}", m.combined_factor)});
    geocentric.rows.push_back({m.name, as.length(m.xyz.x()), as.length(m.xyz.y()), as.length(m.xyz.z())});
    if (m.height_sd_m)
      physical_heights.rows.push_back(
          {m.name, as.length(m.height_m), mm(*m.height_sd_m), percent95(*m.height_sd_m, m.scale_degrees)});
    if (!held && m.independent_checks == 0) unchecked.push_back(m.name);
  }
  for (const auto &j : record.value("heights", nlohmann::json::array())) {
    const HeightRecord h = height_record_of(j);
    heights.rows.push_back({h.name, as.length(h.height_m), mm(h.height_sd_m), percent95(h.height_sd_m, h.scale_degrees),
                            std::to_string(h.levels), held_words(h.held)});
    if (h.held == "none" && h.independent_checks == 0) unchecked.push_back(h.name);
  }
}

} // namespace ampletie
