#include "base/hash.h"
#include "judgement/doubt_list.h"
#include "results/measured.h"
#include "results/tracks.h"
#include <fmt/format.h>
#include <set>

namespace ampletie {

namespace {
using K = Thing::Kind;

/// Everything of a kind that the sources hold, as they are read now.
std::set<std::string> ids_of(K kind, const JobSnapshot &s) {
  std::set<std::string> out;
  switch (kind) {
  case K::source:
    for (const SourceContent &c : s.contents()) out.insert(c.source.id);
    break;
  case K::occupation:
    for (const auto *list : {&s.occupations(), &s.moving()})
      for (const Occupation &o : *list) out.insert(o.id);
    break;
  case K::track:
  case K::stop:
    for (const TrackResult &t : s.get(tracks_result())) {
      out.insert(t.id);
      for (const TrackStop &x : t.stops) out.insert(x.id);
    }
    break;
  case K::vector:
    for (const VectorResult &v : s.vectors()) out.insert(v.id);
    break;
  case K::measured:
    for (const SourceContent &c : s.contents())
      if (c.measured)
        for (const MeasuredRow &r : c.measured->rows) out.insert(measured_id(c.source.id, r.line));
    break;
  case K::level_line:
    for (const LevelLine &l : s.levels().lines) {
      out.insert(l.id);
      out.insert(l.parts.begin(), l.parts.end());
    }
    for (const LevelSource &src : s.levels().sources)
      for (const LevelRun &r : src.runs()) out.insert(r.id);
    break;
  case K::sight:
    for (const LevelSource &src : s.levels().sources)
      for (const LevelRun &r : src.runs())
        for (const StaffSight &x : r.sights) out.insert(x.id);
    break;
  case K::station:
  case K::traverse: // named by the set-up that it starts from
  case K::pointing:
    for (const auto &src : s.traverses().field.sources)
      for (const StationSetup &u : src.file->setups) {
        if (kind != K::pointing) out.insert(u.id);
        if (kind == K::pointing)
          for (const Pointing &p : u.pointings) out.insert(p.id);
      }
    break;
  default:
    break;
  }
  return out;
}

/// A vector that is not solved, or of an occupation that is left out.
bool is_possible_vector(const std::string &id, const JobSnapshot &s) {
  for (const Occupation &a : s.occupations())
    for (const Occupation &b : s.occupations())
      if (&a != &b && content_id("v", a.id + "|" + b.id) == id) return true;
  return false;
}
} // namespace

/// Decisions whose target the sources do not hold any more: a recipe reads a book otherwise, a file is damaged.
void targetless_doubts(DoubtList &list, const JobSnapshot &s) {
  std::map<K, std::set<std::string>> here; // gathered once, of the kinds that are asked about
  for (const auto &[id, aim] : s.state().aims) {
    const K kind = aim.thing.kind;
    if (here.try_emplace(kind).second) here[kind] = ids_of(kind, s);
    if (here[kind].count(id) || (kind == K::vector && is_possible_vector(id, s))) continue;
    std::string numbers;
    for (long seq : aim.decisions) numbers += (numbers.empty() ? "" : ", ") + std::to_string(seq);
    list.add(DoubtKind::decision_without_target, (aim.decisions.size() == 1 ? "decision " : "decisions ") + numbers,
             Section::intake, {Thing::Kind::decision, std::to_string(aim.decisions.back())},
             fmt::format("the {} that it was about is not in the sources as they are read now: it does nothing",
                         words(kind)),
             id);
  }
}

} // namespace ampletie
