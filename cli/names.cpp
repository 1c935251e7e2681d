#include "cli/names.h"
#include "base/error.h"
#include "base/near.h"
#include "base/text.h"
#include "results/job_results.h"
#include "results/measured.h"
#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <set>

namespace ampletie::cli {
namespace {

bool wanted(const std::vector<std::string> &kinds, const char *kind) {
  return std::find(kinds.begin(), kinds.end(), kind) != kinds.end();
}

/// The ways in which one thing can be written.
struct Candidate {
  std::string kind, id;
  std::vector<std::string> words; ///< the last one is the plainest that is its own
};

void add_gnss(std::vector<Candidate> &out, const Job &job, const std::vector<std::string> &kinds) {
  if (wanted(kinds, "occupation"))
    for (const auto *list : {&job.snapshot()->occupations(), &job.snapshot()->moving()})
      for (const Occupation &o : *list)
        out.push_back({"occupation", o.id, {o.id, o.mark, o.mark + "@" + iso(o.start)}});
  if (wanted(kinds, "track"))
    for (const TrackResult &t : job.tracks()) {
      // The name of the receiver is the joint track's, where there is one.
      Candidate c{"track", t.id, {t.id}};
      if (!in_a_joint(job.tracks(), t)) c.words.push_back(t.rover);
      if (!t.joint()) c.words.push_back(t.rover + "@" + t.base);
      out.push_back(std::move(c));
    }
  if (wanted(kinds, "record"))
    for (const IssueRecord &r : job.store().issue_records()) out.push_back({"record", r.id, {r.id}});
  if (wanted(kinds, "stop"))
    for (const TrackResult &t : job.tracks())
      for (const TrackStop &x : t.stops) {
        Candidate c{"stop", x.id, {x.id}};
        if (x.same_as.empty()) c.words.insert(c.words.end(), {x.name, x.name + "@" + iso_ms(x.start)});
        out.push_back(std::move(c)); // else the name is that of the main base's
      }
  if (wanted(kinds, "vector")) {
    std::set<std::string> seen;
    for (const VectorResult &v : job.vectors())
      if (seen.insert(v.id).second) out.push_back({"vector", v.id, {v.from + ">" + v.to, v.id}});
    for (const PlannedVector &v : job.snapshot()->get(plan_result()))
      if (seen.insert(v.id).second) out.push_back({"vector", v.id, {v.from->mark + ">" + v.to->mark, v.id}});
  }
}

void add_levels(std::vector<Candidate> &out, const Job &job, const std::vector<std::string> &kinds) {
  const LevelReport &r = job.snapshot()->levels();
  if (wanted(kinds, "run")) {
    std::set<std::string> seen;
    // Equal names of several days are told apart by their day.
    for (const LevelLine &l : r.lines) {
      Candidate c{"run", l.id, {l.id, l.name, l.day.empty() ? l.id : l.name + "@" + l.day}};
      seen.insert(l.id);
      out.push_back(std::move(c));
      for (const auto &part : l.parts)
        if (seen.insert(part).second) out.push_back({"run", part, {part}});
    }
    for (const LevelSource &s : r.sources)
      for (const LevelRun &x : s.runs())
        if (seen.insert(x.id).second) out.push_back({"run", x.id, {x.id, x.name, s.name + "/" + x.name}});
  }
  if (wanted(kinds, "reading"))
    for (const LevelSource &s : r.sources)
      for (const LevelRun &x : s.runs())
        for (const StaffSight &y : x.sights)
          out.push_back({"reading", y.id, {y.id, fmt::format("{}:{}", s.name, y.line)}});
}

void add_field(std::vector<Candidate> &out, const Job &job, const std::vector<std::string> &kinds) {
  const TraverseReport &t = job.snapshot()->traverses();
  for (const auto &s : t.field.sources)
    for (const StationSetup &u : s.file->setups) {
      if (wanted(kinds, "setup")) {
        const ReducedSetup *now = t.field.find(u.id);
        out.push_back(
            {"setup", u.id, {u.id, now ? now->setup.mark : u.mark, fmt::format("{}:{}", s.file->name, u.line)}});
      }
      if (wanted(kinds, "pointing"))
        for (const Pointing &p : u.pointings)
          out.push_back({"pointing", p.id, {p.id, fmt::format("{}:{}", s.file->name, p.line)}});
    }
  if (wanted(kinds, "route"))
    for (const TraverseLine &l : t.lines)
      out.push_back({"route", "traverse:" + l.id, {"traverse:" + l.id, l.id, l.name}});
}

std::vector<Candidate> candidates(const Job &job, const std::vector<std::string> &kinds) {
  std::vector<Candidate> out;
  if (wanted(kinds, "mark"))
    for (const auto &m : known_marks(job)) out.push_back({"mark", m, {m}});
  if (wanted(kinds, "held"))
    for (const auto &[m, h] : job.state().holds) out.push_back({"held", m, {m}});
  if (wanted(kinds, "source"))
    for (const auto &c : job.snapshot()->contents())
      out.push_back(
          {"source", c.source.id, {c.source.id, c.source.name, c.source.name + "/" + c.source.id.substr(0, 8)}});
  add_gnss(out, job, kinds);
  if (wanted(kinds, "measured vector"))
    for (const MeasuredVector &v : job.snapshot()->get(measured_result()))
      out.push_back({"measured vector", v.id, {v.where(), v.id}});
  add_levels(out, job, kinds);
  add_field(out, job, kinds);
  return out;
}

/// "[v-…:|o-…:]G07[.L2]@FROM/TO"; empty when the word has not that form.
std::string span(const Job &job, const std::string &word) {
  const auto at = word.find('@'), slash = word.find('/', at == std::string::npos ? 0 : at);
  if (at == std::string::npos || slash == std::string::npos) return {};
  const auto from = parse_iso(word.substr(at + 1, slash - at - 1)), to = parse_iso(word.substr(slash + 1));
  if (!from || !to) return {};
  if (*to < *from) throw InputError("\"" + word + "\" ends before it begins");
  const auto colon = word.rfind(':', at);
  std::string what =
      word.substr(colon == std::string::npos ? 0 : colon + 1, at - (colon == std::string::npos ? 0 : colon + 1));
  std::string owner;
  if (colon != std::string::npos)
    owner = resolve(job, word.substr(0, colon), {"occupation", "vector"}, true).front().id;
  if (const auto dot = what.find('.'); dot != std::string::npos) {
    if (what.size() != dot + 3 || what[dot + 1] != 'L' || !std::isdigit(static_cast<unsigned char>(what[dot + 2])))
      throw InputError("\"" + what + "\" names no carrier: write it as G07.L2");
    what = what.substr(0, dot);
  }
  const bool satellite = what.size() == 3 && parse_integer(what.substr(1)) &&
                         std::string_view(solved_systems).find(what[0]) != std::string_view::npos;
  const bool system = what.size() == 1 && std::string_view(solved_systems).find(what[0]) != std::string_view::npos;
  if (!satellite && !system && what != "all")
    throw InputError("\"" + what + "\" is no satellite (G07), system (G) or \"all\"");
  bool seen = what == "all";
  for (const Occupation &o : job.snapshot()->occupations()) seen = seen || o.systems.find(what[0]) != std::string::npos;
  if (!seen) throw InputError("nothing of \"" + what + "\" was observed");
  return (owner.empty() ? "" : owner + ":") + word.substr(colon == std::string::npos ? 0 : colon + 1);
}

} // namespace

std::vector<std::string> known_marks(const Job &job) {
  const JobSnapshot &s = *job.snapshot();
  std::set<std::string> out;
  for (const Occupation &o : s.occupations()) out.insert({o.mark, o.file->marker});
  for (const auto *all : {&s.published(), &s.benchmarks(), &s.checks()})
    for (const auto &[m, p] : *all) out.insert(m);
  for (const auto &[m, p] : s.misplaced()) out.insert(m);
  for (const MeasuredVector &v : s.get(measured_result())) out.insert({v.from, v.to});
  for (const auto &[m, h] : s.state().holds) out.insert(m);
  for (const auto &[m, h] : s.state().same_marks) out.insert({m, h.value});
  for (const LevelSource &src : s.levels().sources)
    for (const LevelRun &r : src.runs())
      for (const StaffSight &x : r.sights) out.insert(x.mark);
  for (const LevelLine &l : s.levels().lines)
    for (const LevelPoint &p : l.reduced.points) out.insert(p.mark);
  for (const auto &source : s.traverses().field.sources)
    for (const StationSetup &u : source.file->setups) {
      out.insert(u.mark);
      for (const Pointing &p : u.pointings) out.insert(p.target);
    }
  for (const auto &u : s.traverses().field.setups) {
    out.insert(u->setup.mark);
    for (const Pointing &p : u->setup.pointings) out.insert(p.target);
  }
  out.erase("");
  return {out.begin(), out.end()};
}

void require_known(const char *what, const std::string &word, const std::vector<std::string> &all, bool ahead) {
  if (ahead || std::find(all.begin(), all.end(), word) != all.end()) return;
  throw InputError(fmt::format("there is no {} \"{}\" in the job{}; add --ahead when its data come later", what, word,
                               near_ones(word, all)));
}

void require_mark(const Job &job, const std::string &mark, bool ahead) {
  const JobSnapshot &s = *job.snapshot();
  // Most are found without reducing any book.
  if (s.state().holds.count(mark) || s.listed(mark) ||
      std::any_of(s.occupations().begin(), s.occupations().end(), [&](const Occupation &o) { return o.mark == mark; }))
    return;
  if (s.occupations().empty() && !s.levels().any() && !s.traverses().any()) return;
  require_known("mark", mark, known_marks(job), ahead);
}

std::vector<Named> resolve(const Job &job, const std::string &text, const std::vector<std::string> &kinds, bool one) {
  std::vector<std::string> among = kinds;
  std::string word = text;
  if (const auto colon = text.find(':'); colon != std::string::npos && wanted(kinds, text.substr(0, colon).c_str())) {
    among = {text.substr(0, colon)};
    word = text.substr(colon + 1);
  }
  if (wanted(among, "span"))
    if (const std::string s = span(job, word); !s.empty()) return {{"span", s, s}};
  // An id is one thing's alone: it needs no list of everything else.
  const JobSnapshot &s = *job.snapshot();
  if (wanted(among, "vector"))
    for (const VectorResult &v : job.vectors())
      if (v.id == word) return {{"vector", v.id, v.id}};
  if (wanted(among, "occupation"))
    for (const Occupation &o : s.occupations())
      if (o.id == word) return {{"occupation", o.id, o.mark + "@" + iso(o.start)}};
  std::vector<Named> out;
  std::vector<std::string> all;
  std::set<std::string> found_kinds;
  const auto at = word.find('@');
  for (const Candidate &c : candidates(job, among)) {
    bool is = std::find(c.words.begin(), c.words.end(), word) != c.words.end();
    // An occupation may be named by its mark and the beginning of its start.
    if (c.kind == "occupation" && at != std::string::npos && at + 5 <= word.size())
      is = is || c.words.back().rfind(word, 0) == 0;
    if (is) {
      out.push_back({c.kind, c.id, c.words.back()});
      found_kinds.insert(c.kind);
    }
    for (const auto &w : c.words)
      if (w.size() < 60) all.push_back(w);
  }
  if (out.empty()) {
    std::string list;
    for (const auto &k : among) list += (list.empty() ? "" : &k == &among.back() ? " or " : ", ") + k;
    throw InputError(fmt::format("there is no {} \"{}\"{}", list, word, near_ones(word, all)));
  }
  if (found_kinds.size() > 1) {
    std::string list;
    for (const auto &k : found_kinds) list += (list.empty() ? "" : " or ") + k + ":" + word;
    throw InputError(fmt::format("\"{}\" names several kinds of things: write {}", word, list));
  }
  // Of occupations, vectors, runs and sources a name must be one; several readings of a line are one line.
  const bool single =
      one || (out.front().kind != "reading" && out.front().kind != "pointing" && out.front().kind != "setup");
  if (single && out.size() > 1) {
    // Words that are not their own (another version of the same file) name nothing: the id does.
    std::map<std::string, int> same;
    for (const Named &n : out) ++same[n.word];
    for (Named &n : out)
      if (same[n.word] > 1) n.word = n.id;
    std::string list;
    for (std::size_t i = 0; i < out.size() && i < 4; ++i) list += (i ? ", " : "") + out[i].word;
    throw InputError(fmt::format("\"{}\" names {} {}s: write one of {}{}", word, out.size(), out.front().kind, list,
                                 out.size() > 4 ? " …" : ""));
  }
  return out;
}

std::string resolve_one(const Job &job, const std::string &word, const std::string &kind) {
  return resolve(job, word, {kind}, true).front().id;
}

} // namespace ampletie::cli
