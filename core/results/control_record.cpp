#include "results/control_record.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include <Eigen/Dense>
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::json;
using nlohmann::ordered_json;

ordered_json maybe_number(const std::optional<double> &v) { return v ? ordered_json(*v) : ordered_json(nullptr); }
std::optional<double> number_of(const json &j) { return j.is_number() ? std::optional(j.get<double>()) : std::nullopt; }
} // namespace

std::optional<double> physical_height_sd(const NetworkRun &run, const AdjustedMark &m) {
  if (m.height_sd > 0) return m.height_sd;
  if (!run.positions.at(m.name).height || !run.geoid_sd) return {};
  return std::hypot(std::sqrt(m.network_cov_enu(2, 2)), *run.geoid_sd);
}

std::string mark_origin(const AdjustedMark &m) {
  if (m.hold == Hold::full) return "published, held";
  if (m.hold == Hold::height && m.setups + m.sighted_from == 0) return "published height";
  if (!m.plan_known) return "levels, height alone";
  const auto counted = [](int n, const char *what) { return fmt::format("{} {}{}", n, what, n == 1 ? "" : "s"); };
  return m.setups == 0 && m.sighted_from > 0 ? "total station, sights to " + counted(m.sighted_from, "mark")
                                             : "GNSS, " + counted(m.setups, "set-up");
}

ControlRecord control_record(const JobSnapshot &s, const NetworkRun &run, const AdjustedMark &m) {
  const FullPosition &p = run.positions.at(m.name);
  ControlRecord r;
  r.name = m.name, r.xyz = p.ecef.xyz;
  r.lat_deg = degrees(p.geodetic.lat), r.lon_deg = degrees(p.geodetic.lon), r.h_m = p.geodetic.h;
  r.east_m = p.grid.east, r.north_m = p.grid.north;
  r.height_m = p.height, r.geoid_m = p.undulation;
  r.scale = p.grid.scale, r.convergence_deg = degrees(p.grid.convergence_rad), r.combined_factor = p.combined_factor;
  r.cov_enu = m.cov_enu, r.network_cov_enu = m.network_cov_enu;
  r.local_plan95_m = m.local_plan95, r.local_up95_m = m.local_up95;
  r.network_plan95_m = m.network_plan95, r.network_up95_m = m.network_up95;
  r.height_sd_m = physical_height_sd(run, m);
  r.held = hold_name(m.hold), r.independent_checks = m.independent_checks;
  r.frame = frame_name(p.ecef.frame), r.epoch = p.ecef.epoch;
  if (const PublishedMark *published = s.listed(m.name)) r.description = published->description;
  r.origin = mark_origin(m);
  r.scale_degrees = run.result.scale_degrees;
  return r;
}

HeightRecord height_record(const NetworkRun &run, const AdjustedMark &m) {
  return {m.name,
          run.positions.at(m.name).height.value_or(0),
          m.height_sd,
          hold_name(m.hold),
          m.levels,
          m.independent_checks,
          run.result.scale_degrees};
}

ordered_json six_of(const Mat3 &c) { return {c(0, 0), c(0, 1), c(0, 2), c(1, 1), c(1, 2), c(2, 2)}; }

Mat3 covariance_of(const json &j) {
  Mat3 out;
  out << j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>(), j.at(1).get<double>(),
      j.at(3).get<double>(), j.at(4).get<double>(), j.at(2).get<double>(), j.at(4).get<double>(), j.at(5).get<double>();
  return out;
}

ordered_json ellipse95(const Mat3 &cov_enu, int scale_degrees) {
  const Ellipse e = ellipse(cov_enu.topLeftCorner<2, 2>());
  const double k = factor95(2, scale_degrees);
  return {{"a_m", e.major * k}, {"b_m", e.minor * k}, {"azimuth_deg", degrees(e.azimuth)}};
}

namespace {
/// "scaled" and, where it is, the redundancy of the factor.
void say_scale(ordered_json &j, int degrees) {
  j["scaled"] = degrees > 0 ? "a posteriori" : "a priori";
  if (degrees > 0) j["scale_degrees"] = degrees;
}
} // namespace

ordered_json to_json(const ControlRecord &r) {
  ordered_json j;
  j["name"] = r.name;
  j["x"] = r.xyz.x(), j["y"] = r.xyz.y(), j["z"] = r.xyz.z();
  j["lat_deg"] = r.lat_deg, j["lon_deg"] = r.lon_deg, j["h_m"] = r.h_m;
  j["east_m"] = r.east_m, j["north_m"] = r.north_m;
  j["height_m"] = maybe_number(r.height_m), j["geoid_m"] = maybe_number(r.geoid_m);
  j["scale"] = r.scale, j["convergence_deg"] = r.convergence_deg, j["combined_factor"] = r.combined_factor;
  j["sd_e_m"] = std::sqrt(r.cov_enu(0, 0)), j["sd_n_m"] = std::sqrt(r.cov_enu(1, 1)),
  j["sd_u_m"] = std::sqrt(r.cov_enu(2, 2));
  j["cov_enu"] = six_of(r.cov_enu), j["network_cov_enu"] = six_of(r.network_cov_enu);
  j["ellipse95"] = ellipse95(r.network_cov_enu, r.scale_degrees);
  j["local_plan95_m"] = r.local_plan95_m, j["local_up95_m"] = r.local_up95_m;
  j["network_plan95_m"] = r.network_plan95_m, j["network_up95_m"] = r.network_up95_m;
  j["height_sd_m"] = maybe_number(r.height_sd_m);
  say_scale(j, r.scale_degrees);
  j["held"] = r.held, j["independent_checks"] = r.independent_checks;
  j["frame"] = r.frame, j["epoch"] = r.epoch;
  j["description"] = r.description, j["origin"] = r.origin;
  return j;
}

ControlRecord control_record_of(const json &j) {
  ControlRecord r;
  j.at("name").get_to(r.name);
  r.xyz = {j.at("x").get<double>(), j.at("y").get<double>(), j.at("z").get<double>()};
  j.at("lat_deg").get_to(r.lat_deg), j.at("lon_deg").get_to(r.lon_deg), j.at("h_m").get_to(r.h_m);
  j.at("east_m").get_to(r.east_m), j.at("north_m").get_to(r.north_m);
  r.height_m = number_of(j.at("height_m")), r.geoid_m = number_of(j.at("geoid_m"));
  j.at("scale").get_to(r.scale), j.at("convergence_deg").get_to(r.convergence_deg),
      j.at("combined_factor").get_to(r.combined_factor);
  r.cov_enu = covariance_of(j.at("cov_enu")), r.network_cov_enu = covariance_of(j.at("network_cov_enu"));
  j.at("local_plan95_m").get_to(r.local_plan95_m), j.at("local_up95_m").get_to(r.local_up95_m);
  j.at("network_plan95_m").get_to(r.network_plan95_m), j.at("network_up95_m").get_to(r.network_up95_m);
  r.height_sd_m = number_of(j.at("height_sd_m"));
  j.at("held").get_to(r.held), j.at("independent_checks").get_to(r.independent_checks);
  j.at("frame").get_to(r.frame), j.at("epoch").get_to(r.epoch);
  j.at("description").get_to(r.description), j.at("origin").get_to(r.origin);
  r.scale_degrees = j.value("scale_degrees", 0);
  return r;
}

ordered_json to_json(const HeightRecord &r) {
  ordered_json j{{"name", r.name}, {"height_m", r.height_m}, {"height_sd_m", r.height_sd_m},
                 {"held", r.held}, {"levels", r.levels},     {"independent_checks", r.independent_checks}};
  if (r.scale_degrees > 0) say_scale(j, r.scale_degrees);
  return j;
}

HeightRecord height_record_of(const json &j) {
  HeightRecord r;
  j.at("name").get_to(r.name), j.at("height_m").get_to(r.height_m), j.at("height_sd_m").get_to(r.height_sd_m);
  j.at("held").get_to(r.held), j.at("independent_checks").get_to(r.independent_checks);
  r.levels = j.value("levels", 0), r.scale_degrees = j.value("scale_degrees", 0);
  return r;
}

} // namespace ampletie
