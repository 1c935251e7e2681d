#include "judgement/decision_words.h"
#include "results/tracks.h"
#include <fmt/format.h>

namespace ampletie {

DecisionWords::DecisionWords(const JobSnapshot &s, const std::vector<VectorResult> &vectors,
                             const std::vector<Doubt> &doubts, const std::vector<Decision> &log)
    : log_(log) {
  for (const auto *list : {&s.occupations(), &s.moving()})
    for (const Occupation &o : *list) names_[o.id] = occupation_name(o);
  for (const TrackResult &t : s.get(tracks_result())) {
    names_[t.id] = "track of " + t.rover + " from " + t.base;
    for (const TrackStop &x : t.stops) names_[x.id] = "stop " + x.name + " at " + iso_ms(x.start).substr(11);
  }
  for (const VectorResult &v : vectors) names_[v.id] = "vector " + v.from + " → " + v.to;
  for (const auto &c : s.contents()) names_[c.source.id] = "file " + c.source.name;
  for (const LevelSource &src : s.levels().sources)
    for (const LevelRun &r : src.runs())
      for (const StaffSight &x : r.sights) names_[x.id] = fmt::format("reading {} line {}", src.name, x.line);
  for (const LevelLine &l : s.levels().lines) {
    names_[l.id] = "line " + l.name;
    for (const auto &part : l.parts) names_.try_emplace(part, "line " + l.name);
  }
  for (const auto &r : s.traverses().field.setups) {
    names_[r->setup.id] = "set-up on " + r->setup.mark;
    for (const Pointing &p : r->setup.pointings)
      names_[p.id] = fmt::format("pointing {} → {}, line {}", r->setup.mark, p.target, p.line);
  }
  for (const TraverseLine &l : s.traverses().lines) names_["traverse:" + l.id] = "traverse " + l.name;
  for (const Doubt &d : doubts) names_[d.id] = std::string(words(d.kind)) + ", " + d.about;
}

const Decision *DecisionWords::decision(long number) const {
  for (const Decision &d : log_)
    if (d.seq == number) return &d;
  return nullptr;
}

std::string DecisionWords::named(const std::string &id) const {
  if (const auto it = names_.find(id); it != names_.end()) return it->second;
  // "v-…:G07@from/to": a span of an occupation, a vector or the whole job.
  if (const auto colon = id.find(':'); colon != std::string::npos)
    if (const auto it = names_.find(id.substr(0, colon)); it != names_.end())
      return id.substr(colon + 1) + " of " + it->second;
  return id;
}

namespace {
template <class... F> struct Overloaded : F... { using F::operator()...; };
template <class... F> Overloaded(F...) -> Overloaded<F...>;

/// What an entry of the log means; nothing when it cannot be read.
std::optional<Meaning> readable(const Decision &d) {
  try {
    return meaning_of(d);
  } catch (const std::exception &) {
    return {};
  }
}
} // namespace

std::string DecisionWords::about(const Decision &d) const {
  const auto m = readable(d);
  if (!m) return named(d.target);
  return std::visit(Overloaded{[](const SettingsSaid &) { return std::string("settings"); },
                               [](const Withdrawn &w) { return fmt::format("decision {}", w.decision); },
                               [](const SecondChecked &) { return std::string("what is to be issued"); },
                               [](const Said<FieldEntryThing> &x) { return "field sheet, " + x.about.text; },
                               [](const Said<AskedThing> &x) { return "accuracy asked of " + x.about.text; },
                               [](const Said<MarkThing> &x) { return "mark " + x.about.text; },
                               [](const Said<StaffThing> &x) { return "staff " + x.about.text; },
                               [](const Said<InstrumentThing> &x) { return "instrument " + x.about.text; },
                               [](const Said<StyleThing> &x) { return "code " + x.about.text; },
                               [](const Said<FitThing> &x) { return "system " + x.about.text; },
                               [](const Said<AlsoThing> &x) { return "further system " + x.about.text; },
                               [](const Said<GroupThing> &x) { return "group " + x.about.text; },
                               [](const Said<PlanThing> &x) { return "planned " + x.about.text; },
                               [](const Said<PairThing> &x) {
                                 const auto bar = x.about.text.find('|');
                                 return x.about.text.substr(bar + 1) + " in the fit of " + x.about.text.substr(0, bar);
                               },
                               [this](const Said<RouteThing> &x) {
                                 const std::string id = "traverse:" + x.about.text, name = named(id);
                                 return name == id ? "traverse " + x.about.text : name;
                               },
                               [this](const auto &x) { return named(x.about.text); }},
                    *m);
}

std::string DecisionWords::said(const Decision &d) const {
  const auto m = readable(d);
  if (!m) return {};
  if (const auto *w = std::get_if<Withdrawn>(&*m)) {
    const Decision *what = decision(w->decision);
    return what && what != &d ? sentence(*what) : "";
  }
  return std::visit(Overloaded{[this](Said<FitThing> x) {
                                 // By its name, not by its hash.
                                 if (const auto list = x.value.find("list"); list != x.value.end() && list->is_string())
                                   *list = named(list->get<std::string>());
                                 return x.said();
                               },
                               [](const auto &x) { return x.said(); }},
                    *m);
}

std::string DecisionWords::sentence(const Decision &d) const {
  const auto m = readable(d);
  const std::string what = about(d), said_words = said(d);
  const auto plainly = [&] { return what + (said_words.empty() ? "" : ": " + said_words); };
  if (!m) return plainly();
  return std::visit(
      Overloaded{
          [&](const LeftOut &x) { return (x.about.text.starts_with("issue-") ? "withdrawn: " : "left out: ") + what; },
          [&](const UsedAgain &x) {
            return (x.about.text.starts_with("issue-") ? "counts again: " : "used again: ") + what;
          },
          [&](const Released &) { return what + " is held no longer"; },
          [&](const DoubtAccepted &) { return "doubt accepted: " + what; },
          [&](const SecondChecked &x) { return "before an issue " + x.said(); },
          [&](const Withdrawn &w) {
            const Decision *of = decision(w.decision);
            // Withdrawing a withdrawal makes the decision count again.
            const bool again = of && of->verb == "withdraw";
            const Decision *first = again ? decision(of->value.value("decision", 0L)) : of;
            return fmt::format("{} {}: {}", again ? "made again" : "taken back", first ? first->seq : 0L,
                               first && first != &d ? sentence(*first) : what);
          },
          [&](const Said<OccupationThing> &x) {
            if (!x.value.contains("height") && !x.value.contains("height_to") && !x.value.contains("slant"))
              return plainly();
            const bool plain = said_words.starts_with("height ");
            return "antenna height of " + what + ": " + (plain ? said_words.substr(7) : said_words);
          },
          [&](const auto &) { return plainly(); }},
      *m);
}

} // namespace ampletie
