#include "job/state.h"
#include "job/asked.h"

namespace ampletie {
std::vector<bool> standing(const std::vector<Decision> &log) {
  std::vector<bool> out(log.size(), true);
  std::map<long, std::size_t> at;
  for (std::size_t i = 0; i < log.size(); ++i) at[log[i].seq] = i;
  // A withdrawal names something earlier, so one pass from the end settles all.
  for (std::size_t i = log.size(); i-- > 0;)
    if (!log[i].damage.empty())
      out[i] = false;
    else if (log[i].verb == "withdraw" && out[i]) {
      const auto it = at.find(log[i].value.value("decision", 0L));
      if (it != at.end() && it->second < i) out[it->second] = false;
    }
  return out;
}

const std::vector<std::string> &code_symbols() {
  static const std::vector<std::string> all{"dot", "circle", "square", "triangle", "cross", "diamond", "none"};
  return all;
}

namespace {
/// The entry that counts for a name: its own, else that of the longest beginning ("AB*"); null: none.
template <class Value>
const std::pair<const std::string, Value> *closest(const std::map<std::string, Value> &groups,
                                                   const std::string &name) {
  if (const auto own = groups.find(name); own != groups.end()) return &*own;
  const std::pair<const std::string, Value> *best = nullptr;
  for (const auto &group : groups)
    if (in_group(group.first, name) && (!best || group.first.size() > best->first.size())) best = &group;
  return best;
}
} // namespace

bool JobState::of_a_fit(const std::string &source) const {
  return std::any_of(fits.begin(), fits.end(), [&](const auto &f) { return f.second.list.value == source; });
}

CodeStyle JobState::style_of(const std::string &code) const {
  const auto *style = closest(styles, code);
  return style ? style->second : CodeStyle{};
}

const std::pair<const std::string, AskedOfGroup> *JobState::asked_group(const std::string &mark) const {
  return closest(asked, mark);
}

AskedAccuracy JobState::asked_of(const std::string &mark) const {
  AskedAccuracy out = settings.asked;
  if (const auto *group = asked_group(mark)) {
    out.plan = group->second.plan.value_or(out.plan), out.height = group->second.height.value_or(out.height);
    out.local = group->second.local.value_or(out.local);
  }
  return out;
}

std::string JobState::mark_name(std::string name) const {
  // Names may be chained; two that were said to stand for each other end after one round.
  for (std::size_t steps = 0; steps <= same_marks.size(); ++steps) {
    const auto it = same_marks.find(name);
    if (it == same_marks.end()) break;
    name = it->second.value;
  }
  return name;
}

const std::pair<const std::string, Decided<double>> *InstrumentCard::line_of_sight(const std::string &day) const {
  if (lines_of_sight.empty()) return nullptr;
  auto after = day.empty() ? lines_of_sight.end() : lines_of_sight.upper_bound(day);
  return after == lines_of_sight.begin() ? &*after : &*std::prev(after);
}

long undo_target(const std::vector<Decision> &log) {
  const auto stands = standing(log);
  for (std::size_t i = log.size(); i-- > 0;)
    if (log[i].verb != "withdraw" && stands[i]) return log[i].seq;
  return 0;
}

long redo_target(const std::vector<Decision> &log) {
  const auto stands = standing(log);
  // Only an unbroken tail of undoing and redoing can be redone: a new decision closes that road.
  for (std::size_t i = log.size(); i-- > 0;) {
    if (log[i].verb != "withdraw") return 0;
    const long target = log[i].value.value("decision", 0L);
    bool undoes_decision = true;
    for (const Decision &d : log)
      if (d.seq == target && d.verb == "withdraw") undoes_decision = false;
    if (undoes_decision && stands[i]) return log[i].seq;
  }
  return 0;
}

} // namespace ampletie
