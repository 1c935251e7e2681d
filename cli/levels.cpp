#include "cli/levels.h"
#include "base/error.h"
#include "base/near.h"
#include "base/text.h"
#include "cli/names.h"
#include "job/decision.h"
#include <fmt/format.h>
#include <set>

namespace ampletie::cli {
namespace {
using nlohmann::json;
using nlohmann::ordered_json;

std::pair<std::string, std::string> two_marks(const std::string &text) {
  const auto colon = text.find(':');
  if (colon == std::string::npos || colon == 0 || colon + 1 == text.size())
    throw InputError("two marks are needed, as OLD:NEW");
  return {text.substr(0, colon), text.substr(colon + 1)};
}

/// Where a line ends: what follows it follows its last part.
std::string last_part(const Job &job, const std::string &word) {
  const std::string id = resolve_one(job, word, "run");
  for (const LevelLine &l : job.snapshot()->levels().lines)
    if (l.id == id) return l.parts.back();
  return id;
}

json run_value(const Job &job, const std::string &name, const std::string &text) {
  if (name == "split" || name == "join") return {{"split", {{text, name == "split"}}}};
  if (name == "computed" || name == "held") return {{"computed", {{text, name == "computed"}}}};
  if (name == "rename") {
    const auto [from, to] = two_marks(text);
    return {{"rename", {{from, to}}}};
  }
  if (name == "exchange") {
    const auto [a, b] = two_marks(text);
    return {{"rename", {{a, b}, {b, a}}}};
  }
  if (name == "follows" && !text.empty()) return {{"follows", last_part(job, text)}};
  return {{name, typed_field<RunThing>(name, text)}};
}

/// "0.012@2026-05-10": the slope found on a day; "@2026-05-10" takes that test off the card.
json instrument_value(const std::string &name, const std::string &text) {
  if (name != "collimation") return {{name, typed_field<InstrumentThing>(name, text)}};
  const auto at = text.find('@');
  if (at == std::string::npos) throw InputError("say on which day the test was, as in 0.012@2026-05-10");
  const json day = typed_field<InstrumentThing>("until", text.substr(at + 1));
  if (day.is_null()) throw InputError("say on which day the test was, as in 0.012@2026-05-10");
  return {{"collimation",
           {{day.get<std::string>(), at == 0 ? json() : typed_field<RunThing>("collimation", text.substr(0, at))}}}};
}

/// Marks that a run meets, as its book has them: what rename, split and computed may name.
void require_run_marks(const Job &job, const std::string &run, const json &v) {
  std::set<std::string> marks;
  const LevelReport &r = job.snapshot()->levels();
  for (const LevelSource &s : r.sources)
    for (const LevelRun &x : s.runs())
      if (x.id == run)
        for (const StaffSight &y : x.sights) marks.insert(y.mark);
  for (const LevelLine &l : r.lines)
    if (l.id == run || std::find(l.parts.begin(), l.parts.end(), run) != l.parts.end())
      for (const StaffSight &y : l.run.sights) marks.insert(y.mark);
  for (const char *key : {"split", "computed", "rename"})
    if (v.contains(key))
      for (const auto &[mark, x] : v.at(key).items())
        require_known("mark of this run", mark, {marks.begin(), marks.end()}, false);
}

template <class Get> std::vector<std::string> in_books(const Job &job, Get get) {
  std::vector<std::string> out;
  for (const LevelSource &s : job.snapshot()->levels().sources)
    for (const LevelRun &x : s.runs()) get(x, out);
  return out;
}
} // namespace

void set_levels(Job &job, const std::vector<std::string> &words, const std::string &because, bool ahead) {
  if (words.size() < 3) throw InputError("say which one and NAME=VALUE");
  const std::string &kind = words[0];
  std::vector<std::string> targets;
  if (kind == "run" || kind == "reading") {
    for (const Named &n : resolve(job, words[1], {kind}, kind == "run")) targets.push_back(n.id);
  } else if (kind == "instrument") {
    auto serials = in_books(job, [](const LevelRun &x, auto &out) { out.push_back(x.instrument); });
    for (const auto &u : job.snapshot()->traverses().field.setups) serials.push_back(u->setup.instrument);
    require_known("instrument", words[1], serials, ahead);
    targets = {"instrument:" + words[1]};
  } else if (kind == "staff") {
    require_known("staff", words[1],
                  in_books(job,
                           [](const LevelRun &x, auto &out) {
                             for (const StaffSight &y : x.sights) out.push_back(y.staff);
                           }),
                  ahead);
    targets = {"staff:" + words[1]};
  } else {
    require_mark(job, words[1], ahead);
    targets = {"mark:" + words[1]};
  }
  for (std::size_t i = 2; i < words.size(); ++i) {
    const auto [name, text] = name_value(words[i]);
    json v;
    if (kind == "run") {
      v = run_value(job, name, text);
      require_run_marks(job, targets.front(), v);
    } else if (kind == "reading") {
      v[name] = typed_field<SightThing>(name, text);
    } else if (kind == "instrument") {
      v = instrument_value(name, text);
    } else if (kind == "mark") {
      const std::string field = name == "same-as" ? "same_as" : name;
      if (field == "same_as" && text == words[1]) throw InputError("a name cannot stand for itself");
      if (field == "same_as" && !text.empty()) require_mark(job, text, ahead);
      v[field] = typed_field<MarkThing>(field, text);
    } else
      v[name] = typed_field<StaffThing>(name, text);
    for (const auto &target : targets) job.decide("set", target, v, because);
  }
}

ordered_json run_rows(const Job &job) {
  auto out = ordered_json::array();
  for (const LevelLine &l : job.snapshot()->levels().lines) {
    ordered_json j{{"id", l.id},
                   {"name", l.name},
                   {"from", l.reduced.from},
                   {"to", l.reduced.to},
                   {"length_m", l.reduced.length},
                   {"setups", l.reduced.setups},
                   {"difference_m", l.reduced.difference}};
    // The worst closure speaks for the run.
    const Misclosure *worst = worst_closure(l.misclosures);
    auto closures = ordered_json::array();
    for (const Misclosure &m : l.misclosures)
      closures.push_back({{"kind", m.kind == Misclosure::Kind::loop ? "loop" : "between"},
                          {"from", m.from},
                          {"to", m.to},
                          {"misclosure_m", m.value},
                          {"limit_m", m.limit},
                          {"sd_m", m.sd},
                          {"length_m", m.length},
                          {"setups", m.setups},
                          {"passes", m.within_limit()}});
    j["misclosure_m"] = worst ? ordered_json(worst->value) : ordered_json(nullptr);
    j["limit_m"] = worst ? ordered_json(worst->limit) : ordered_json(nullptr);
    j["passes"] = worst ? ordered_json(worst->within_limit()) : ordered_json(nullptr);
    j["used"] = l.used;
    j["problem"] = l.problem;
    j["closures"] = closures;
    auto marks = ordered_json::array();
    for (const LineHeight &h : l.heights)
      marks.push_back({{"name", h.mark},
                       {"height_m", h.observed},
                       {"correction_m", h.correction},
                       {"adjusted_m", h.height},
                       {"sd_m", h.sd},
                       {"known", h.known}});
    j["marks"] = marks;
    auto troubles = ordered_json::array();
    for (const auto &t : l.setups.troubles)
      troubles.push_back({{"line", l.run.sights[t.sight].line}, {"what", t.what}});
    j["troubles"] = troubles;
    out.push_back(j);
  }
  return out;
}

ordered_json height_rows(const Job &job) {
  auto out = ordered_json::array();
  const auto &n = job.snapshot()->levels().network;
  if (!n) return out;
  for (const LevelNetworkMark &m : n->marks)
    out.push_back({{"name", m.name},
                   {"height_m", m.height},
                   {"sd_m", m.sd},
                   {"held", m.held},
                   {"relative", m.relative},
                   {"sections", m.sections}});
  return out;
}

} // namespace ampletie::cli
