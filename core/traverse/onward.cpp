#include "traverse/onward.h"
#include <algorithm>

namespace ampletie {
namespace {

/// Below this a sight is a look at something, not a leg.
constexpr double least_score = 2;

bool sights(const SightedSetup &s, const std::string &mark, bool as_orientation) {
  return std::any_of(s.sights.begin(), s.sights.end(), [&](const auto &t) {
    return t.first == mark && (!as_orientation || t.second == PointingKind::orientation);
  });
}

} // namespace

std::vector<std::vector<OnwardChoice>> onward_choices(const std::vector<SightedSetup> &setups,
                                                      const std::set<std::string> &ends) {
  std::map<std::string, std::vector<std::size_t>> at;
  for (std::size_t i = 0; i < setups.size(); ++i) at[setups[i].mark].push_back(i);
  std::vector<std::vector<OnwardChoice>> out(setups.size());
  for (std::size_t i = 0; i < setups.size(); ++i) {
    std::set<std::string> seen;
    for (const auto &[mark, kind] : setups[i].sights) {
      if (mark == setups[i].mark || !seen.insert(mark).second) continue;
      OnwardChoice best;
      best.mark = mark, best.score = -10;
      const auto there = at.find(mark);
      if (there != at.end())
        for (std::size_t k : there->second) {
          if (k == i) continue;
          OnwardChoice c;
          c.mark = mark, c.next = k, c.score = 2;
          c.reason = "a set-up stands there";
          if (sights(setups[k], setups[i].mark, false)) c.score += 3, c.reason = "sighted from both ends";
          if (sights(setups[k], setups[i].mark, true)) c.score += 2, c.reason += ", oriented on this mark";
          if (k == i + 1)
            c.score += 3, c.reason += ", next in the field";
          else if (k > i)
            c.score += 1, c.reason += ", later in the field";
          else
            c.score -= 3, c.reason += ", earlier in the field";
          if (c.score > best.score) best = c;
        }
      if (!best.next)
        best.score = ends.count(mark) ? 1 : 0, best.reason = ends.count(mark) ? "a known mark" : "only sighted";
      if (ends.count(mark) && ends.count(setups[i].mark)) best.score -= 20, best.reason += ", both ends known";
      out[i].push_back(std::move(best));
    }
    std::stable_sort(out[i].begin(), out[i].end(), [](const auto &a, const auto &b) { return a.score > b.score; });
  }
  return out;
}

std::vector<RoutePath> propose_routes(const std::vector<SightedSetup> &setups, const std::set<std::string> &ends,
                                      const std::vector<std::vector<OnwardChoice>> &choices,
                                      const std::map<std::size_t, std::string> &said) {
  std::vector<RoutePath> out;
  std::set<std::pair<std::string, std::string>> legs;
  std::set<std::size_t> walked;
  const auto leg = [](const std::string &a, const std::string &b) { return std::pair(std::min(a, b), std::max(a, b)); };
  auto walk = [&](std::size_t first) {
    RoutePath r;
    r.setups = {first};
    std::set<std::string> marks{setups[first].mark};
    for (std::size_t i = first;;) {
      const std::string before = r.setups.size() > 1 ? setups[r.setups[r.setups.size() - 2]].mark : std::string();
      const auto order = said.find(i);
      const OnwardChoice *go = nullptr;
      for (const OnwardChoice &c : choices[i]) {
        const bool chosen = order != said.end();
        if (chosen ? c.mark != order->second : c.score < least_score) continue;
        if (c.mark == before || legs.count(leg(setups[i].mark, c.mark))) continue;
        // Back to the middle of the route is a check sight, not a leg; back to its beginning closes a loop.
        if (marks.count(c.mark) && (c.mark != setups[first].mark || r.setups.size() < 3)) continue;
        if (!chosen && !c.next) continue;
        go = &c;
        break;
      }
      if (!go) break;
      legs.insert(leg(setups[i].mark, go->mark));
      if (go->mark == setups[first].mark) {
        r.loop = true;
        break;
      }
      if (!go->next) {
        r.end = go->mark;
        break;
      }
      i = *go->next;
      r.setups.push_back(i);
      marks.insert(setups[i].mark);
      if (ends.count(setups[i].mark) && !said.count(i)) break;
    }
    if (r.setups.size() > 1 || !r.end.empty()) {
      walked.insert(r.setups.begin(), r.setups.end());
      out.push_back(std::move(r));
    }
  };
  for (std::size_t i = 0; i < setups.size(); ++i)
    if (ends.count(setups[i].mark)) walk(i);
  for (std::size_t i = 0; i < setups.size(); ++i)
    if (!walked.count(i)) walk(i);
  return out;
}

} // namespace ampletie
