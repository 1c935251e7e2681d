#include "publication/issue.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "base/csv.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/text.h"
#include "base/utf8.h"
#include "publication/control_sheet.h"
#include "publication/record_parts.h"
#include <Eigen/Dense>
#include <fmt/format.h>
#include <set>

namespace ampletie {

std::string mark_origin(const AdjustedMark &m) {
  if (m.hold == Hold::full) return "published, held";
  if (m.hold == Hold::height && m.set_ups + m.sighted_from == 0) return "published height";
  if (!m.plan_known) return "levels, height alone";
  const auto counted = [](int n, const char *what) { return fmt::format("{} {}{}", n, what, n == 1 ? "" : "s"); };
  return m.set_ups == 0 && m.sighted_from > 0 ? "total station, sights to " + counted(m.sighted_from, "mark")
                                              : "GNSS, " + counted(m.set_ups, "set-up");
}

namespace {
using nlohmann::json;
using nlohmann::ordered_json;

json covariance(const NetworkRun &run, const std::vector<std::string> &marks) {
  // Lower triangle of the joint covariance (east, north, up per mark), m², with held marks errorless.
  const AdjustmentResult &a = run.result.adjustment;
  std::vector<int> unknown;
  for (const auto &m : marks)
    for (int k = 0; k < 3; ++k) unknown.push_back(a.index[static_cast<std::size_t>(run.result.parameter.at(m) + k)]);
  json out = json::array();
  if (marks.size() > 300) return nullptr;
  for (std::size_t i = 0; i < unknown.size(); ++i) {
    json row = json::array();
    Eigen::VectorXd column;
    if (unknown[i] >= 0) column = a.normals->solve(Eigen::VectorXd::Unit(a.unknowns, unknown[i]));
    for (std::size_t k = 0; k <= i; ++k) row.push_back(unknown[i] >= 0 && unknown[k] >= 0 ? column[unknown[k]] : 0.0);
    out.push_back(row);
  }
  return out;
}

ordered_json mark_record(const Job &job, const NetworkRun &run, const AdjustedMark &m) {
  const FullPosition &p = run.positions.at(m.name);
  const auto published = job.snapshot()->published().find(m.name);
  const Ellipse e = ellipse(m.network_cov_enu.topLeftCorner<2, 2>());
  const double k = factor95(2);
  ordered_json j;
  j["name"] = m.name;
  j["x"] = p.ecef.xyz.x(), j["y"] = p.ecef.xyz.y(), j["z"] = p.ecef.xyz.z();
  j["lat_deg"] = degrees(p.geodetic.lat), j["lon_deg"] = degrees(p.geodetic.lon), j["h_m"] = p.geodetic.h;
  j["east_m"] = p.grid.east, j["north_m"] = p.grid.north;
  j["height_m"] = p.height ? ordered_json(*p.height) : ordered_json(nullptr);
  j["geoid_m"] = p.undulation ? ordered_json(*p.undulation) : ordered_json(nullptr);
  j["scale"] = p.grid.scale, j["convergence_deg"] = degrees(p.grid.convergence_rad),
  j["combined_factor"] = p.combined_factor;
  j["sd_e_m"] = std::sqrt(m.cov_enu(0, 0)), j["sd_n_m"] = std::sqrt(m.cov_enu(1, 1)),
  j["sd_u_m"] = std::sqrt(m.cov_enu(2, 2));
  j["cov_enu"] = {m.cov_enu(0, 0), m.cov_enu(0, 1), m.cov_enu(0, 2), m.cov_enu(1, 1), m.cov_enu(1, 2), m.cov_enu(2, 2)};
  const Mat3 &q = m.network_cov_enu;
  j["network_cov_enu"] = {q(0, 0), q(0, 1), q(0, 2), q(1, 1), q(1, 2), q(2, 2)};
  j["ellipse95"] = {{"a_m", e.major * k}, {"b_m", e.minor * k}, {"azimuth_deg", degrees(e.azimuth)}};
  j["local_plan95_m"] = m.local_plan95, j["local_up95_m"] = m.local_up95;
  j["network_plan95_m"] = m.network_plan95, j["network_up95_m"] = m.network_up95;
  j["height_sd_m"] = m.height_sd > 0 ? ordered_json(m.height_sd) : ordered_json(nullptr);
  j["accuracy"] = record_accuracy(job, run, m);
  j["scaled"] = "a priori";
  j["held"] = hold_name(m.hold);
  j["independent_checks"] = m.independent_checks;
  j["frame"] = frame_name(p.ecef.frame), j["epoch"] = p.ecef.epoch;
  j["description"] = published == job.snapshot()->published().end() ? "" : published->second.description;
  j["origin"] = mark_origin(m);
  return j;
}

} // namespace

double in_unit(double m, LengthUnit u) {
  return u == LengthUnit::foot ? m / 0.3048 : u == LengthUnit::us_foot ? m * 3937 / 1200 : m;
}
std::string unit_name(LengthUnit u) { return u == LengthUnit::foot ? "ft" : u == LengthUnit::us_foot ? "ftUS" : "m"; }

namespace {
/// Everything that a later job needs of the marks: it reads this list back with frame, epoch, covariance and origin.
std::string control_csv(const json &r, LengthUnit unit) {
  const std::string u = unit_name(unit), vertical = r.at("vertical_name").get<std::string>();
  const std::string crs = r.at("crs"), title = printable(r.at("title").get<std::string>());
  const bool local = is_local(crs);
  std::string out = fmt::format("# {}; ", title);
  if (!r.at("marks").empty())
    out += fmt::format("{} ({}), {} at {:.2f}; heights: {}", r.at("crs_name").get<std::string>(), crs,
                       r.at("frame").get<std::string>(), r.at("epoch").get<double>(),
                       vertical.empty() ? "ellipsoidal" : vertical);
  else
    out += "heights" + (vertical.empty() ? " of the system of the held ones" : ": " + vertical);
  out += fmt::format("; record {}\n", r.at("id").get<std::string>());
  out += fmt::format("mark,east_{0},north_{0},height_{0},lat_deg,lon_deg,h_{0},sd_e_{0},sd_n_{0},sd_u_{0},plan95_{0},"
                     "up95_{0},held,independent_checks,asked_plan95_{0},asked_up95_{0},accuracy_reached,x_{0},y_{0},"
                     "z_{0},sd_height_{0},cov_ee_m2,cov_en_m2,cov_eu_m2,cov_nn_m2,cov_nu_m2,cov_uu_m2,frame,epoch,crs,"
                     "vertical,record\n",
                     u);
  CsvRow *row = nullptr;
  const auto length = [&](const json &v, int decimals = 4) {
    v.is_number() ? row->number(in_unit(v.get<double>(), unit), decimals) : row->nothing();
  };
  const auto asked = [&](const json &m) {
    const json &what = m.at("accuracy");
    for (const char *k : {"plan", "height"})
      !what.is_null() && !what.at(k).is_null() ? length(what.at(k).at("asked_m")) : length(nullptr);
    what.is_null() ? row->nothing() : row->plain(what.at("met") ? "yes" : "no");
  };
  const auto common = [&](const json &m) {
    row->plain(m.at("held").get<std::string>()).plain(std::to_string(m.at("independent_checks").get<int>()));
    asked(m);
  };
  for (const json &m : r.at("marks")) {
    CsvRow line;
    row = &line;
    line.text(m.at("name").get<std::string>());
    for (const char *k : {"east_m", "north_m", "height_m"}) length(m.at(k));
    // A local plane has no place on the Earth that could be stated.
    local ? line.nothing().nothing().nothing()
          : line.number(m.at("lat_deg").get<double>(), 10).number(m.at("lon_deg").get<double>(), 10);
    if (!local) length(m.at("h_m"));
    for (const char *k : {"sd_e_m", "sd_n_m", "sd_u_m", "network_plan95_m", "network_up95_m"}) length(m.at(k));
    common(m);
    for (const char *k : {"x", "y", "z"}) length(local ? json() : m.at(k));
    length(m.at("height_sd_m"));
    for (const json &c : m.at("network_cov_enu")) line.plain(fmt::format("{:.6e}", c.get<double>()));
    line.text(m.at("frame").get<std::string>()).number(m.at("epoch").get<double>(), 4);
    line.text(r.at("crs").get<std::string>())
        .text(r.at("vertical").get<std::string>())
        .text(r.at("id").get<std::string>());
    out += line.line();
  }
  // Marks known in height only: their plan stays empty.
  for (const json &h : r.at("heights")) {
    CsvRow line;
    row = &line;
    line.text(h.at("name").get<std::string>()).nothing().nothing();
    length(h.at("height_m"), 5);
    for (int i = 0; i < 5; ++i) line.nothing();
    length(h.at("height_sd_m"));
    line.nothing();
    line.number(in_unit(factor95(1) * h.at("height_sd_m").get<double>(), unit), 4);
    common(h);
    for (int i = 0; i < 3; ++i) line.nothing();
    length(h.at("height_sd_m"), 5);
    for (int i = 0; i < 9; ++i) line.nothing();
    line.text(r.at("vertical").get<std::string>()).text(r.at("id").get<std::string>());
    out += line.line();
  }
  return out;
}

} // namespace

IssuePackage prepare_issue(const Job &job, const IssueOptions &options) {
  const NetworkRun *run = job.network();
  if (!run) throw InputError("there is nothing to issue: adjust the network first");
  if (job.network_stale()) throw InputError("the network is out of date: adjust it again before issuing");
  const JobSnapshot &s = *job.snapshot();
  std::vector<const AdjustedMark *> marks;
  std::set<std::string> wanted(options.marks.begin(), options.marks.end());
  for (const AdjustedMark &m : run->result.marks)
    if (wanted.empty() || wanted.erase(m.name)) marks.push_back(&m);
  if (!options.marks.empty() && !wanted.empty())
    throw InputError("the mark " + *wanted.begin() + " is not part of the network");

  ordered_json r;
  const JobSettings &set = s.state().settings;
  r["format"] = 2;
  r["title"] = set.title;
  r["crs"] = set.datum.crs, r["crs_name"] = system_name(set.datum.crs);
  r["vertical"] = set.datum.vertical;
  r["vertical_name"] = run->geoid_refusal.empty() ? run->geoid_name : "";
  r["frame"] = run->frame, r["epoch"] = set.datum.epoch;
  r["operation"] = run->operation.name, r["pipeline"] = run->operation.pipeline;
  r["operation_accuracy_m"] =
      run->operation.accuracy_m ? ordered_json(*run->operation.accuracy_m) : ordered_json(nullptr);
  r["geoid_name"] = run->geoid_name, r["geoid_source"] = run->geoid_source;
  r["geoid_sd_m"] = run->geoid_sd ? ordered_json(*run->geoid_sd) : ordered_json(nullptr);
  r["register"] = register_version();
  r["program"] = "Ample Tie 0.1.0";
  r["network_fingerprint"] = run->fingerprint;
  r["marks"] = ordered_json::array();
  std::vector<std::string> names;
  r["heights"] = ordered_json::array();
  for (const AdjustedMark *m : marks) {
    if (!m->plan_known) {
      r["heights"].push_back({{"name", m->name},
                              {"height_m", run->positions.at(m->name).height.value_or(0)},
                              {"height_sd_m", m->height_sd},
                              {"held", hold_name(m->hold)},
                              {"levels", m->levels},
                              {"accuracy", record_accuracy(job, *run, *m)},
                              {"independent_checks", m->independent_checks}});
      continue;
    }
    r["marks"].push_back(mark_record(job, *run, *m));
    names.push_back(m->name);
  }
  r["covariance_enu"] = covariance(*run, names);
  r["held"] = ordered_json::array();
  for (const AdjustedMark &m : run->result.marks) {
    if (m.hold == Hold::none || m.hold == Hold::check) continue;
    auto p = s.published().find(m.name);
    if (const auto bench = s.benchmarks().find(m.name); p == s.published().end() && bench != s.benchmarks().end()) {
      const PublishedMark &b = bench->second;
      r["held"].push_back({{"name", m.name},
                           {"how", hold_name(m.hold)},
                           {"frame", run->geoid_name},
                           {"epoch", b.epoch.empty() ? "–" : b.epoch},
                           {"sd", {0.0, 0.0, b.sd_height.value_or(0)}},
                           {"source", b.line ? fmt::format("{} line {}", b.source_name, b.line)
                                             : fmt::format("decision {}", b.decision)}});
      continue;
    }
    const Vec3 sd = p != s.published().end() && p->second.sd_enu ? *p->second.sd_enu : Vec3::Zero();
    r["held"].push_back(
        {{"name", m.name},
         {"how", hold_name(m.hold)},
         {"frame", p == s.published().end() || p->second.frame.empty() ? run->frame : p->second.frame},
         {"epoch", p == s.published().end() || p->second.epoch.empty() ? run->epoch_text : p->second.epoch},
         {"sd", {sd.x(), sd.y(), sd.z()}},
         {"source", p == s.published().end() ? ""
                    : p->second.line         ? fmt::format("{} line {}", p->second.source_name, p->second.line)
                                             : fmt::format("decision {}", p->second.decision)}});
  }
  r["control"] = ordered_json::array();
  for (const ControlCheck &c : run->result.control)
    r["control"].push_back({{"mark", c.mark},
                            {"difference", {c.difference_enu.x(), c.difference_enu.y(), c.difference_enu.z()}},
                            {"statistic", c.statistic},
                            {"limit", c.limit},
                            {"passes", c.passes}});
  const AdjustmentResult &a = run->result.adjustment;
  ordered_json n{{"mode", datum_mode_name(run->result.mode)},
                 {"observations", a.observations},
                 {"unknowns", a.unknowns},
                 {"redundancy", a.redundancy},
                 {"variance_factor", a.variance_factor},
                 {"lower", a.lower},
                 {"upper", a.upper},
                 {"passes", a.passes}};
  std::map<std::string, const VectorResult *> by_id;
  for (const VectorResult &v : job.vectors()) by_id[v.id] = &v;
  n["vectors"] = ordered_json::array();
  n["sights"] = ordered_json::array();
  const auto sights = sight_names(job.snapshot()->traverses());
  for (const BlockTest &t : a.tests) {
    const auto found = sights.find(t.id);
    if (found == sights.end() || t.observations.size() != 1) continue;
    const ObservationTest &o = t.observations.front();
    const bool angle = is_angle(t.kind);
    const double unit_of = angle ? rad_per_arcsec : 1e-3;
    n["sights"].push_back(
        {{"from", found->second.from},
         {"to", found->second.to},
         {"what", t.kind},
         {"unit", angle ? "″" : "mm"},
         {"v", o.residual / unit_of},
         {"w", std::abs(o.standardised)},
         {"redundancy", o.redundancy},
         {"mdb", o.smallest_detectable ? ordered_json(*o.smallest_detectable / unit_of) : ordered_json(nullptr)}});
  }
  n["levels"] = ordered_json::array();
  std::map<std::string, LevelSection> sections;
  for (const LevelSection &l : level_sections(s.levels(), run->positioned)) sections.emplace(l.id, l);
  for (const BlockTest &t : a.tests) {
    const auto found = sections.find(t.id);
    if (t.kind != "level" || found == sections.end()) continue;
    const LevelLine *line = s.levels().line(found->second.line);
    const ObservationTest &o = t.observations.front();
    n["levels"].push_back(
        {{"from", found->second.from},
         {"to", found->second.to},
         {"line", line ? line->name : ""},
         {"difference_m", found->second.difference},
         {"length_m", found->second.length},
         {"setups", found->second.setups},
         {"v_m", o.residual},
         {"w", std::abs(o.standardised)},
         {"mdb_m", o.smallest_detectable ? ordered_json(*o.smallest_detectable) : ordered_json(nullptr)}});
  }
  r["vectors"] = ordered_json::array();
  for (const BlockTest &t : a.tests) {
    const auto found = by_id.find(t.id);
    if (t.kind != "vector" || found == by_id.end()) continue;
    const VectorResult &v = *found->second;
    double w = 0;
    for (const auto &o : t.observations) w = std::max(w, std::abs(o.standardised));
    n["vectors"].push_back(
        {{"id", t.id},
         {"name", v.from + " → " + v.to},
         {"v", {t.observations[0].residual, t.observations[1].residual, t.observations[2].residual}},
         {"w", w},
         {"statistic", t.statistic},
         {"limit", t.limit},
         {"mdb_m", t.smallest_detectable ? ordered_json(*t.smallest_detectable) : ordered_json(nullptr)},
         {"effect_m", t.external_effect ? ordered_json(*t.external_effect) : ordered_json(nullptr)}});
    r["vectors"].push_back({{"id", v.id},
                            {"from", v.from},
                            {"to", v.to},
                            {"session", v.session},
                            {"solution", solution_name(v.solved.solution)},
                            {"length_m", v.length()},
                            {"ratio", v.solved.ratio},
                            {"rms_m", v.solved.rms_m},
                            {"satellites", v.solved.satellites},
                            {"minutes", (v.solved.last - v.solved.first) / 60},
                            {"orbits", v.orbits},
                            {"frame", frame_name(v.frame)},
                            {"epoch", v.epoch},
                            {"fingerprint", v.fingerprint}});
  }
  r["network"] = n;
  r["occupations"] = ordered_json::array();
  for (const Occupation &o : s.occupations())
    r["occupations"].push_back({{"id", o.id},
                                {"mark", o.mark},
                                {"start", iso(o.start)},
                                {"stop", iso(o.stop)},
                                {"antenna", o.antenna},
                                {"measured_m", o.measured},
                                {"measured_to", o.measured_to + (o.slant ? ", slant" : "")},
                                {"arp_m", o.antenna_height ? ordered_json(*o.antenna_height) : ordered_json(nullptr)},
                                {"source", o.source_name},
                                {"sha256", o.source_id},
                                {"used", o.used}});
  r["left_over"] = record_left_over(job);
  r["doubts"] = record_doubts(job);
  r["decisions"] = record_decisions(job);
  r["sources"] = record_sources(s);

  IssuePackage out;
  out.record = sealed(job, r);
  out.sheet = control_sheet(out.record.data, options.unit);
  out.sheet.footer =
      fmt::format("Issue record {} · {} · SHA-256 {}", out.record.id, out.record.time, out.record.sha256);

  out.csv = control_csv(out.record.data, options.unit);
  ordered_json geo{{"type", "FeatureCollection"}, {"features", ordered_json::array()}};
  for (const json &m : out.record.data.at("marks")) {
    ordered_json properties;
    for (const char *k : {"name", "east_m", "north_m", "height_m", "sd_e_m", "sd_n_m", "sd_u_m", "network_plan95_m",
                          "network_up95_m", "held", "independent_checks", "frame", "epoch"})
      properties[k] = m.at(k);
    // GeoJSON (RFC 7946) knows WGS 84 only; the job's frame differs from it by up to a metre and is named beside it.
    geo["features"].push_back(
        {{"type", "Feature"},
         {"geometry",
          is_local(set.datum.crs)
              ? ordered_json(nullptr)
              : ordered_json{{"type", "Point"}, {"coordinates", {m.at("lon_deg"), m.at("lat_deg"), m.at("h_m")}}}},
         {"properties", properties}});
  }
  out.geojson = geo.dump(1);
  out.files = {{"control.csv", out.csv}, {"control.geojson", out.geojson}};
  return out;
}

} // namespace ampletie
