#include "judgement/left_over.h"
#include "results/job_results.h"
#include "results/measured.h"
#include "results/tracks.h"
#include "results/vector_pairs.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {

namespace {
bool in_network(const NetworkRun &run, const std::string &mark) {
  return std::any_of(run.result.marks.begin(), run.result.marks.end(),
                     [&](const AdjustedMark &m) { return m.name == mark; });
}

void add_measured(std::vector<LeftOver> &out, const JobSnapshot &s, const std::set<std::string> &files) {
  for (const MeasuredVector &v : s.get(measured_result()))
    if (!files.count(v.source_id) && !v.in_network())
      out.push_back({v.stop  ? "stop"
                     : v.fix ? "fix"
                             : "measured vector",
                     v.name_and_where(),
                     !v.used   ? v.left_out_because
                     : v.check ? "a check: compared, never used"
                               : v.problem});
}

/// What receivers on the move did not bring: left out, not solved, or impossible to solve.
void add_tracks(std::vector<LeftOver> &out, const JobSnapshot &s, const std::set<std::string> &files) {
  for (const Occupation &o : s.moving())
    if (!o.used && !files.count(o.source_id)) out.push_back({"track", occupation_name(o), o.left_out_because});
  const std::vector<TrackResult> &tracks = s.get(tracks_result());
  for (const PlannedTrack &p : s.get(track_plan_result())) {
    const auto t = std::find_if(tracks.begin(), tracks.end(), [&](const TrackResult &x) { return x.id == p.id; });
    const std::string name = occupation_name(*p.rover.front());
    if (t == tracks.end())
      out.push_back({"track", name, p.base.empty() ? p.why_no_base : "it is not solved"});
    else if (!t->used)
      out.push_back({"track", name, t->left_out_because});
    else if (!t->error.empty())
      out.push_back({"track", name, t->error});
  }
}

/// Occupations of no vector and no track that counts: files that came after the last solution, receivers that logged
/// alone.
void add_unpaired(std::vector<LeftOver> &out, const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  std::set<std::string> touched, paired, bases;
  for (const VectorResult &v : vectors) touched.insert({v.from_occupation, v.to_occupation});
  // A base of tracks need not have logged beside another receiver that stood.
  const std::vector<TrackResult> &tracks = s.get(tracks_result());
  for (const PlannedTrack &p : s.get(track_plan_result())) {
    const auto t = std::find_if(tracks.begin(), tracks.end(), [&](const TrackResult &x) { return x.id == p.id; });
    const bool solved = t != tracks.end() && t->used && t->error.empty(), counts = solved && t->names_a_mark();
    for (const Occupation *o : p.base) (counts ? touched : bases).insert(o->id);
    if (solved && !counts && !in_a_joint(tracks, *t))
      out.push_back({"track", occupation_name(*p.rover.front()), "none of its stops counts for a mark"});
  }
  std::vector<const Occupation *> rest;
  for (const Occupation &o : s.occupations())
    if (o.used && !touched.count(o.id)) rest.push_back(&o);
  if (!rest.empty())
    for (const auto &[from, to] : s.get(pairs_result()).pairs) paired.insert({from->id, to->id});
  for (const Occupation *o : rest)
    out.push_back({"occupation", occupation_name(*o),
                   paired.count(o->id)  ? "its vectors are not solved"
                   : bases.count(o->id) ? "it is the base of a track that counts for nothing"
                                        : "no other receiver logged with it"});
}
} // namespace

std::string why_heights_stay_apart(const JobSnapshot &s, const NetworkRun &run) {
  const DatumSettings &d = s.state().settings.datum;
  if (run.heights_alone || is_local(d.crs)) return {};
  if (d.vertical.empty()) return "the job has no vertical system (setting vertical): physical heights join nothing";
  if (!run.geoid_refusal.empty()) return run.geoid_refusal;
  if (!run.geoid_sd) return "nobody states how good the geoid's grid is (settings geoid_sd and geoid_correlation)";
  return {};
}

std::vector<LeftOver> left_over(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const NetworkRun *run) {
  std::vector<LeftOver> out;
  std::set<std::string> files; // told of as a whole
  for (const auto &c : s.contents())
    if (!c.source.damage.empty())
      out.push_back({"file", c.source.name, "damaged"});
    else if (const auto left = s.state().left_out.find(c.source.id);
             left != s.state().left_out.end() && c.source.kind != "pointings" && c.source.kind != "observation") {
      out.push_back({"file", c.source.name, left->second.reason});
      files.insert(c.source.id);
    }
  for (const Occupation &o : s.occupations())
    if (!o.used && !files.count(o.source_id)) out.push_back({"occupation", occupation_name(o), o.left_out_because});
  add_tracks(out, s, files);
  for (const VectorResult &v : vectors)
    if (!v.error.empty() && v.used)
      out.push_back({"vector", v.from + " → " + v.to, v.error});
    else if (!v.used && v.independent)
      out.push_back({"vector", v.from + " → " + v.to, v.left_out_because});
  add_measured(out, s, files);
  if (run) add_unpaired(out, s, vectors);
  for (const auto &[mark, m] : s.misplaced())
    if (!m.accepted) out.push_back({"mark", mark, m.sentence});
  for (const LevelSource &src : s.levels().sources)
    if (src.blocked() && !files.count(src.source_id)) out.push_back({"level file", src.name, "not understood"});
  const std::string apart = run ? why_heights_stay_apart(s, *run) : "";
  const std::string unjoined = "nothing joins it to the network";
  std::set<std::string> joined;
  if (run) {
    const std::set<std::string> used(run->levels.begin(), run->levels.end());
    for (const LevelSection &x : level_sections(s.levels(), run->positioned))
      if (used.count(x.id)) joined.insert(x.line);
  }
  for (const LevelLine &l : s.levels().lines)
    if (files.count(l.run.source_id))
      continue;
    else if (!l.used)
      out.push_back({"level line", l.name, l.left_out_because});
    else if (!l.problem.empty())
      out.push_back({"level line", l.name, l.problem});
    else if (run && !joined.count(l.id))
      out.push_back({"level line", l.name, apart.empty() ? unjoined : apart});
  std::set<std::string> books;
  for (const auto &src : s.traverses().field.sources)
    if (!src.used || src.blocked()) {
      books.insert(src.head.source_id);
      out.push_back({"field book", src.head.name, src.used ? "not understood" : src.left_out_because});
    }
  for (const auto &u : s.traverses().field.setups) {
    if (books.count(u->setup.source_id)) continue;
    if (!u->used)
      out.push_back({"set-up", "on " + u->setup.mark, u->left_out_because});
    else if (run && std::find(run->stations.begin(), run->stations.end(), u->setup.id) == run->stations.end())
      out.push_back({"set-up", "on " + u->setup.mark, unjoined});
  }
  // What nobody measured to is no loss; what levels lead to is.
  std::set<std::string> levelled;
  for (const LevelLine &l : s.levels().lines)
    if (l.used)
      for (const LevelPoint &p : l.reduced.points) levelled.insert(p.mark);
  for (const auto &[mark, h] : s.state().holds)
    if (run && h.how != Hold::none && h.how != Hold::check && levelled.count(mark) && s.listed(mark) &&
        !in_network(*run, mark))
      out.push_back({"held mark", mark, apart.empty() ? "nothing joins it to the network" : apart});
  return out;
}

std::string left_over_words(const std::vector<LeftOver> &list) {
  std::vector<std::pair<std::string, int>> kinds;
  for (const LeftOver &x : list) {
    const auto k = std::find_if(kinds.begin(), kinds.end(), [&](const auto &y) { return y.first == x.kind; });
    if (k == kinds.end())
      kinds.emplace_back(x.kind, 1);
    else
      ++k->second;
  }
  std::string out;
  for (const auto &[kind, n] : kinds)
    out += fmt::format("{}{} {}{}", out.empty() ? "" : ", ", n, kind, n == 1 ? "" : "s");
  return out;
}

} // namespace ampletie
