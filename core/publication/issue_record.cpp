#include "publication/issue_record.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "base/hash.h"
#include "judgement/comparison.h"
#include "publication/also_files.h"
#include "publication/change_table.h"
#include "publication/instruments.h"
#include "publication/record_parts.h"
#include "publication/reliability_tables.h"
#include "results/changes.h"
#include "results/fit_record.h"
#include "results/job_results.h"
#include "results/measured_record.h"
#include "results/motions.h"
#include "results/record_marks.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::json;
using nlohmann::ordered_json;

json covariance(const NetworkRun &run, const std::vector<std::string> &marks) {
  // Lower triangle of the joint covariance (east, north, up per mark), m², with held marks errorless.
  if (marks.size() > 300) return nullptr;
  json out = json::array();
  const Eigen::MatrixXd cov = joint_covariance(run, marks);
  for (Eigen::Index i = 0; i < cov.rows(); ++i) {
    json row = json::array();
    for (Eigen::Index k = 0; k <= i; ++k) row.push_back(cov(i, k));
    out.push_back(row);
  }
  return out;
}

/// The systems that coordinates are in, and how they came into them.
ordered_json datum_part(const Job &job, const NetworkRun &run) {
  ordered_json r;
  const JobSettings &set = job.state().settings;
  r["format"] = 4; // since it holds how it is printed, and who looked at it
  r["title"] = set.title;
  r["crs"] = set.datum.crs, r["crs_name"] = system_name(set.datum.crs);
  r["vertical"] = set.datum.vertical;
  r["vertical_name"] = run.geoid_refusal.empty() ? run.geoid_name : "";
  r["frame"] = run.frame, r["epoch"] = set.datum.epoch;
  r["observed_epoch"] = observed_year(*job.snapshot(), run);
  r["operation"] = run.operation.name, r["pipeline"] = run.operation.pipeline;
  r["operation_accuracy_m"] =
      run.operation.accuracy_m ? ordered_json(*run.operation.accuracy_m) : ordered_json(nullptr);
  r["geoid_name"] = run.geoid_name, r["geoid_grid"] = run.geoid_grid, r["geoid_source"] = run.geoid_source;
  const GroundMotion &motion = set.datum.motion;
  const bool moves = !run.result.marks.empty() && ground_moves(run.result.marks.front().position.frame);
  r["ground_moves"] = moves;
  r["plate"] = moves ? motion.plate : "";
  r["motion_sd_m_yr"] = motion.sd_m_yr;
  if (!run.older_datum.empty())
    r["older_datum"] = {
        {"name", run.older_datum},
        {"way", run.older_datum_way},
        {"accuracy_m", run.older_datum_accuracy ? ordered_json(*run.older_datum_accuracy) : ordered_json(nullptr)}};
  r["geoid_sd_m"] = run.geoid_sd ? ordered_json(*run.geoid_sd) : ordered_json(nullptr);
  r["register"] = register_version();
  r["program"] = "Ample Tie 0.1.0";
  r["network_fingerprint"] = run.fingerprint;
  return r;
}

/// The marks that hold the network, with what they were taken from.
ordered_json held_rows(const JobSnapshot &s, const NetworkRun &run) {
  auto out = ordered_json::array();
  for (const AdjustedMark &m : run.result.marks) {
    if (m.hold == Hold::none || m.hold == Hold::check) continue;
    auto p = s.published().find(m.name);
    if (const auto bench = s.benchmarks().find(m.name);
        bench != s.benchmarks().end() && (p == s.published().end() || m.hold == Hold::height)) {
      const PublishedMark &b = bench->second;
      out.push_back({{"name", m.name},
                     {"how", hold_name(m.hold)},
                     {"frame", run.geoid_name},
                     {"epoch", b.epoch.empty() ? "–" : b.epoch},
                     {"sd", {0.0, 0.0, b.sd_height.value_or(0)}},
                     {"source", b.where_height()}});
      continue;
    }
    const Vec3 sd = p != s.published().end() && p->second.sd_enu ? *p->second.sd_enu : Vec3::Zero();
    out.push_back({{"name", m.name},
                   {"how", hold_name(m.hold)},
                   {"frame", p == s.published().end() || p->second.frame.empty() ? run.frame : p->second.frame},
                   {"epoch", p == s.published().end() || p->second.epoch.empty() ? run.epoch_text : p->second.epoch},
                   {"sd", {sd.x(), sd.y(), sd.z()}},
                   {"source", p == s.published().end() ? "" : p->second.where()}});
  }
  return out;
}

/// Each held mark predicted from the others.
ordered_json prediction_rows(const NetworkRun &run) {
  auto out = ordered_json::array();
  for (const ControlCheck &c : run.result.control)
    out.push_back({{"mark", c.mark},
                   {"difference", {c.difference_enu.x(), c.difference_enu.y(), c.difference_enu.z()}},
                   {"statistic", c.statistic},
                   {"limit", c.limit},
                   {"passes", c.passes}});
  return out;
}

/// Marks that were compared and never used; what could not be compared says why.
ordered_json check_rows(const JobSnapshot &s, const NetworkRun &run) {
  auto out = ordered_json::array();
  const auto number = [](bool has, double x) { return has ? ordered_json(x) : ordered_json(nullptr); };
  const auto [compared, left] = compare_checks(s, run);
  for (const ComparedMark &c : compared)
    out.push_back(
        {{"mark", c.name},
         {"source", c.where},
         {"de_m", number(c.has_plan, c.difference.x())},
         {"dn_m", number(c.has_plan, c.difference.y())},
         {"dh_m", c.height_difference ? ordered_json(*c.height_difference) : number(c.has_up, c.difference.z())},
         {"physical", c.height_difference.has_value()},
         {"sd_e_m", number(c.has_plan, std::sqrt(c.cov(0, 0)))},
         {"sd_n_m", number(c.has_plan, std::sqrt(c.cov(1, 1)))},
         {"sd_h_m", c.height_difference ? number(c.height_sd.has_value(), c.height_sd.value_or(0))
                                        : number(c.has_up, std::sqrt(c.cov(2, 2)))},
         {"stated", c.stated},
         {"verdict", c.passes() ? check_verdict(c) : "DISAGREES"}});
  for (const UncomparedCheck &u : left)
    out.push_back({{"mark", u.name},
                   {"source", ""},
                   {"de_m", nullptr},
                   {"dn_m", nullptr},
                   {"dh_m", nullptr},
                   {"physical", false},
                   {"sd_e_m", nullptr},
                   {"sd_n_m", nullptr},
                   {"sd_h_m", nullptr},
                   {"stated", false},
                   {"verdict", "not compared: " + u.because}});
  return out;
}

ordered_json sight_rows(const JobSnapshot &s, const AdjustmentResult &a) {
  auto out = ordered_json::array();
  const auto sights = sight_names(s.traverses());
  for (const BlockTest &t : a.tests) {
    const auto found = sights.find(t.id);
    if (found == sights.end() || t.observations.size() != 1) continue;
    const ObservationTest &o = t.observations.front();
    const bool angle = is_angle(t.kind);
    const double unit_of = angle ? rad_per_arcsec : 1e-3;
    out.push_back(
        {{"from", found->second.from},
         {"to", found->second.to},
         {"what", t.kind},
         {"unit", angle ? "″" : "mm"},
         {"v", o.residual / unit_of},
         {"w", std::abs(o.standardised)},
         {"redundancy", o.redundancy},
         {"mdb", o.smallest_detectable ? ordered_json(*o.smallest_detectable / unit_of) : ordered_json(nullptr)}});
  }
  return out;
}

ordered_json level_rows(const JobSnapshot &s, const NetworkRun &run) {
  auto out = ordered_json::array();
  const AdjustmentResult &a = run.result.adjustment;
  std::map<std::string, LevelSection> sections;
  for (const LevelSection &l : level_sections(s.levels(), run.positioned)) sections.emplace(l.id, l);
  for (const BlockTest &t : a.tests) {
    const auto found = sections.find(t.id);
    if (t.kind != "level" || found == sections.end()) continue;
    const LevelLine *line = s.levels().line(found->second.line);
    const ObservationTest &o = t.observations.front();
    out.push_back({{"from", found->second.from},
                   {"to", found->second.to},
                   {"line", line ? line->name : ""},
                   {"difference_m", found->second.difference},
                   {"length_m", found->second.length},
                   {"setups", found->second.setups},
                   {"v_m", o.residual},
                   {"w", std::abs(o.standardised)},
                   {"mdb_m", o.smallest_detectable ? ordered_json(*o.smallest_detectable) : ordered_json(nullptr)}});
  }
  return out;
}

ordered_json vector_test(const BlockTest &t, const std::string &name) {
  double w = 0;
  for (const auto &o : t.observations) w = std::max(w, std::abs(o.standardised));
  return {{"id", t.id},
          {"name", name},
          {"v", {t.observations[0].residual, t.observations[1].residual, t.observations[2].residual}},
          {"w", w},
          {"statistic", t.statistic},
          {"limit", t.limit},
          {"mdb_m", t.smallest_detectable ? ordered_json(*t.smallest_detectable) : ordered_json(nullptr)},
          {"effect_m", t.external_effect ? ordered_json(*t.external_effect) : ordered_json(nullptr)}};
}

ordered_json vector_row(const VectorResult &v) {
  return {{"id", v.id},
          {"from", v.from},
          {"to", v.to},
          {"session", v.session},
          {"solution", solution_name(v.solved->solution)},
          {"length_m", v.length()},
          {"ratio", v.solved->ratio},
          {"rms_m", v.solved->rms_m},
          {"satellites", v.solved->satellites},
          {"minutes", (v.solved->last - v.solved->first) / 60},
          {"orbits", v.orbits},
          {"frame", frame_name(v.frame)},
          {"epoch", v.epoch},
          {"fingerprint", v.fingerprint}};
}

std::set<std::string> issued_names(const std::vector<const AdjustedMark *> &marks) {
  std::set<std::string> out;
  for (const AdjustedMark *m : marks) out.insert(m->name);
  return out;
}

ordered_json occupation_rows(const JobSnapshot &s) {
  auto out = ordered_json::array();
  for (const Occupation &o : s.occupations())
    out.push_back({{"id", o.id},
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
  return out;
}

ordered_json adjustment_row(const NetworkResult &r) {
  const AdjustmentResult &a = r.adjustment;
  return {{"mode", datum_mode_name(r.mode)},
          {"observations", a.observations},
          {"unknowns", a.unknowns},
          {"redundancy", a.redundancy},
          {"variance_factor", a.variance_factor},
          {"lower", a.lower},
          {"upper", a.upper},
          {"passes", a.passes}};
}
} // namespace

ordered_json issue_content(const Job &job, const NetworkRun &run, const std::vector<const AdjustedMark *> &marks) {
  const JobSnapshot &s = *job.snapshot();
  ordered_json r = datum_part(job, run);
  r["marks"] = r["heights"] = ordered_json::array();
  std::vector<std::string> names;
  for (const AdjustedMark *m : marks) {
    ordered_json row = m->plan_known ? to_json(control_record(s, run, *m)) : to_json(height_record(run, *m));
    row["accuracy"] = record_accuracy(job, run, *m);
    r[m->plan_known ? "marks" : "heights"].push_back(std::move(row));
    if (m->plan_known) names.push_back(m->name);
  }
  r["covariance_enu"] = covariance(run, names);
  r["fits"] = ordered_json::array();
  const std::set<std::string> issued(names.begin(), names.end());
  for (const JobFit &f : s.get(fits_result())) r["fits"].push_back(to_json(f, job.state().settings.datum, &issued));
  r["also"] = also_rows(s.get(also_result()), issued);
  r["changes"] = change_rows(s.get(changes_result()));
  r["motion"] = motion_object(s.get(motions_result()));
  r["held"] = held_rows(s, run);
  r["control"] = prediction_rows(run);
  r["checks"] = check_rows(s, run);
  r["constraints"] = nullptr;
  constexpr std::size_t adjusted_again = 2000; // marks; three adjustments of more take longer than an issue should
  if (run.result.marks.size() <= adjusted_again)
    r["constraints"] = constraint_record(test_constraints(network_input(s, job.vectors()), {}));
  r["undetected"] = undetected_record(s, run);
  if (too_many_undetected(run)) r["undetected_left_out"] = true;
  const AdjustmentResult &a = run.result.adjustment;
  ordered_json n = adjustment_row(run.result);
  std::map<std::string, const VectorResult *> by_id;
  for (const VectorResult &v : job.vectors()) by_id[v.id] = &v;
  n["turns"] = turn_rows(run);
  n["azimuth_constants"] = azimuth_constant_rows(run);
  n["vectors"] = r["vectors"] = ordered_json::array();
  n["sights"] = sight_rows(s, a);
  n["setups"] = run.result.setups.size();
  n["centring_sd_m"] = job.state().settings.centring_sd_m, n["antenna_height_sd_m"] = job.state().settings.height_sd_m;
  n["calibrations"] = ordered_json::array();
  for (const auto &b : run.result.blocks)
    if (b->kind == "antenna calibration") n["calibrations"].push_back(b->id.substr(b->id.find(' ') + 1));
  n["calibration_sd_m"] = job.state().settings.calibration_sd_m;
  n["levels"] = level_rows(s, run);
  for (const BlockTest &t : a.tests)
    if (const auto found = by_id.find(t.id); t.kind == "vector" && found != by_id.end()) {
      n["vectors"].push_back(vector_test(t, found->second->from + " → " + found->second->to));
      r["vectors"].push_back(vector_row(*found->second));
    }
  const auto measured = measured_by_id(s.get(measured_result()));
  for (const BlockTest &t : a.tests)
    if (const auto v = measured.find(t.id); v != measured.end())
      n["vectors"].push_back(vector_test(t, v->second->name_and_where()));
  r["measured"] = measured_rows(s, &run);
  r["network"] = n;
  r["occupations"] = occupation_rows(s);
  r["left_over"] = record_left_over(job);
  r["doubts"] = record_doubts(job);
  r["decisions"] = record_decisions(job);
  r["sources"] = record_sources(s);
  r["instruments"] = instrument_rows(s);
  const std::set<std::string> all = issued_names(marks);
  r["choice"] = choice_object(job.state().settings.issue);
  r["kept_out"] = ordered_json::array();
  for (const AdjustedMark &m : run.result.marks)
    if (!all.count(m.name)) r["kept_out"].push_back(m.name);
  r["notes"] = record_notes(job, all);
  r["earlier"] = ordered_json::array();
  if (job.state().settings.issue.mark_records) r["earlier"] = record_earlier(job, all);
  r["since_last"] = record_since_last(job, r["marks"]);
  r["authors"] = authors_of(job);
  r["second_check"] = nullptr;
  if (const SecondCheck *c = standing_check(job.state(), run))
    r["second_check"] = {{"by", c->by},     {"looked", c->looked},     {"remark", c->remark},
                         {"time", c->time}, {"entered_by", c->author}, {"decision", c->decision}};
  return r;
}

} // namespace ampletie
