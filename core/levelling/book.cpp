#include "levelling/book.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {

/// A set-up while it is being read.
struct Open {
  std::vector<std::size_t> back, fore, side;
  bool any() const { return !back.empty() || !fore.empty() || !side.empty(); }
};

double mean(const LevelRun &run, const std::vector<std::size_t> &which, double StaffSight::*what) {
  double sum = 0;
  for (std::size_t i : which) sum += run.sights[i].*what;
  return sum / static_cast<double>(which.size());
}

double spread(const LevelRun &run, const std::vector<std::size_t> &which) {
  double low = 1e9, high = -1e9;
  for (std::size_t i : which) low = std::min(low, run.sights[i].reading), high = std::max(high, run.sights[i].reading);
  return which.size() > 1 ? high - low : 0;
}

/// Two readings of one staff from one set-up agree within this, m; from another they would not by chance.
constexpr double same_reading = 0.003;

/// Whether the next back sight carries on where a fore sight stood.
bool carries_on(const std::string &fore, const std::string &back) {
  return fore == back || fore.empty() || back.empty();
}

} // namespace

std::string sight_name(SightKind k) {
  return k == SightKind::back ? "back" : k == SightKind::fore ? "fore" : "intermediate";
}

namespace {
/// Goes through a run's sights and closes a set-up whenever the next one begins.
class SetupFinder {
public:
  explicit SetupFinder(const LevelRun &run) : run_(run) {}
  SetupList all() &&;

private:
  void close(const std::string *next_back);
  void add_back(std::size_t i);
  bool read_again(const StaffSight &s) const;
  std::vector<std::size_t> taken_ahead(std::size_t i);
  std::string turn_of(const std::string *next_back) const;
  void tell_unfinished();
  void keep_last_reading(std::vector<std::size_t> &part);

  const LevelRun &run_;
  SetupList out_;
  Open open_;
  int unnamed_ = 0;
  std::string last_turn_;
};

/// A set-up without a back sight or without a fore sight.
void SetupFinder::tell_unfinished() {
  const std::size_t at = !open_.back.empty()   ? open_.back.front()
                         : !open_.fore.empty() ? open_.fore.front()
                                               : open_.side.front();
  out_.troubles.push_back({at,
                           open_.back.empty() ? "no back sight before it"
                           : open_.side.empty()
                               ? "set up and not used: no fore sight follows"
                               : "no fore sight follows: its intermediate sights hang on this set-up alone",
                           !open_.back.empty() && open_.side.empty()});
}

/// Of the fore sights the mark that the next back sight takes up, else the last.
std::string SetupFinder::turn_of(const std::string *next_back) const {
  std::string turn = run_.sights[open_.fore.back()].mark;
  if (next_back)
    for (std::size_t i : open_.fore)
      if (run_.sights[i].mark == *next_back) turn = *next_back;
  return turn;
}

/// Readings of one mark from one set-up agree; where they do not, the last is the one that the run went on from.
void SetupFinder::keep_last_reading(std::vector<std::size_t> &part) {
  const double last = run_.sights[part.back()].reading;
  const auto off = std::find_if(part.begin(), part.end(),
                                [&](std::size_t i) { return std::abs(run_.sights[i].reading - last) >= same_reading; });
  if (off == part.end()) return;
  out_.troubles.push_back({*off, fmt::format("read again {:.1f} mm apart from the same set-up: the last is used",
                                             1000 * std::abs(run_.sights[*off].reading - last))});
  std::erase_if(part, [&](std::size_t i) { return std::abs(run_.sights[i].reading - last) >= same_reading; });
}

void SetupFinder::close(const std::string *next_back) {
  if (!open_.any()) return;
  if (open_.back.empty() || open_.fore.empty()) {
    tell_unfinished();
    open_ = {};
    return;
  }
  const std::string turn = turn_of(next_back);
  LevelSetup s;
  s.back = open_.back;
  s.side = open_.side;
  for (std::size_t i : open_.fore) (run_.sights[i].mark == turn ? s.fore : s.side).push_back(i);
  for (std::vector<std::size_t> *part : {&s.back, &s.fore}) keep_last_reading(*part);
  std::sort(s.side.begin(), s.side.end());
  s.back_reading = mean(run_, s.back, &StaffSight::reading), s.fore_reading = mean(run_, s.fore, &StaffSight::reading);
  s.back_distance = mean(run_, s.back, &StaffSight::distance),
  s.fore_distance = mean(run_, s.fore, &StaffSight::distance);
  s.spread = std::max(spread(run_, s.back), spread(run_, s.fore));
  const std::string &from = run_.sights[s.back.front()].mark;
  if (!out_.setups.empty() && !from.empty() && !turn.empty() && out_.setups.back().from == from &&
      out_.setups.back().to == turn) {
    out_.troubles.push_back(
        {s.back.front(), fmt::format("{} to {} was set up a second time: {:+.2f} mm against the first, "
                                     "compared and not used",
                                     from, turn, 1000 * (s.difference() - out_.setups.back().difference()))});
    open_ = {};
    return;
  }
  if (!out_.setups.empty() && std::abs(out_.setups.back().back_reading - s.back_reading) < 5e-6 &&
      std::abs(out_.setups.back().fore_reading - s.fore_reading) < 5e-6)
    out_.troubles.push_back({s.back.front(), "the same readings as in the set-up before: booked twice?"});
  if (!out_.setups.empty() && !carries_on(last_turn_, from))
    out_.troubles.push_back({s.back.front(), fmt::format("the run breaks here: the set-up before ended on {}, this one "
                                                         "begins on {}",
                                                         last_turn_.empty() ? "a turning point" : last_turn_, from)});
  s.from = !out_.setups.empty() && carries_on(last_turn_, from) ? out_.setups.back().to
           : from.empty()                                       ? fmt::format("({})", ++unnamed_)
                                                                : from;
  if (!from.empty() && !out_.setups.empty()) {
    // The turn before had no name; this back sight gives it one.
    if (last_turn_.empty()) out_.setups.back().to = from;
    s.from = from;
  }
  s.to = turn.empty() ? fmt::format("({})", ++unnamed_) : turn;
  last_turn_ = turn;
  out_.setups.push_back(std::move(s));
  open_ = {};
}

/// The same mark again with the same reading is the second half of back, fore, fore, back; with another reading the
/// instrument was moved. Without a name only the order tells: straight after the first, or after two fore sights that
/// agree.
bool SetupFinder::read_again(const StaffSight &s) const {
  bool again = false;
  // Nobody reads a staff twenty times from one set-up; a book that seems to say so is not gone through for each.
  if (!open_.back.empty() && open_.back.size() < 20) {
    const StaffSight &first = run_.sights[open_.back.front()];
    const bool order =
        open_.fore.empty() || (open_.fore.size() == 2 && std::abs(run_.sights[open_.fore[0]].reading -
                                                                  run_.sights[open_.fore[1]].reading) < same_reading);
    again = first.mark == s.mark && std::abs(first.reading - s.reading) < same_reading && (!s.mark.empty() || order) &&
            (s.mark.empty() || std::none_of(open_.fore.begin(), open_.fore.end(),
                                            [&](std::size_t k) { return run_.sights[k].mark == s.mark; }));
  }
  return again;
}

/// Fore, back, back, fore: a fore sight just before that comes once more belongs to the set-up that begins here.
std::vector<std::size_t> SetupFinder::taken_ahead(std::size_t i) {
  const StaffSight &s = run_.sights[i];
  std::vector<std::size_t> ahead;
  while (open_.fore.size() > 1 && open_.fore.back() + 1 == i - ahead.size()) {
    const std::string &mark = run_.sights[open_.fore.back()].mark;
    bool comes_again = false;
    for (std::size_t k = i + 1; k < std::min(i + 4, run_.sights.size()); ++k)
      comes_again =
          comes_again || (run_.sights[k].used && run_.sights[k].kind == SightKind::fore && run_.sights[k].mark == mark);
    if (mark.empty() || mark == s.mark || !comes_again) break;
    ahead.push_back(open_.fore.back());
    open_.fore.pop_back();
  }
  return ahead;
}

void SetupFinder::add_back(std::size_t i) {
  const StaffSight &s = run_.sights[i];
  if (read_again(s)) {
    open_.back.push_back(i);
    return;
  }
  const std::vector<std::size_t> ahead = taken_ahead(i);
  close(&s.mark);
  open_.back.push_back(i);
  open_.fore.insert(open_.fore.end(), ahead.rbegin(), ahead.rend());
}

SetupList SetupFinder::all() && {
  for (std::size_t i = 0; i < run_.sights.size(); ++i) {
    if (!run_.sights[i].used) continue;
    switch (run_.sights[i].kind) {
    case SightKind::back:
      add_back(i);
      break;
    case SightKind::fore:
      open_.fore.push_back(i);
      break;
    case SightKind::intermediate:
      open_.side.push_back(i);
      break;
    }
  }
  close(nullptr);
  return std::move(out_);
}
} // namespace

SetupList find_setups(const LevelRun &run) { return SetupFinder(run).all(); }

std::vector<LevelRun> split_at_breaks(const LevelRun &booked) {
  std::vector<LevelRun> out;
  LevelRun current = booked;
  current.sights.clear();
  auto finish = [&] {
    if (!current.sights.empty()) out.push_back(current);
    current.sights.clear();
  };
  std::vector<std::string> fores;
  std::string back;
  bool complete = false;
  for (const StaffSight &s : booked.sights) {
    if (s.kind == SightKind::back && complete && s.mark != back &&
        std::none_of(fores.begin(), fores.end(), [&](const std::string &f) { return carries_on(f, s.mark); }))
      finish();
    if (s.kind == SightKind::back) {
      if (s.mark != back || complete) fores.clear();
      back = s.mark;
      complete = false;
    }
    if (s.kind == SightKind::fore) fores.push_back(s.mark), complete = true;
    current.sights.push_back(s);
  }
  finish();
  for (std::size_t i = 0; i < out.size() && out.size() > 1; ++i) {
    out[i].id += fmt::format(".{}", i + 1);
    if (!out[i].name.empty()) out[i].name += fmt::format(" {}", i + 1);
  }
  return out;
}

} // namespace ampletie
