#include "job/folding.h"
#include "base/hash.h"
#include "base/reason.h"
#include "job/decision.h"

namespace ampletie {
namespace {
/// Keys are chained: an entry never changes, so that its number says what it says.
void chain(SliceKeys &keys, Slice slice, long seq) {
  std::string &key = keys[static_cast<std::size_t>(slice)];
  key = sha256_hex(key + "," + std::to_string(seq));
}
} // namespace

bool Folding::append(const Decision &d) {
  try {
    const Meaning m = meaning_of(d);
    std::visit([&](const auto &said) { said.fold(raw_, d.seq); }, m);
    if (const Thing t = thing_of(m); t.kind != Thing::Kind::nothing) {
      JobState::Aim &aim = raw_.aims[t.id];
      aim.thing = t, aim.decisions.push_back(d.seq);
    }
    for (Slice s : slices_of(m)) chain(keys_, s, d.seq);
    return true;
  } catch (const std::exception &e) {
    raw_.unreadable[d.seq] = reason_of(e, "its value has not the form that it should have");
    return false;
  }
}

void Folding::restart(const std::vector<Decision> &log) {
  std::map<long, std::string> unreadable;
  const auto stands = standing(log);
  for (const Decision &d : log)
    if (!d.damage.empty()) unreadable[d.seq] = d.damage;
  for (bool whole = false; !whole;) {
    raw_ = JobState(), keys_ = SliceKeys();
    whole = true;
    for (std::size_t i = 0; i < log.size() && whole; ++i)
      if (unreadable.count(log[i].seq))
        chain(keys_, Slice::unreadable, log[i].seq);
      else if (stands[i] && !append(log[i]))
        // Half of it may have been taken: begin again without it.
        unreadable[log[i].seq] = raw_.unreadable.at(log[i].seq), whole = false;
  }
  raw_.unreadable = std::move(unreadable);
}

void Folding::follow(const std::vector<Decision> &log) {
  const bool same = log.size() >= seen_.size() && std::equal(seen_.begin(), seen_.end(), log.begin(),
                                                             [](long seq, const Decision &d) { return seq == d.seq; });
  if (same && log.size() == seen_.size()) return;
  const bool grown =
      same && log.size() == seen_.size() + 1 && log.back().verb != "withdraw" && log.back().damage.empty();
  if (!grown || !append(log.back())) restart(log);
  if (grown) {
    seen_.push_back(log.back().seq);
    return;
  }
  seen_.clear();
  for (const Decision &d : log) seen_.push_back(d.seq);
}

JobState Folding::state() const {
  JobState s = raw_;
  // What was said of a name that stands for another mark counts for that one, unless it has its own.
  for (const auto &[name, same] : s.same_marks) {
    const std::string mark = s.mark_name(name);
    if (auto h = s.holds.extract(name)) h.key() = mark, s.holds.insert(std::move(h));
    if (auto g = s.gravity.extract(name)) g.key() = mark, s.gravity.insert(std::move(g));
  }
  return s;
}

JobState fold(const std::vector<Decision> &log) {
  Folding f;
  f.follow(log);
  return f.state();
}

} // namespace ampletie
