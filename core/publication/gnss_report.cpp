#include "publication/gnss_report.h"
#include "base/error.h"
#include "geodesy/ellipsoid.h"
#include "job/settings.h"
#include "publication/figures.h"
#include "results/track_record.h"
#include "results/vector_pairs.h"
#include <Eigen/Dense>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {

std::string when(GpsTime t) {
  std::string s = iso(t).substr(0, 16);
  s[10] = ' ';
  return s;
}

ReportSection settings(const Job &job) {
  ReportSection s{"How it was solved", {}, {}};
  ReportTable t{"Settings of vectors and limits",
                {{"setting", "", false}, {"value"}, {"unit", "", false}, {"what it does", "", false}},
                {}};
  for (const SettingInfo &i : setting_catalogue())
    if (std::string(i.target) == "solve" || std::string(i.target) == "limit" || std::string(i.target) == "weight")
      t.rows.push_back({i.label, setting_text(job.state().settings, i.name), i.unit, i.sentence});
  s.tables.push_back(std::move(t));
  ReportTable own{"Vectors with settings of their own",
                  {{"vector", "", false}, {"setting", "", false}, {"value"}, {"decision"}},
                  {}};
  for (const VectorResult &v : job.vectors())
    if (const auto o = job.state().vector_settings.find(v.id); o != job.state().vector_settings.end())
      for (const auto &[name, value] : o->second)
        own.rows.push_back({v.from + " → " + v.to, name, setting_text(settings_of_vector(job.state(), v.id), name),
                            std::to_string(value.decision)});
  if (!own.rows.empty()) s.tables.push_back(std::move(own));
  return s;
}

ReportSection occupations(const Job &job) {
  ReportSection s{"Occupations", {}, {}};
  ReportTable t{"",
                {{"mark", "", false},
                 {"from", "GPS time", false},
                 {"to", "GPS time", false},
                 {"interval", "s"},
                 {"receiver", "", false},
                 {"antenna", "", false},
                 {"read", "m"},
                 {"to", "", false},
                 {"ARP above mark", "m"},
                 {"calibration", "", false},
                 {"source", "", false},
                 {"used", "", false}},
                {}};
  std::vector<const Occupation *> all;
  for (const auto *list : {&job.snapshot()->occupations(), &job.snapshot()->moving()})
    for (const Occupation &o : *list) all.push_back(&o);
  for (const Occupation *each : all) {
    const Occupation &o = *each;
    std::string to = o.measured_to + (o.slant ? ", slant" : ", vertical");
    if (std::hypot(o.east, o.north) > 0) to += fmt::format("; {:.4f} east, {:.4f} north of the mark", o.east, o.north);
    t.rows.push_back({o.mark, when(o.start), when(o.stop), fixed(o.interval, o.interval < 1 ? 2 : 0), o.receiver,
                      o.antenna, fixed(o.measured, 4), to,
                      o.antenna_height ? fixed(*o.antenna_height, 4) : o.height_problem,
                      o.calibration ? "found" : "none", o.source_name,
                      o.moving ? "yes, moving"
                      : o.used ? "yes"
                               : "no: " + o.left_out_because});
  }
  s.tables.push_back(std::move(t));
  return s;
}

/// Tracks and what counts of them.
ReportSection tracks(const Job &job) {
  ReportSection s{"Tracks", {}, {}};
  if (job.tracks().empty()) {
    s.paragraphs.push_back(job.snapshot()->moving().empty() ? "No receiver of the job moved."
                                                            : "The tracks of moving receivers are not solved.");
    return s;
  }
  ReportTable all{"Each from its base",
                  {{"receiver", "", false},
                   {"base", "", false},
                   {"start", "GPS time", false},
                   {"epochs"},
                   {"fixed", "%"},
                   {"partly", "%"},
                   {"float", "%"},
                   {"code", "%"},
                   {"none", "%"},
                   {"outside the base's data"},
                   {"farthest", "km"},
                   {"remarks", "", false}},
                  {}};
  ReportTable stops{"Stops",
                    {{"stop", "", false},
                     {"mark", "", false},
                     {"named by", "", false},
                     {"start", "GPS time", false},
                     {"s"},
                     {"result", "", false},
                     {"epochs"},
                     {"antenna", "m"},
                     {"ΔX", "m"},
                     {"ΔY", "m"},
                     {"ΔZ", "m"},
                     {"sd E", "mm"},
                     {"sd N", "mm"},
                     {"sd U", "mm"},
                     {"spread", "mm"},
                     {"used", "", false}},
                    {}};
  for (const TrackResult &t : job.tracks()) {
    const KinematicTrack &k = *t.solved;
    if (!t.error.empty() || k.epochs.empty()) {
      s.paragraphs.push_back("The track of " + t.rover + " is not solved: " + t.error + ".");
      continue;
    }
    const auto share = [&](TrackState x) {
      return fixed(100.0 * static_cast<double>(k.count(x)) / static_cast<double>(k.epochs.size()), 1);
    };
    std::string notes = !t.used ? "left out: " + t.left_out_because : t.stale ? "out of date" : "";
    for (const std::string &n : k.notes) notes += (notes.empty() ? "" : "; ") + n;
    for (const std::string &n : t.stop_notes) notes += (notes.empty() ? "" : "; ") + n;
    all.rows.push_back({t.rover, t.bases(), when(k.epochs.front().time), std::to_string(k.epochs.size()),
                        share(TrackState::fixed), share(TrackState::partly_fixed), share(TrackState::floating),
                        share(TrackState::code), share(TrackState::none), std::to_string(t.without_base),
                        fixed(k.longest_m / 1000, 2), notes});
    for (const OtherBase &o : t.others) s.paragraphs.push_back(base_comparison_words(t, o) + ".");
    if (in_a_joint(job.tracks(), t)) continue; // its stops are those of the joint track
    const Mat3 axes = local_axes(to_geodetic(t.base_xyz));
    for (const TrackStop &x : t.stops) {
      const Mat3 c = axes * x.cov * axes.transpose();
      stops.rows.push_back(
          {x.name, x.mark.empty() ? "–" : x.mark, x.named_by, when(x.start), fixed(x.stop - x.start, 0),
           state_name(x.solution), std::to_string(x.epochs), fixed(x.antenna_height, 4), fixed(x.d.x(), 4),
           fixed(x.d.y(), 4), fixed(x.d.z(), 4), fixed(1000 * std::sqrt(c(0, 0)), 1),
           fixed(1000 * std::sqrt(c(1, 1)), 1), fixed(1000 * std::sqrt(c(2, 2)), 1), fixed(1000 * x.spread_m, 1),
           !t.used || !x.used ? "no: " + (x.left_out_because.empty() ? t.left_out_because : x.left_out_because)
           : x.mark.empty()   ? "no: counts for no mark"
                              : "yes"});
    }
  }
  s.paragraphs.push_back(
      "Every epoch is placed by itself, with what lasts (atmosphere, whole numbers of the carriers) from the data "
      "before and "
      "after it; numbers are held where both directions of time agree. Deviations are from the base, a priori.");
  s.tables.push_back(std::move(all));
  if (!stops.rows.empty()) s.tables.push_back(std::move(stops));
  return s;
}

Mat3 axes_of(const Job &job, const VectorResult &v) {
  for (const Occupation &o : job.snapshot()->occupations())
    if (o.id == v.from_occupation) return local_axes(to_geodetic(o.file->approximate));
  return Mat3::Identity();
}

ReportSection vectors(const Job &job) {
  ReportSection s{"Vectors", {}, {}};
  s.paragraphs.push_back(
      "Marker to marker, in the frame of the orbits at the middle of the session. Standard deviations are "
      "those of the solution, a priori; centring and antenna heights come in with the network.");
  if (const std::string thinned = thinned_pairs(*job.snapshot()); !thinned.empty()) s.paragraphs.push_back(thinned);
  ReportTable t{"Each vector by itself",
                {{"from", "", false},
                 {"to", "", false},
                 {"start", "GPS time", false},
                 {"min"},
                 {"result", "", false},
                 {"ratio"},
                 {"success", "%"},
                 {"rms", "mm"},
                 {"satellites"},
                 {"slips"},
                 {"ΔX", "m"},
                 {"ΔY", "m"},
                 {"ΔZ", "m"},
                 {"length", "m"},
                 {"sd E", "mm"},
                 {"sd N", "mm"},
                 {"sd U", "mm"},
                 {"part in the network", "", false}},
                {}};
  ReportTable full{"Covariance in the orbits' frame",
                   {{"vector", "", false},
                    {"frame", "", false},
                    {"epoch"},
                    {"XX", "mm²"},
                    {"XY", "mm²"},
                    {"XZ", "mm²"},
                    {"YY", "mm²"},
                    {"YZ", "mm²"},
                    {"ZZ", "mm²"}},
                   {}};
  ReportTable story{"From real numbers to integers",
                    {{"vector", "", false},
                     {"start", "", false},
                     {"step"},
                     {"open before"},
                     {"fixed"},
                     {"ratio"},
                     {"success", "%"},
                     {"sd of position", "mm"}},
                    {}};
  ReportTable notes{"Notes of the solutions", {{"vector", "", false}, {"start", "", false}, {"note", "", false}}, {}};
  for (const VectorResult &v : job.vectors()) {
    const std::string name = v.from + " → " + v.to;
    if (!v.error.empty()) {
      notes.rows.push_back({name, v.session, "not solved: " + v.error});
      continue;
    }
    const StaticVector &q = *v.solved;
    const Mat3 axes = axes_of(job, v), enu = axes * q.cov * axes.transpose();
    const std::string part = !v.used         ? "left out: " + v.left_out_because
                             : v.stale       ? "out of date"
                             : v.together    ? "with its session"
                             : v.independent ? "by itself"
                                             : "dependent, not used";
    t.rows.push_back({v.from, v.to, when(q.first), fixed((q.last - q.first) / 60, 0), solution_name(q.solution),
                      fixed(q.ratio, 1), fixed(q.success_rate * 100, 2), mm(q.rms_m), std::to_string(q.satellites),
                      std::to_string(q.slips), fixed(q.d.x(), 4), fixed(q.d.y(), 4), fixed(q.d.z(), 4),
                      fixed(q.d.norm(), 4), mm(std::sqrt(enu(0, 0))), mm(std::sqrt(enu(1, 1))),
                      mm(std::sqrt(enu(2, 2))), part});
    auto c = [&](int i, int k) { return fixed(q.cov(i, k) * 1e6, 3); };
    full.rows.push_back({name + " " + when(q.first), frame_name(v.frame), fixed(v.epoch, 3), c(0, 0), c(0, 1), c(0, 2),
                         c(1, 1), c(1, 2), c(2, 2)});
    int n = 0;
    for (const FixingStep &f : q.story)
      story.rows.push_back({name, when(q.first), std::to_string(++n), std::to_string(f.tried),
                            std::to_string(f.accepted), f.ratio > 0 ? fixed(f.ratio, 1) : "–",
                            fixed(f.success * 100, 2), fixed(f.sd_mm, 1)});
    for (const auto &x : q.notes) notes.rows.push_back({name, when(q.first), x});
  }
  s.tables = {std::move(t), std::move(full), std::move(story)};
  if (!notes.rows.empty()) s.tables.push_back(std::move(notes));
  return s;
}

ReportSection residuals(const Job &job) {
  ReportSection s{"Residuals by satellite",
                  {"Phase residuals between the receivers, ionosphere removed, over all carriers; "
                   "vectors that take part in the network."},
                  {}};
  ReportTable t{"", {{"vector", "", false}, {"start", "", false}, {"satellites with their rms", "mm", false}}, {}};
  for (const VectorResult &v : job.vectors()) {
    if (!v.error.empty() || !v.used || !v.independent) continue;
    std::map<SatId, std::pair<double, int>> sum;
    for (const ResidualSample &r : v.solved->residuals)
      for (float x : r.residual)
        if (std::isfinite(x)) {
          auto &q = sum[r.sat];
          q.first += static_cast<double>(x) * static_cast<double>(x);
          ++q.second;
        }
    std::string text;
    for (const auto &[sat, q] : sum)
      text += (text.empty() ? "" : ", ") + sat.name() + " " + mm(std::sqrt(q.first / q.second));
    t.rows.push_back({v.from + " → " + v.to, when(v.solved->first), text});
  }
  s.tables.push_back(std::move(t));
  return s;
}

ReportSection sessions(const Job &job) {
  ReportSection s{"Sessions solved together", {}, {}};
  std::map<std::string, std::vector<const VectorResult *>> by;
  for (const VectorResult &v : job.vectors())
    if (v.together) by[v.joint.id].push_back(&v);
  if (by.empty()) {
    s.paragraphs.push_back("No session was solved together; its n − 1 vectors enter the network one by one.");
    return s;
  }
  s.paragraphs.push_back(
      "These vectors enter the network as one block with their joint covariance; they close exactly.");
  for (auto &[id, list] : by) {
    ReportTable t{list.front()->session + ", from " + list.front()->from +
                      (list.front()->joint.window_s > 0
                           ? fmt::format(", from means over {:.0f} s", list.front()->joint.window_s)
                           : ""),
                  {{"to", "", false},
                   {"ΔX", "m"},
                   {"ΔY", "m"},
                   {"ΔZ", "m"},
                   {"sd E", "mm"},
                   {"sd N", "mm"},
                   {"sd U", "mm"},
                   {"from the vector by itself", "mm"},
                   {"correlation of heights with the first"}},
                  {}};
    const VectorResult *first = nullptr;
    for (const VectorResult *v : list)
      if (v->joint.index == 0) first = v;
    for (const VectorResult *v : list) {
      const JointShare &q = v->joint;
      const Mat3 axes = axes_of(job, *v), own = q.cov.block<3, 3>(0, 3 * q.index), enu = axes * own * axes.transpose();
      std::string correlation = "–";
      if (first && first != v) {
        const Mat3 f = axes * first->joint.cov.block<3, 3>(0, 0) * axes.transpose(),
                   x = axes * first->joint.cov.block<3, 3>(0, 3 * q.index) * axes.transpose();
        correlation = fixed(x(2, 2) / std::sqrt(f(2, 2) * enu(2, 2)), 2);
      }
      t.rows.push_back({v->to, fixed(q.d.x(), 4), fixed(q.d.y(), 4), fixed(q.d.z(), 4), mm(std::sqrt(enu(0, 0))),
                        mm(std::sqrt(enu(1, 1))), mm(std::sqrt(enu(2, 2))), mm((q.d - v->solved->d).norm()),
                        correlation});
    }
    s.tables.push_back(std::move(t));
  }
  return s;
}

ReportSection closures(const Job &job) {
  ReportSection s{"Closures", {}, {}};
  const JobSettings &set = job.state().settings;
  s.paragraphs.push_back(
      fmt::format("Before any adjustment. Two limits: the job's own of {:g} mm + {:g} ppm of the length, and the "
                  "propagated covariance (χ², error probability 0.001 per closure). \"No check\": all of it from one "
                  "session over the same set-ups; it closes whatever the set-ups are worth.",
                  set.loop_mm, set.loop_ppm));
  ReportTable t{"",
                {{"marks", "", false},
                 {"kind", "", false},
                 {"length", "m"},
                 {"east", "mm"},
                 {"north", "mm"},
                 {"up", "mm"},
                 {"limit", "mm"},
                 {"χ²"},
                 {"χ² limit"},
                 {"verdict", "", false}},
                {}};
  for (const Loop &l : job.loops().loops) {
    const bool tested = l.statistic_limit > 0;
    t.rows.push_back({l.name(), l.repeated() ? "repeated" : "loop", fixed(l.length, 0), mm(l.misclosure_enu.x()),
                      mm(l.misclosure_enu.y()), mm(l.misclosure_enu.z()), mm(l.limit_m),
                      tested ? fixed(l.statistic, 1) : "–", tested ? fixed(l.statistic_limit, 1) : "–",
                      std::string(l.verdict()) + (l.check == LoopCheck::full ? "" : ", " + loop_check_name(l.check))});
  }
  if (t.rows.empty())
    s.paragraphs.push_back(
        "Nothing closes: no vector was measured twice, and no loop over more than one session exists.");
  else
    s.tables.push_back(std::move(t));
  return s;
}

ReportSection decisions(const Job &job) {
  ReportSection s{"What was left out, and what is in doubt", {}, {}};
  ReportTable out{"Left out", {{"what", "", false}, {"why", "", false}, {"decision"}}, {}};
  for (const auto &[item, why] : job.state().left_out)
    out.rows.push_back({item, why.reason, std::to_string(why.decision)});
  if (out.rows.empty())
    s.paragraphs.push_back("Nothing was left out.");
  else
    s.tables.push_back(std::move(out));
  ReportTable d{"Doubts about occupations and vectors",
                {{"kind", "", false},
                 {"where", "", false},
                 {"what", "", false},
                 {"causes tried", "", false},
                 {"state", "", false}},
                {}};
  for (const Doubt &x : job.doubts()) {
    if (x.section != Section::gnss && x.section != Section::intake) continue;
    std::string causes;
    for (const auto &c : x.causes) causes += (causes.empty() ? "" : "; ") + c;
    d.rows.push_back({words(x.kind), x.about, x.sentence, causes,
                      x.state == Doubt::State::open ? "open" : "accepted: " + x.accepted_because});
  }
  if (d.rows.empty())
    s.paragraphs.push_back("There is no doubt about occupations and vectors.");
  else
    s.tables.push_back(std::move(d));
  return s;
}

ReportSection sources(const Job &job) {
  ReportSection s{"Sources", {}, {}};
  ReportTable t{"", {{"file", "", false}, {"SHA-256", "", false}}, {}};
  for (const auto &c : job.snapshot()->contents()) t.rows.push_back({c.source.name, c.source.id});
  s.tables.push_back(std::move(t));
  return s;
}

} // namespace

Report gnss_report(const Job &job) {
  if (job.vectors().empty() && job.tracks().empty())
    throw InputError("there is nothing to report yet: solve vectors first");
  Report r;
  r.title = "GNSS evidence";
  r.subtitle = job.state().settings.title;
  std::set<std::string> frames, orbits;
  int solved = 0, good = 0;
  for (const VectorResult &v : job.vectors()) {
    if (!v.error.empty()) continue;
    ++solved, good += v.solved->solution == Solution::fixed;
    frames.insert(frame_name(v.frame));
    orbits.insert(v.orbits);
  }
  std::string f, o;
  for (const auto &x : frames) f += (f.empty() ? "" : ", ") + x;
  for (const auto &x : orbits) o += (o.empty() ? "" : ", ") + x;
  r.sections.push_back({"In short",
                        {fmt::format("{} occupations, {} vectors solved, {} of them fixed; {} orbits in {}.",
                                     job.snapshot()->occupations().size(), solved, good, o, f)},
                        {}});
  for (auto *part : {settings, occupations, vectors, tracks, residuals, sessions, closures, decisions, sources})
    r.sections.push_back(part(job));
  r.footer = "Ample Tie 0.1.0 · GNSS evidence · " + job.state().settings.title;
  return r;
}

} // namespace ampletie
