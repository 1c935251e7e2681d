#include "cli/show.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/utf8.h"
#include "cli/command_line.h"
#include "cli/fits.h"
#include "cli/groups.h"
#include "cli/levels.h"
#include "cli/traverses.h"
#include "formats/point_recipe.h"
#include "judgement/comparison.h"
#include "judgement/datum_way.h"
#include "judgement/decision_words.h"
#include "judgement/geoid_comparison.h"
#include "publication/change_table.h"
#include "publication/design_table.h"
#include "publication/instruments.h"
#include "publication/record_parts.h"
#include "publication/reliability_tables.h"
#include "results/between.h"
#include "results/control_record.h"
#include "results/measured_record.h"
#include "results/observed_names.h"
#include "results/row_lists.h"
#include "results/stop_fixes.h"
#include "results/track_record.h"
#include <fmt/format.h>

namespace ampletie::cli {
namespace {
using nlohmann::ordered_json;

template <class T> ordered_json maybe(const std::optional<T> &v) {
  return v ? ordered_json(*v) : ordered_json(nullptr);
}

ordered_json sources(const Job &job) {
  auto out = ordered_json::array();
  for (const auto &c : job.snapshot()->contents())
    out.push_back(
        {{"id", c.source.id}, {"name", c.source.name}, {"kind", c.source.kind}, {"taken_at", c.source.taken_at}});
  return out;
}

ordered_json occupation_rows(const Job &job) {
  auto out = ordered_json::array();
  std::vector<const Occupation *> all;
  for (const auto *list : {&job.snapshot()->occupations(), &job.snapshot()->moving()})
    for (const Occupation &o : *list) all.push_back(&o);
  std::stable_sort(all.begin(), all.end(), [](const auto *a, const auto *b) { return a->start < b->start; });
  for (const Occupation *each : all) {
    const Occupation &o = *each;
    auto systems = ordered_json::array();
    for (char c : o.systems) systems.push_back(std::string(1, c));
    out.push_back({{"id", o.id},
                   {"mark", o.mark},
                   {"start", iso(o.start)},
                   {"stop", iso(o.stop)},
                   {"interval_s", o.interval},
                   {"receiver", o.receiver},
                   {"antenna", o.antenna},
                   {"antenna_height_m", maybe(o.antenna_height)},
                   {"height_to", "arp"},
                   {"measured_m", o.measured},
                   {"measured_to", o.measured_to},
                   {"slant", o.slant},
                   {"set_up", o.setup},
                   {"moving", o.moving},
                   {"source", o.source_name},
                   {"epochs", o.epochs},
                   {"systems", systems},
                   {"used", o.used}});
  }
  return out;
}

ordered_json vector_rows(const Job &job, bool in_job) {
  auto out = ordered_json::array();
  std::optional<JobDatum> datum;
  if (in_job) datum.emplace(job_datum(*job.snapshot()));
  for (const VectorResult &v : job.vectors()) {
    ordered_json j{{"id", v.id}, {"from", v.from}, {"to", v.to}};
    if (!v.error.empty()) {
      j["error"] = v.error;
      out.push_back(j);
      continue;
    }
    Vec3 d = v.solved->d;
    Mat3 c = v.solved->cov;
    Frame frame = v.frame;
    if (datum) {
      const Occupation *from = nullptr;
      for (const Occupation &o : job.snapshot()->occupations())
        if (o.id == v.from_occupation) from = &o;
      const Mat3 r =
          FrameChange(v.frame, datum->frame(), from->file->approximate, operation_policy(job.state().settings))
              .linear_part(v.epoch);
      d = r * d, c = r * c * r.transpose(), frame = datum->frame();
    }
    j["start"] = iso(v.solved->first), j["stop"] = iso(v.solved->last);
    j["dx"] = d.x(), j["dy"] = d.y(), j["dz"] = d.z(), j["cov"] = six_of(c);
    j["length_m"] = d.norm();
    const auto &occ = job.snapshot()->occupations();
    double h[2] = {0, 0};
    for (const Occupation &o : occ) {
      if (o.id == v.from_occupation)
        h[0] = to_geodetic(o.file->approximate).h, h[1] = to_geodetic(o.file->approximate + v.solved->d).h;
    }
    j["height_difference_m"] = h[1] - h[0];
    j["solution"] = solution_name(v.solved->solution), j["ratio"] = v.solved->ratio,
    j["success_rate"] = v.solved->success_rate, j["rms_m"] = v.solved->rms_m;
    j["epochs"] = v.solved->epochs, j["satellites"] = v.solved->satellites, j["orbits"] = v.orbits,
    j["session"] = v.session;
    j["independent"] = v.independent, j["frame"] = frame_name(frame), j["epoch"] = v.epoch,
    j["used"] = v.used && v.independent, j["stale"] = v.stale;
    j["together"] = v.together;
    out.push_back(j);
  }
  return out;
}

ordered_json loop_rows(const Job &job) {
  auto out = ordered_json::array();
  std::map<std::string, std::string> names;
  for (const VectorResult &v : job.vectors()) names[v.id] = v.from + " → " + v.to;
  for (const Loop &l : job.loops().loops) {
    ordered_json j{{"id", l.id}, {"marks", l.marks}, {"vectors", l.vectors}, {"signs", l.signs}};
    j["kind"] = l.repeated() ? "repeated" : "loop";
    j["check"] = loop_check_name(l.check);
    j["misclosure"] = {l.misclosure.x(), l.misclosure.y(), l.misclosure.z()};
    j["east_m"] = l.misclosure_enu.x(), j["north_m"] = l.misclosure_enu.y(), j["up_m"] = l.misclosure_enu.z();
    j["length_m"] = l.length, j["misclosure_m"] = l.misclosure_enu.norm();
    j["ppm"] = l.length > 0 ? ordered_json(l.misclosure_enu.norm() / l.length * 1e6) : ordered_json();
    j["limit_m"] = l.limit_m, j["within_limit"] = l.within_limit();
    j["statistic"] = l.statistic_limit > 0 ? ordered_json(l.statistic) : ordered_json();
    j["statistic_limit"] = l.statistic_limit > 0 ? ordered_json(l.statistic_limit) : ordered_json();
    j["within_propagated"] = l.within_propagated();
    j["passes"] = l.closes();
    out.push_back(j);
  }
  return out;
}

ordered_json network_object(const Job &job) {
  const NetworkRun *run = job.network();
  if (!run) throw InputError("the network has not been adjusted, or is out of date");
  const AdjustmentResult &a = run->result.adjustment;
  ordered_json j{
      {"observations", a.observations},
      {"unknowns", a.unknowns},
      {"redundancy", a.redundancy},
      {"constraints", datum_mode_name(run->result.mode)},
      {"variance_factor", a.variance_factor},
      {"global_test",
       {{"lower", a.lower}, {"value", a.variance_factor}, {"upper", a.upper}, {"passes", a.passes}, {"low", a.low()}}},
      {"stale", job.network_stale()},
      {"azimuth_constants", azimuth_constant_rows(*run)}};
  const ObservedNames names(*job.snapshot());
  std::map<std::string, int> groups;
  j["residuals"] = ordered_json::array();
  for (const BlockTest &t : a.tests) {
    groups[run->result.blocks[t.block]->group] += static_cast<int>(t.observations.size());
    const auto [from, to] = names.ends(t.id);
    for (std::size_t i = 0; i < t.observations.size(); ++i) {
      const auto &o = t.observations[i];
      j["residuals"].push_back({{"id", t.id},
                                {"kind", t.kind},
                                {"from", from},
                                {"to", to},
                                {"component", t.components[i]},
                                {"unit", is_angle(t.kind) ? "rad" : "m"},
                                {"residual", o.residual},
                                {"sd", o.residual_sd},
                                {"standardized", o.standardised},
                                {"redundancy_number", o.redundancy},
                                {"mdb", maybe(o.smallest_detectable)},
                                {"used", true}});
    }
  }
  j["groups"] = ordered_json::array();
  for (const auto &[name, n] : groups) j["groups"].push_back({{"name", name}, {"observations", n}});
  return j;
}

ordered_json mark_rows(const Job &job) {
  auto out = ordered_json::array();
  const NetworkRun *run = job.network();
  if (!run) {
    // Before any adjustment: what is published.
    for (const auto *listed : {&job.snapshot()->published(), &job.snapshot()->checks()})
      for (const auto &[name, p] : *listed) {
        const auto h = job.state().holds.find(name);
        out.push_back({{"name", name},
                       {"frame", p.frame},
                       {"epoch", p.epoch},
                       {"held", h == job.state().holds.end() ? "none" : hold_name(h->second.how)},
                       {"description", p.description},
                       {"origin", "published"}});
      }
    for (const auto &[name, p] : job.snapshot()->benchmarks()) {
      if (job.snapshot()->published().count(name)) continue;
      const auto h = job.state().holds.find(name);
      out.push_back({{"name", name},
                     {"frame", ""},
                     {"epoch", p.epoch},
                     {"held", h == job.state().holds.end() ? "none" : hold_name(h->second.how)},
                     {"description", p.description},
                     {"origin", "published height"},
                     {"height_m", maybe(p.height)},
                     {"height_sd_m", maybe(p.sd_height)}});
    }
    return out;
  }
  constexpr const char *shown[] = {
      "name",    "x",         "y",           "z",       "lat_deg",  "lon_deg", "h_m",
      "east_m",  "north_m",   "height_m",    "geoid_m", "sd_e_m",   "sd_n_m",  "sd_u_m",
      "cov_enu", "ellipse95", "height_sd_m", "scaled",  "accuracy", "held",    "independent_checks",
      "frame",   "epoch",     "description", "code",    "origin"};
  std::map<std::string, ordered_json> undetected;
  for (ordered_json &j : undetected_record(*job.snapshot(), *run)) undetected.emplace(j.at("mark"), std::move(j));
  for (const AdjustedMark &m : run->result.marks) {
    const ControlRecord record = control_record(*job.snapshot(), *run, m);
    ordered_json all = to_json(record);
    all["ellipse95"] = ellipse95(record.cov_enu, record.scale_degrees); // of the covariance beside it
    all["accuracy"] = record_accuracy(job, *run, m), all["code"] = "";
    all["origin"] = m.hold == Hold::full ? "published"
                    : m.setups > 0       ? "GNSS"
                    : m.sighted_from > 0 ? "total station"
                                         : "levels";
    ordered_json row;
    for (const char *k : shown) row[k] = all.at(k);
    const auto e = undetected.find(m.name);
    for (const auto &[name, of] : {std::pair{"external_m", "external_m"},
                                   {"external_by", "by"},
                                   {"external_height_m", "height_m"},
                                   {"external_height_by", "height_by"}})
      row[name] = e == undetected.end() ? ordered_json() : e->second.at(of);
    out.push_back(std::move(row));
    if (!m.plan_known)
      for (const char *unknown : {"x", "y", "z", "lat_deg", "lon_deg", "h_m", "east_m", "north_m", "geoid_m", "sd_e_m",
                                  "sd_n_m", "sd_u_m", "cov_enu", "ellipse95"})
        out.back()[unknown] = nullptr;
  }
  return out;
}

} // namespace

ordered_json doubt_row(const Doubt &d) {
  return {{"id", d.id},
          {"kind", words(d.kind)},
          {"code", doubt_kind_info(d.kind).code},
          {"section", section_code(d.section)},
          {"about", d.about},
          {"sentence", d.sentence},
          {"value", maybe(d.value)},
          {"limit", maybe(d.limit)},
          {"unit", d.unit},
          {"effect_m", maybe(d.effect_m)},
          {"causes", d.causes},
          {"state", d.state == Doubt::State::open ? "open" : "accepted"}};
}

ordered_json trace_rows(const std::vector<TraceStep> &steps) {
  auto out = ordered_json::array();
  for (const TraceStep &t : steps)
    out.push_back({{"depth", t.depth},
                   {"kind", t.kind},
                   {"text", t.text},
                   {"detail", t.detail},
                   {"source", t.source_id},
                   {"line", t.line},
                   {"decision", t.decision},
                   {"item", t.item},
                   {"effect_m", maybe(t.effect_m)}});
  return out;
}

namespace {
ordered_json doubt_rows(const Job &job) {
  auto out = ordered_json::array();
  for (const Doubt &d : job.doubts()) out.push_back(doubt_row(d));
  return out;
}

ordered_json decision_rows(const Job &job) {
  auto out = ordered_json::array();
  const auto stands = standing(job.decisions());
  const DecisionWords words = job.words();
  for (std::size_t i = 0; i < job.decisions().size(); ++i) {
    const Decision &d = job.decisions()[i];
    out.push_back({{"seq", d.seq},
                   {"time", d.time},
                   {"author", d.author},
                   {"verb", d.verb},
                   {"target", d.target},
                   {"value", d.value},
                   {"reason", d.reason},
                   {"sentence", words.sentence(d)},
                   {"stands", static_cast<bool>(stands[i])}});
  }
  return out;
}

/// The graph of results: each with its state, what it is computed from, and how long that took.
ordered_json result_rows(const Job &job) {
  job.doubts(); // asks for everything
  auto out = ordered_json::array();
  for (const ResultStatus &r : job.snapshot()->status()) {
    auto reads = ordered_json::array(), decided = ordered_json::array();
    for (const ResultBase *x : r.result->reads) reads.push_back(x->name);
    for (Slice x : r.result->slices) decided.push_back(slice_name(x));
    out.push_back({{"name", r.result->name},
                   {"section", section_code(r.result->section)},
                   {"state", r.state == ResultStatus::State::current  ? "current"
                             : r.state == ResultStatus::State::failed ? "failed"
                                                                      : "not asked for"},
                   {"seconds", r.seconds},
                   {"trouble", r.trouble},
                   {"reads", reads},
                   {"decided", decided}});
  }
  return out;
}

/// Adjusted marks against what lists publish, and what all differences have in common.
ordered_json comparison_object(const Job &job) {
  auto out = ordered_json::array();
  if (!job.network()) return out;
  const Comparison c = compare_with_published(*job.snapshot(), *job.network());
  const auto where = [](bool has, double x) { return has ? ordered_json(x) : ordered_json(nullptr); };
  for (const ComparedMark &m : c.marks)
    out.push_back({{"name", m.name},
                   {"against", m.where},
                   {"check", m.check},
                   {"de_m", where(m.has_plan, m.difference.x())},
                   {"dn_m", where(m.has_plan, m.difference.y())},
                   {"du_m", where(m.has_up, m.difference.z())},
                   {"sd_e_m", where(m.has_plan, std::sqrt(m.cov(0, 0)))},
                   {"sd_n_m", where(m.has_plan, std::sqrt(m.cov(1, 1)))},
                   {"sd_u_m", where(m.has_up, std::sqrt(m.cov(2, 2)))},
                   {"dh_m", maybe(m.height_difference)},
                   {"sd_h_m", maybe(m.height_sd)},
                   {"stated", m.stated},
                   {"judged", m.judged()},
                   {"passes", m.passes()}});
  const auto without_values = [&](const std::string &name, const std::string &against, bool check, bool judged) {
    ordered_json row{{"name", name}, {"against", against}, {"check", check}};
    for (const char *k : {"de_m", "dn_m", "du_m", "sd_e_m", "sd_n_m", "sd_u_m", "dh_m", "sd_h_m"}) row[k] = nullptr;
    row["stated"] = judged, row["judged"] = judged, row["passes"] = false;
    out.push_back(std::move(row));
  };
  for (const UncomparedCheck &u : c.uncompared) without_values(u.name, u.because, true, false);
  for (const SystematicPart &p : c.systematic) without_values("all", p.sentence, false, true);
  return out;
}

/// Control lists, as they are read and meant; lists of vectors and stops.
ordered_json list_rows(const Job &job) {
  auto out = ordered_json::array();
  const auto row = [&](const auto &l, const std::string &kind, std::size_t rows, const std::string &said) {
    out.push_back({{"name", l.name},
                   {"id", l.source_id},
                   {"kind", kind},
                   {"state", l.waits()           ? "not said"
                             : l.problem.empty() ? "read"
                                                 : "not read"},
                   {"marks", rows},
                   {"recipe", l.recipe},
                   {"columns", columns_in_words(*l.used)},
                   {"said", said},
                   {"unread", l.unread},
                   {"problem", l.problem}});
  };
  for (const ListSource &l : job.snapshot()->lists())
    row(l, "control", l.list ? l.list->rows.size() : 0, l.said.words());
  for (const RowSource &l : job.snapshot()->get(row_lists_result())) row(l, l.kind, l.rows(), "");
  return out;
}

/// Other geoids of the job against the one in use, a row for each mark.
ordered_json geoid_rows(const Job &job) {
  auto out = ordered_json::array();
  if (!job.network()) return out;
  for (const GeoidComparison &c : compare_geoids(*job.snapshot(), *job.network()))
    for (const GeoidsAt &m : c.marks) {
      ordered_json j{{"mark", m.mark}, {"used", c.used}, {"other", c.other}};
      j["used_m"] = m.used ? ordered_json(*m.used) : ordered_json(nullptr);
      j["other_m"] = m.other ? ordered_json(*m.other) : ordered_json(nullptr);
      j["left_m"] = m.used && m.other ? ordered_json(m.left) : ordered_json(nullptr);
      j["words"] = c.words();
      out.push_back(std::move(j));
    }
  return out;
}

ordered_json way_rows(const Job &job) {
  auto out = ordered_json::array();
  for (const WayStation &w : datum_way(*job.snapshot())) {
    ordered_json j{{"kind", way_kind_name(w.kind)}, {"title", w.title}, {"detail", w.detail}, {"does", w.moves}};
    j["moves_m"] = w.moves_m ? ordered_json(*w.moves_m) : ordered_json(nullptr);
    j["accuracy_m"] = w.accuracy_m ? ordered_json(*w.accuracy_m) : ordered_json(nullptr);
    j["accuracy"] = w.accuracy, j["problem"] = w.problem;
    out.push_back(std::move(j));
  }
  return out;
}

/// Every list that can be shown.
struct List {
  const char *name;
  ordered_json (*rows)(const Job &);
};
ordered_json field_rows(const Job &job) {
  auto out = ordered_json::array();
  const auto text = [](const auto &x) { return x.value ? ordered_json(*x.value) : ordered_json(nullptr); };
  for (const auto &[name, e] : job.state().field_sheet)
    out.push_back({{"entry", name},
                   {"mark", text(e.mark)},
                   {"start", text(e.start)},
                   {"stop", text(e.stop)},
                   {"height_m", text(e.height)},
                   {"to", text(e.point)},
                   {"antenna", text(e.antenna)},
                   {"remark", text(e.remark)}});
  return out;
}

ordered_json attachment_rows(const Job &job) {
  auto out = ordered_json::array();
  for (const SourceContent &c : job.snapshot()->contents()) {
    if (!c.attachment) continue;
    const auto of = job.state().attachments.find(c.source.id);
    const auto number = [](const std::optional<double> &x) { return x ? ordered_json(*x) : ordered_json(nullptr); };
    out.push_back({{"name", c.source.name},
                   {"id", c.source.id},
                   {"type", c.attachment->type},
                   {"of", of == job.state().attachments.end() ? ordered_json(nullptr) : ordered_json(of->second.value)},
                   {"taken", c.attachment->taken},
                   {"lat_deg", number(c.attachment->lat_deg)},
                   {"lon_deg", number(c.attachment->lon_deg)},
                   {"width", c.attachment->width},
                   {"height", c.attachment->height}});
  }
  return out;
}

/// Who looked at what before an issue; whether that is what the coordinates still are.
ordered_json signed_rows(const Job &job) {
  auto out = ordered_json::array();
  for (const SecondCheck &c : job.state().second_checks)
    out.push_back({{"by", c.by},
                   {"looked", c.looked},
                   {"remark", c.remark},
                   {"time", c.time},
                   {"decision", c.decision},
                   {"stands", job.network() && job.network()->fingerprint == c.content}});
  return out;
}

/// What left the house, with what was withdrawn.
ordered_json issue_rows(const Job &job) {
  auto out = ordered_json::array();
  for (const IssueRecord &r : job.store().issue_records()) {
    const auto withdrawn = job.state().left_out.find(r.id);
    out.push_back({{"record", r.id},
                   {"time", r.time},
                   {"kind", is_provisional(r) ? "provisional" : "control"},
                   {"marks", r.data.value("marks", nlohmann::json::array()).size()},
                   {"sha256", r.sha256},
                   {"damage", r.damage},
                   {"withdrawn", withdrawn == job.state().left_out.end() ? ordered_json(nullptr)
                                                                         : ordered_json(withdrawn->second.reason)}});
  }
  return out;
}

/// Stops, each with what a list of real time says of its mark.
ordered_json stops_with_fixes(const Job &job) {
  ordered_json out = stop_rows(job.tracks());
  const auto fixes = stops_against_fixes(*job.snapshot());
  for (ordered_json &j : out) {
    j["real_time"] = nullptr;
    for (const StopAgainstFix &f : fixes)
      if (j.at("id") == f.stop)
        j["real_time"] = {{"fix", f.fix},
                          {"de_m", f.enu.x()},
                          {"dn_m", f.enu.y()},
                          {"du_m", f.enu.z()},
                          {"sd_e_m", std::sqrt(f.cov(0, 0))},
                          {"sd_n_m", std::sqrt(f.cov(1, 1))},
                          {"sd_u_m", std::sqrt(f.cov(2, 2))},
                          {"same_base", f.same_base},
                          {"passes", f.passes}};
  }
  return out;
}

constexpr List lists[] = {
    {"sources", sources},
    {"occupations", occupation_rows},
    {"vectors", [](const Job &job) { return vector_rows(job, false); }},
    {"tracks", [](const Job &job) { return track_rows(job.tracks()); }},
    {"stops", stops_with_fixes},
    {"loops", loop_rows},
    {"runs", run_rows},
    {"heights", height_rows},
    {"setups", setup_rows},
    {"traverses", traverse_rows},
    {"network", network_object},
    {"marks", mark_rows},
    {"comparison", comparison_object},
    {"fits", fit_rows},
    {"pairs", fit_pair_rows},
    {"also", also_list},
    {"groups", group_rows},
    {"constraints", constraint_object},
    {"causes", cause_rows},
    {"patterns", pattern_rows},
    {"change", [](const Job &job) { return change_rows(job.snapshot()->get(changes_result())); }},
    {"velocities", [](const Job &job) { return motion_object(job.snapshot()->get(motions_result())); }},
    {"plan", [](const Job &job) { return design_object(*job.snapshot(), job.snapshot()->get(design_result())); }},
    {"lists", list_rows},
    {"geoids", geoid_rows},
    {"measured", [](const Job &job) { return measured_rows(*job.snapshot(), job.network()); }},
    {"way", way_rows},
    {"instruments", [](const Job &job) { return instrument_rows(*job.snapshot()); }},
    {"doubts", doubt_rows},
    {"decisions", decision_rows},
    {"results", result_rows},
    {"field", field_rows},
    {"attachments", attachment_rows},
    {"signed", signed_rows},
    {"issues", issue_rows},
};
constexpr bool same_lists() {
  if (std::size(lists) != std::size(list_titles)) return false;
  for (std::size_t i = 0; i < std::size(lists); ++i)
    if (std::string_view(lists[i].name) != list_titles[i]) return false;
  return true;
}
static_assert(same_lists(), "a list has its name in command_line.h and its rows here");
} // namespace

ordered_json between_row(const Between &b) {
  const Eigen::Matrix2d plan = b.cov_enu.topLeftCorner<2, 2>();
  const Ellipse e = ellipse(plan);
  return {{"from", b.from},
          {"to", b.to},
          {"slope_m", b.slope_m},
          {"slope_sd_m", b.slope_sd_m},
          {"ground_m", b.ground_m},
          {"ellipsoid_m", b.ellipsoid_m},
          {"grid_m", b.grid_m},
          {"de_m", b.east_m},
          {"dn_m", b.north_m},
          {"du_m", b.up_m},
          {"du_sd_m", std::sqrt(b.cov_enu(2, 2))},
          {"dheight_m", b.height_m ? ordered_json(*b.height_m) : ordered_json(nullptr)},
          {"dheight_sd_m", b.height_sd_m ? ordered_json(*b.height_sd_m) : ordered_json(nullptr)},
          {"bearing_deg", degrees(b.bearing_rad)},
          {"azimuth_deg", degrees(b.azimuth_rad)},
          {"zenith_deg", degrees(b.zenith_rad)},
          {"ellipse95",
           {{"a_m", factor95(2) * e.major}, {"b_m", factor95(2) * e.minor}, {"azimuth_deg", degrees(e.azimuth)}}},
          {"cov_enu",
           {b.cov_enu(0, 0), b.cov_enu(0, 1), b.cov_enu(0, 2), b.cov_enu(1, 1), b.cov_enu(1, 2), b.cov_enu(2, 2)}}};
}

ordered_json rows(const Job &job, const std::string &list, bool in_job) {
  if (list == "vectors") return vector_rows(job, in_job);
  for (const List &l : lists)
    if (l.name == list) return l.rows(job);
  throw InputError("there is no list called \"" + list + "\": " + list_names());
}

/// A cell of a table: in one line.
std::string cell(const ordered_json &v) {
  if (v.is_null()) return "–";
  if (v.is_string()) return printable(v.get<std::string>());
  return v.is_number_float() ? fmt::format("{:.4f}", v.get<double>()) : v.dump();
}
std::size_t width_of(const std::string &s) {
  return static_cast<std::size_t>(std::count_if(s.begin(), s.end(), [](char c) { return (c & 0xC0) != 0x80; }));
}
/// Of a cell what a column shows.
std::string shortened(const std::string &s) {
  constexpr std::size_t widest = 44;
  if (width_of(s) <= widest) return s;
  std::size_t end = 0;
  for (std::size_t n = 0; end < s.size() && n < widest; ++end) n += (s[end] & 0xC0) != 0x80;
  while (end > 0 && (s[end - 1] & 0xC0) == 0x80) --end;
  return s.substr(0, end - 1) + "…";
}
/// What a person must be able to read to its end stands below its row.
bool is_sentence(const std::string &key) {
  return key == "sentence" || key == "problem" || key == "error" || key.ends_with("because") || key == "reason";
}

std::string table(const ordered_json &all) {
  if (!all.is_array()) return all.dump(2) + "\n";
  if (all.empty()) return "none\n";
  std::vector<std::string> keys;
  for (const auto &[k, v] : all.front().items())
    if (!v.is_array() && !v.is_object()) keys.push_back(k);
  std::vector<std::vector<std::string>> cells{keys};
  std::vector<std::string> below{""};
  for (const auto &row : all) {
    std::vector<std::string> line;
    std::string rest;
    for (const auto &k : keys) {
      const std::string whole = cell(row.value(k, ordered_json())), shown = shortened(whole);
      if (shown != whole && is_sentence(k)) rest += "    " + k + ": " + whole + "\n";
      line.push_back(shown);
    }
    for (const auto &cause : row.value("causes", ordered_json::array()))
      if (cause.is_string()) rest += "    cause: " + cell(cause) + "\n";
    cells.push_back(std::move(line)), below.push_back(std::move(rest));
  }
  std::vector<std::size_t> width(keys.size());
  for (const auto &line : cells)
    for (std::size_t i = 0; i < keys.size(); ++i) width[i] = std::max(width[i], width_of(line[i]));
  std::string out;
  for (std::size_t r = 0; r < cells.size(); ++r) {
    for (std::size_t i = 0; i < keys.size(); ++i)
      out += cells[r][i] + std::string(width[i] - width_of(cells[r][i]) + 2, ' ');
    while (out.back() == ' ') out.pop_back();
    out += '\n' + below[r];
  }
  return out;
}

} // namespace ampletie::cli
