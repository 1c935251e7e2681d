#include "judgement/trace.h"
#include "base/size_words.h"
#include "job/decision.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {
const char *occupation_field(const std::string &name) {
  const auto *f = find_field(OccupationThing::fields(), name);
  return f ? f->words : name.c_str();
}
} // namespace

std::vector<TraceStep> trace_occupation(const Occupation &o, const JobSnapshot &s, int depth) {
  std::vector<TraceStep> out;
  const std::string height = o.antenna_height
                                 ? (o.slant || o.measured_to != "arp"
                                        ? fmt::format("height {:.4f} m {} to {} → {:.4f} m to ARP", o.measured,
                                                      o.slant ? "slant" : "vertical", o.measured_to, *o.antenna_height)
                                        : fmt::format("height {:.4f} m to ARP", o.measured))
                                 : "height cannot be reduced";
  out.push_back({depth, "occupation", fmt::format("occupation {} {}", o.mark, iso(o.start).substr(0, 16)), height, "",
                 0, 0, o.id});
  auto line = [&](const char *label) {
    const auto it = o.file->header_lines.find(label);
    return it == o.file->header_lines.end() ? 0L : it->second;
  };
  auto source = [&](const char *label, const std::string &text) {
    out.push_back({depth + 1, "source", fmt::format("{} line {}", o.source_name, line(label)), text, o.source_id,
                   line(label), 0, o.id});
  };
  source("MARKER NAME", "mark " + o.file->marker);
  source("ANTENNA: DELTA H/E/N", fmt::format("antenna height {:.4f} m as keyed in", o.file->delta_hen.x()));
  source("ANT # / TYPE", "antenna " + o.file->antenna);
  std::set<long> decisions;
  for (const auto &[field, seq] : o.decided) decisions.insert(seq);
  for (long seq : decisions) {
    std::string fields;
    for (const auto &[field, q] : o.decided)
      if (q == seq) fields += (fields.empty() ? "" : ", ") + std::string(occupation_field(field));
    out.push_back({depth + 1, "decision", fmt::format("decision {}", seq), fields + " corrected", "", 0, seq, o.id});
  }
  if (o.point)
    for (const auto &c : s.contents())
      if (c.antenna_points && o.point >= c.antenna_points->data() &&
          o.point < c.antenna_points->data() + c.antenna_points->size())
        out.push_back({depth + 1, "antenna", fmt::format("{} line {}", c.source.name, o.point->line),
                       fmt::format("point {} at radius {:.4f} m, {:.4f} m above the ARP", o.point->point,
                                   o.point->radius, o.point->above_arp),
                       c.source.id, o.point->line, 0, o.id});
  if (o.loading)
    for (const auto &c : s.contents())
      if (c.ocean_loading && o.loading >= c.ocean_loading->data() &&
          o.loading < c.ocean_loading->data() + c.ocean_loading->size())
        out.push_back({depth + 1, "ocean loading", fmt::format("{} line {}", c.source.name, o.loading->line),
                       "ocean loading of " + o.loading->station, c.source.id, o.loading->line, 0, o.id});
  if (o.calibration)
    for (const auto &c : s.contents())
      if (c.antex && o.calibration >= c.antex->receivers.data() &&
          o.calibration < c.antex->receivers.data() + c.antex->receivers.size())
        out.push_back({depth + 1, "antenna", fmt::format("{} line {}", c.source.name, o.calibration->line),
                       "calibration of " + o.calibration->type, c.source.id, o.calibration->line, 0, o.id});
  return out;
}

namespace {
TraceStep vector_step(const VectorResult &v, int depth) {
  return {depth,
          "vector",
          fmt::format("vector {} → {}", v.from, v.to),
          v.error.empty()
              ? fmt::format("{}, {} satellites, {} orbits in {} at {:.3f}", solution_name(v.solved->solution),
                            v.solved->satellites, v.orbits, frame_name(v.frame), v.epoch)
              : v.error,
          "",
          0,
          0,
          v.id};
}
} // namespace

std::vector<TraceStep> trace_vector(const VectorResult &v, const JobSnapshot &s, int depth) {
  std::vector<TraceStep> out{vector_step(v, depth)};
  for (const Occupation &o : s.occupations())
    if (o.id == v.from_occupation || o.id == v.to_occupation)
      for (auto &step : trace_occupation(o, s, depth + 1)) out.push_back(std::move(step));
  // The published marks that logged in the session anchor the place at which everything is linearised.
  GpsTime first{}, last{};
  for (const Occupation &o : s.occupations())
    if (o.id == v.from_occupation) first = o.start, last = o.stop;
  for (const Occupation &o : s.occupations()) {
    const auto p = s.published().find(o.mark);
    if (!o.used || p == s.published().end() || o.start > last || o.stop < first) continue;
    out.push_back({depth + 1, "anchor", "a-priori place from " + o.mark,
                   "moves the vector by millionths of its own change", "", 0, 0, o.mark});
    if (p->second.line)
      out.push_back({depth + 2, "control", fmt::format("{} line {}", p->second.source_name, p->second.line),
                     fmt::format("{} in {} at {}", o.mark, p->second.frame, p->second.epoch), p->second.source_id,
                     p->second.line, 0, o.mark});
    if (o.id != v.from_occupation && o.id != v.to_occupation)
      for (auto &step : trace_occupation(o, s, depth + 2)) out.push_back(std::move(step));
  }
  for (const auto &c : s.contents())
    if ((v.orbits == "broadcast" && c.navigation) || (v.orbits == "precise" && (c.sp3 || c.clock)))
      out.push_back({depth + 1, "orbits", c.source.name, v.orbits + " orbits", c.source.id, 0, 0, v.id});
  for (const auto &c : s.contents())
    if (c.ionosphere && s.state().settings.known_ionosphere == "maps")
      out.push_back({depth + 1, "ionosphere", c.source.name, "ionosphere maps", c.source.id, 0, 0, v.id});
  return out;
}

namespace {
/// Orders the branches of a trace by what they do to the mark and says it; those of which it cannot be told come last.
void largest_first(std::vector<TraceStep> &steps) {
  std::vector<std::vector<TraceStep>> branches(1); // the first holds what stands before them
  for (TraceStep &t : steps) {
    if (t.depth == 1) branches.emplace_back();
    branches.back().push_back(std::move(t));
  }
  std::stable_sort(branches.begin() + 1, branches.end(), [](const auto &a, const auto &b) {
    return a.front().effect_m.value_or(-1) > b.front().effect_m.value_or(-1);
  });
  steps.clear();
  for (auto &branch : branches)
    for (TraceStep &t : branch) {
      if (t.effect_m)
        t.detail += (t.detail.empty() ? "" : "; ") + ("one standard deviation of it moves the mark by " +
                                                      length_words(*t.effect_m, *t.effect_m < 1e-4 ? 3 : 1));
      steps.push_back(std::move(t));
    }
}
} // namespace

std::vector<TraceStep> trace_mark(const std::string &mark, const JobSnapshot &s,
                                  const std::vector<VectorResult> &vectors, const NetworkRun *network,
                                  std::size_t followed) {
  std::vector<TraceStep> out;
  const auto held = s.state().holds.find(mark);
  auto control = [&](const std::string &name, int depth) {
    auto p = s.published().find(name);
    if (p == s.published().end()) {
      p = s.benchmarks().find(name);
      if (p == s.benchmarks().end()) return;
    }
    if (!p->second.source_id.empty())
      out.push_back({depth, "control", fmt::format("{} line {}", p->second.source_name, p->second.line),
                     fmt::format("{} in {} at {}", name, p->second.frame.empty() ? "the job's frame" : p->second.frame,
                                 p->second.epoch),
                     p->second.source_id, p->second.line, 0, name});
    const auto h = s.state().holds.find(name);
    if (h != s.state().holds.end())
      out.push_back({depth, "decision", fmt::format("decision {}", h->second.decision),
                     name + (h->second.how == Hold::check ? " is a check" : " is held"), "", 0, h->second.decision,
                     name});
  };
  if (held != s.state().holds.end() && held->second.how == Hold::full) {
    out.push_back({0, "result", mark + " is held at its published coordinates", "", "", 0, 0, mark});
    control(mark, 1);
    return out;
  }
  const bool outside = network && !network->result.parameter.count(mark);
  if (outside)
    out.push_back(
        {0, "result", mark + " is no part of the adjusted network", "what the job has of it follows", "", 0, 0, mark});
  if (!network || outside) {
    for (const Occupation &o : s.occupations())
      if (o.mark == mark)
        for (auto &step : trace_occupation(o, s, 0)) out.push_back(std::move(step));
    control(mark, 0);
    for (const auto &setup : s.traverses().field.setups) {
      const StationSetup &u = setup->setup;
      const bool here = u.mark == mark;
      if (!here &&
          std::none_of(u.pointings.begin(), u.pointings.end(), [&](const auto &p) { return p.target == mark; }))
        continue;
      out.push_back({0, "station", here ? "set-up on " + mark : "sighted from " + u.mark,
                     u.instrument + (u.day.empty() ? "" : ", " + u.day), "", 0, 0, u.id});
      if (const auto *source = s.traverses().field.source(u.source_id))
        out.push_back({1, "source", fmt::format("{} line {}", source->head.name, u.line),
                       "read with the recipe " + source->head.recipe, u.source_id, u.line, 0, u.id});
    }
    for (const LevelLine &l : s.levels().lines)
      if (std::any_of(l.reduced.points.begin(), l.reduced.points.end(), [&](const auto &p) { return p.mark == mark; }))
        out.push_back(
            {0, "level", "met by " + l.name, fmt::format("{} → {}", l.reduced.from, l.reduced.to), "", 0, 0, l.id});
    if (outside && out.size() == 1) out.clear();
    return out;
  }
  out.push_back({0, "result", "adjusted network",
                 fmt::format("{} vectors, {} marks", network->vectors.size(), network->result.marks.size()), "", 0, 0,
                 mark});
  // Exactly what the least squares solution lets through to this mark.
  const auto influences = influences_on(network->result, mark);
  std::set<std::string> ids, holds;
  for (const VectorResult &v : vectors)
    if (influences.count(v.id)) ids.insert(v.id);
  for (const auto &[name, h] : s.state().holds)
    if (influences.count("held " + name)) holds.insert(name);
  const auto head = [&](std::size_t at, double sd, const std::string &id) {
    if (sd > 0) out[at].effect_m = sd * influences.at(id);
  };
  std::vector<double> effects;
  const auto effect_of = [&](const VectorResult &v) {
    return std::sqrt(v.solved->cov.trace() / 3) * influences.at(v.id);
  };
  for (const VectorResult &v : vectors)
    if (ids.count(v.id)) effects.push_back(effect_of(v));
  std::sort(effects.rbegin(), effects.rend());
  const double least_followed = followed < effects.size() ? effects[followed] : -1;
  for (const VectorResult &v : vectors) {
    if (!ids.count(v.id)) continue;
    const std::size_t at = out.size();
    if (effect_of(v) > least_followed)
      for (auto &step : trace_vector(v, s, 1)) out.push_back(std::move(step));
    else
      out.push_back(vector_step(v, 1));
    head(at, std::sqrt(v.solved->cov.trace() / 3), v.id);
  }
  // Vectors solved together share noise and atmosphere: everything the others were made of matters a little.
  std::set<std::string> joint;
  for (const VectorResult &v : vectors)
    if (v.together && ids.count(v.id)) joint.insert(v.joint.key);
  for (const VectorResult &v : vectors) {
    if (!v.together || ids.count(v.id) || !joint.count(v.joint.key)) continue;
    out.push_back({1, "vector", fmt::format("solved together with {} → {}", v.from, v.to),
                   "through the noise and the atmosphere that they share", "", 0, 0, v.id});
    if (effects.size() >= followed) continue; // what is followed comes before these
    for (const Occupation &o : s.occupations())
      if (o.id == v.to_occupation)
        for (auto &step : trace_occupation(o, s, 2)) out.push_back(std::move(step));
  }
  for (const LevelSection &l : level_sections(s.levels(), network->positioned)) {
    if (!influences.count(l.id)) continue;
    const LevelLine *line = s.levels().line(l.line);
    out.push_back({1, "level", fmt::format("levelled {} → {}", l.from, l.to),
                   fmt::format("{}, {:.3f} km, {} set-ups", line ? line->name : l.line, l.length / 1000, l.setups), "",
                   0, 0, l.line});
    head(out.size() - 1, l.sd, l.id);
    if (!line) continue;
    for (const auto &[src, run] : s.levels().runs_of(*line))
      out.push_back({2, "source",
                     fmt::format("{} lines {} to {}", src->name, run->sights.front().line, run->sights.back().line),
                     "read with the recipe " + src->recipe, src->source_id, run->sights.front().line, 0, l.line});
  }
  for (const auto &setup : s.traverses().field.setups) {
    std::string through;
    for (const TargetSight &x : setup->sights)
      if (influences.count(x.id)) through += (through.empty() ? "" : ", ") + x.mean.target;
    if (through.empty() || !s.traverses().in_network(*setup)) continue;
    const StationSetup &u = setup->setup;
    out.push_back({1, "station", "set-up on " + u.mark,
                   fmt::format("sights to {}; {} of {}", through, u.instrument, u.day), "", 0, 0, u.id});
    if (const auto *source = s.traverses().field.source(u.source_id))
      out.push_back({2, "source", fmt::format("{} lines {} to {}", source->head.name, u.line, u.pointings.back().line),
                     "read with the recipe " + source->head.recipe, u.source_id, u.line, 0, u.id});
    if (const auto e = s.state().setups.find(u.id); e != s.state().setups.end()) {
      const SetupEdits &x = e->second;
      std::set<long> decisions{x.mark.decision, x.instrument.decision, x.instrument_height.decision,
                               x.pressure.decision, x.temperature.decision};
      for (const auto &[name, t] : x.targets)
        decisions.insert({t.mark.decision, t.kind.decision, t.height.decision, t.constant.decision});
      for (long n : decisions)
        if (n > 0) out.push_back({2, "decision", fmt::format("decision {}", n), "corrects the book", "", 0, n, u.id});
    }
  }
  for (const auto &name : holds) {
    const std::size_t at = out.size();
    control(name, 1);
    const auto p = s.published().find(name);
    const auto b = s.benchmarks().find(name);
    const double sd = p != s.published().end() && p->second.sd_enu ? p->second.sd_enu->maxCoeff()
                      : b != s.benchmarks().end()                  ? b->second.sd_height.value_or(0)
                                                                   : 0;
    if (at < out.size()) head(at, sd, "held " + name);
  }
  largest_first(out);
  return out;
}

ShortTrace shortened(std::vector<TraceStep> steps) {
  ShortTrace out;
  std::size_t branch = 0;
  for (TraceStep &t : steps) {
    if (t.depth <= 1) ++branch;
    if (branch <= ShortTrace::branches)
      out.steps.push_back(std::move(t));
    else
      out.hidden += t.depth <= 1;
  }
  return out;
}

} // namespace ampletie
