#include "base/size_words.h"
#include "judgement/trace.h"
#include "judgement/trace_steps.h"
#include "network/influence.h"
#include "results/measured.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {
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

/// Follows a mark back, branch by branch.
class MarkTrace {
public:
  MarkTrace(const std::string &of, const JobSnapshot &snapshot, const std::vector<VectorResult> &all,
            const NetworkRun *run, std::size_t vectors_followed)
      : mark(of), s(snapshot), vectors(all), network(run), followed(vectors_followed) {}

  std::vector<TraceStep> steps() {
    const auto held = s.state().holds.find(mark);
    if (held != s.state().holds.end() && held->second.how == Hold::full) {
      out.push_back({0, "result", mark + " is held at its published coordinates", "", "", 0, 0, mark});
      control(mark, 1);
    } else if (!network || !network->result.parameter.count(mark))
      of_the_mark_alone();
    else
      of_the_network();
    return std::move(out);
  }

private:
  void of_the_mark_alone() {
    if (network)
      out.push_back({0, "result", mark + " is no part of the adjusted network", "what the job has of it follows", "", 0,
                     0, mark});
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
    if (network && out.size() == 1) out.clear();
  }

  void of_the_network() {
    out.push_back({0, "result", "adjusted network",
                   fmt::format("{} vectors, {} marks", network->vectors.size(), network->result.marks.size()), "", 0, 0,
                   mark});
    // Exactly what the least squares solution lets through to this mark.
    influences = influences_on(network->result, mark);
    for (const VectorResult &v : vectors)
      if (influences.count(v.id)) ids.insert(v.id);
    through_vectors();
    through_joint_vectors();
    through_measured();
    through_levels();
    through_stations();
    through_holds();
    largest_first(out);
  }

  void control(const std::string &name, int depth) {
    const PublishedMark *listed = s.listed(name);
    if (!listed) return;
    const PublishedMark &m = *listed;
    if (!m.source_id.empty()) {
      out.push_back({depth, "control", m.where(), m.what(), m.source_id, m.line, 0, name});
      if (const auto said = s.state().lists.find(m.source_id); said != s.state().lists.end())
        if (const std::string words = said->second.value.words(); !words.empty())
          out.push_back({depth + 1, "decision", fmt::format("decision {}", said->second.decision),
                         "the list is read " + words, "", 0, said->second.decision, name});
    }
    if (m.height_from && m.height_from->line)
      out.push_back({depth, "control", m.where_height(), "height of " + name, m.height_from->source_id,
                     m.height_from->line, 0, name});
    const auto h = s.state().holds.find(name);
    if (h != s.state().holds.end())
      out.push_back({depth, "decision", fmt::format("decision {}", h->second.decision),
                     name + (h->second.how == Hold::check ? " is a check" : " is held"), "", 0, h->second.decision,
                     name});
  }

  /// One standard deviation of a step, as it moves the mark.
  void head(std::size_t at, double sd, const std::string &id) {
    if (sd > 0) out[at].effect_m = sd * influences.at(id);
  }

  void through_vectors() {
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
  }

  /// Vectors solved together share noise and atmosphere: everything the others were made of matters a little.
  void through_joint_vectors() {
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
  }

  void through_measured() {
    for (const MeasuredVector &v : s.get(measured_result())) {
      if (!influences.count(v.id)) continue;
      out.push_back({1, "measured", fmt::format("{} {}", v.kind(), v.name()),
                     fmt::format("{}{}, weight {}", v.status_words.empty() ? "status not said" : v.status_words,
                                 v.base_words.empty() ? "" : ", its base " + v.base_words, v.weight_words),
                     "", 0, 0, v.id});
      head(out.size() - 1, std::sqrt(v.cov.trace() / 3), v.id);
      out.push_back({2, "source", fmt::format("{} line {}", v.source_name, v.line), "as it was measured", v.source_id,
                     v.line, 0, v.id});
      if (v.base_line)
        out.push_back({2, "source", fmt::format("{} line {}", v.source_name, v.base_line), "where its base stood",
                       v.source_id, v.base_line, 0, v.id});
    }
  }

  void through_levels() {
    for (const LevelSection &l : level_sections(s.levels(), network->positioned)) {
      if (!influences.count(l.id)) continue;
      const LevelLine *line = s.levels().line(l.line);
      out.push_back({1, "level", fmt::format("levelled {} → {}", l.from, l.to),
                     fmt::format("{}, {:.3f} km, {} set-ups", line ? line->name : l.line, l.length / 1000, l.setups),
                     "", 0, 0, l.line});
      head(out.size() - 1, l.sd, l.id);
      if (!line) continue;
      for (const auto &[src, run] : s.levels().runs_of(*line))
        out.push_back({2, "source",
                       fmt::format("{} lines {} to {}", src->name, run->sights.front().line, run->sights.back().line),
                       "read with the recipe " + src->recipe, src->source_id, run->sights.front().line, 0, l.line});
    }
  }

  void through_stations() {
    for (const auto &setup : s.traverses().field.setups) {
      std::string through;
      for (const TargetSight &x : setup->sights)
        if (influences.count(x.id)) through += (through.empty() ? "" : ", ") + x.mean.target;
      if (through.empty() || !s.traverses().in_network(*setup)) continue;
      const StationSetup &u = setup->setup;
      out.push_back({1, "station", "set-up on " + u.mark,
                     fmt::format("sights to {}; {} of {}", through, u.instrument, u.day), "", 0, 0, u.id});
      if (const auto *source = s.traverses().field.source(u.source_id))
        out.push_back({2, "source",
                       fmt::format("{} lines {} to {}", source->head.name, u.line, u.pointings.back().line),
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
  }

  void through_holds() {
    std::set<std::string> holds;
    for (const auto &[name, h] : s.state().holds)
      if (influences.count("held " + name)) holds.insert(name);
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
  }

  const std::string &mark;
  const JobSnapshot &s;
  const std::vector<VectorResult> &vectors;
  const NetworkRun *network;
  std::size_t followed;
  std::vector<TraceStep> out;
  std::map<std::string, double> influences; ///< of observations and held marks on the mark
  std::set<std::string> ids;                ///< of the vectors that do something to it
  std::vector<double> effects;              ///< of those, largest first, m
};
} // namespace

std::vector<TraceStep> trace_mark(const std::string &mark, const JobSnapshot &s,
                                  const std::vector<VectorResult> &vectors, const NetworkRun *network,
                                  std::size_t followed) {
  return MarkTrace(mark, s, vectors, network, followed).steps();
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
