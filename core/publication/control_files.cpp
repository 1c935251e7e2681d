#include "publication/control_files.h"
#include "adjustment/statistics.h"
#include "base/csv.h"
#include "base/text.h"
#include "base/utf8.h"
#include "results/control_record.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::json;
using nlohmann::ordered_json;

/// One line of the list, lengths in its unit.
class ListLine {
public:
  explicit ListLine(LengthUnit unit) : unit_(unit) {}
  ListLine &length(std::optional<double> metres, int decimals = 4) {
    metres ? row_.number(in_unit(*metres, unit_), decimals) : row_.nothing();
    return *this;
  }
  ListLine &nothing(int columns) {
    for (int i = 0; i < columns; ++i) row_.nothing();
    return *this;
  }
  /// How the mark is held, its checks, and what is asked of it.
  ListLine &standing(const std::string &held, int checks, const json &accuracy) {
    row_.plain(held).plain(std::to_string(checks));
    for (const char *k : {"plan", "height"})
      length(!accuracy.is_null() && !accuracy.at(k).is_null()
                 ? std::optional(accuracy.at(k).at("asked_m").get<double>())
                 : std::nullopt);
    if (accuracy.is_null())
      row_.nothing();
    else
      row_.plain(accuracy.at("met").is_null() ? "undetermined" : accuracy.at("met").get<bool>() ? "yes" : "no");
    return *this;
  }
  CsvRow &row() { return row_; }

private:
  CsvRow row_;
  LengthUnit unit_;
};

std::string heading(const json &r, const std::string &u) {
  const std::string vertical = r.at("vertical_name").get<std::string>();
  std::string out = fmt::format("# {}; ", printable(r.at("title").get<std::string>()));
  if (!r.at("marks").empty())
    out += fmt::format("{} ({}), {} at {:.2f}; heights: {}", r.at("crs_name").get<std::string>(),
                       r.at("crs").get<std::string>(), r.at("frame").get<std::string>(), r.at("epoch").get<double>(),
                       vertical.empty() ? "ellipsoidal" : vertical);
  else
    out += "heights" + (vertical.empty() ? " of the system of the held ones" : ": " + vertical);
  return out + fmt::format("; record {}\n", r.at("id").get<std::string>()) +
         fmt::format("mark,east_{0},north_{0},height_{0},lat_deg,lon_deg,h_{0},sd_e_{0},sd_n_{0},sd_u_{0},plan95_{0},"
                     "up95_{0},held,independent_checks,asked_plan95_{0},asked_up95_{0},accuracy_reached,x_{0},y_{0},"
                     "z_{0},sd_height_{0},height95_{0},cov_ee_m2,cov_en_m2,cov_eu_m2,cov_nn_m2,cov_nu_m2,cov_uu_m2,"
                     "frame,epoch,crs,"
                     "vertical,record\n",
                     u);
}

} // namespace

std::string control_csv(const json &r, LengthUnit unit) {
  const std::string crs = r.at("crs"), vertical = r.at("vertical"), id = r.at("id");
  const bool local = is_local(crs);
  std::string out = heading(r, unit_name(unit));
  for (const json &j : r.at("marks")) {
    const ControlRecord m = control_record_of(j);
    ListLine line(unit);
    line.row().text(m.name);
    line.length(m.east_m).length(m.north_m).length(m.height_m);
    // A local plane has no place on the Earth that could be stated.
    if (local)
      line.nothing(3);
    else {
      line.row().number(m.lat_deg, 10).number(m.lon_deg, 10);
      line.length(m.h_m);
    }
    for (int i = 0; i < 3; ++i) line.length(std::sqrt(m.cov_enu(i, i)));
    line.length(m.network_plan95_m).length(m.network_up95_m);
    line.standing(m.held, m.independent_checks, j.at("accuracy"));
    for (int i = 0; i < 3; ++i) line.length(local ? std::nullopt : std::optional(m.xyz[i]));
    // `sd_u` and `up95` are of the ellipsoidal height, these of the physical one.
    line.length(m.height_sd_m)
        .length(m.height_sd_m ? std::optional(factor95(1, m.scale_degrees) * *m.height_sd_m) : std::nullopt);
    for (const auto &c : six_of(m.network_cov_enu)) line.row().plain(fmt::format("{:.6e}", c.get<double>()));
    line.row().text(m.frame).number(m.epoch, 4).text(crs).text(vertical).text(id);
    out += line.row().line();
  }
  // Marks known in height only: their plan stays empty.
  for (const json &j : r.at("heights")) {
    const HeightRecord h = height_record_of(j);
    ListLine line(unit);
    line.row().text(h.name);
    line.nothing(2).length(h.height_m, 5).nothing(8);
    line.standing(h.held, h.independent_checks, j.at("accuracy"));
    line.nothing(3).length(h.height_sd_m, 5).length(factor95(1, h.scale_degrees) * h.height_sd_m, 5).nothing(9);
    line.row().text(vertical).text(id);
    out += line.row().line();
  }
  return out;
}

std::string control_geojson(const json &r) {
  const bool local = is_local(r.at("crs").get<std::string>());
  ordered_json out{{"type", "FeatureCollection"}, {"features", ordered_json::array()}};
  for (const json &j : r.at("marks")) {
    const ControlRecord m = control_record_of(j);
    const ordered_json all = to_json(m);
    ordered_json properties;
    for (const char *k : {"name", "east_m", "north_m", "height_m", "sd_e_m", "sd_n_m", "sd_u_m", "network_plan95_m",
                          "network_up95_m", "height_sd_m", "held", "independent_checks", "frame", "epoch"})
      properties[k] = all.at(k);
    properties["h_m"] = local ? ordered_json(nullptr) : all.at("h_m");
    properties["height95_m"] =
        m.height_sd_m ? ordered_json(factor95(1, m.scale_degrees) * *m.height_sd_m) : ordered_json(nullptr);
    out["features"].push_back(
        {{"type", "Feature"},
         {"geometry", local ? ordered_json(nullptr)
                            : ordered_json{{"type", "Point"}, {"coordinates", {m.lon_deg, m.lat_deg, m.h_m}}}},
         {"properties", properties}});
  }
  return out.dump(1);
}

} // namespace ampletie
