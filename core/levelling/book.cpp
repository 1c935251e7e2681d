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

SetupList find_setups(const LevelRun &run) {
  SetupList out;
  Open open;
  int unnamed = 0;
  std::string last_turn;
  auto close = [&](const std::string *next_back) {
    if (!open.any()) return;
    if (open.back.empty() || open.fore.empty()) {
      const std::size_t at = !open.back.empty()   ? open.back.front()
                             : !open.fore.empty() ? open.fore.front()
                                                  : open.side.front();
      out.troubles.push_back({at,
                              open.back.empty() ? "no back sight before it"
                              : open.side.empty()
                                  ? "set up and not used: no fore sight follows"
                                  : "no fore sight follows: its intermediate sights hang on this set-up alone",
                              !open.back.empty() && open.side.empty()});
      open = {};
      return;
    }
    // The turn: of the fore sights the mark that the next back sight takes up, else the last.
    std::string turn = run.sights[open.fore.back()].mark;
    if (next_back)
      for (std::size_t i : open.fore)
        if (run.sights[i].mark == *next_back) turn = *next_back;
    LevelSetup s;
    s.back = open.back;
    s.side = open.side;
    for (std::size_t i : open.fore) (run.sights[i].mark == turn ? s.fore : s.side).push_back(i);
    // Readings of one mark from one set-up agree; where they do not, the last is the one that the run went on from.
    for (std::vector<std::size_t> *part : {&s.back, &s.fore}) {
      const double last = run.sights[part->back()].reading;
      const auto off = std::find_if(part->begin(), part->end(), [&](std::size_t i) {
        return std::abs(run.sights[i].reading - last) >= same_reading;
      });
      if (off == part->end()) continue;
      out.troubles.push_back({*off, fmt::format("read again {:.1f} mm apart from the same set-up: the last is used",
                                                1000 * std::abs(run.sights[*off].reading - last))});
      std::erase_if(*part, [&](std::size_t i) { return std::abs(run.sights[i].reading - last) >= same_reading; });
    }
    std::sort(s.side.begin(), s.side.end());
    s.back_reading = mean(run, s.back, &StaffSight::reading), s.fore_reading = mean(run, s.fore, &StaffSight::reading);
    s.back_distance = mean(run, s.back, &StaffSight::distance),
    s.fore_distance = mean(run, s.fore, &StaffSight::distance);
    s.spread = std::max(spread(run, s.back), spread(run, s.fore));
    const std::string &from = run.sights[s.back.front()].mark;
    if (!out.setups.empty() && !from.empty() && !turn.empty() && out.setups.back().from == from &&
        out.setups.back().to == turn) {
      out.troubles.push_back(
          {s.back.front(), fmt::format("{} to {} was set up a second time: {:+.2f} mm against the first, "
                                       "compared and not used",
                                       from, turn, 1000 * (s.difference() - out.setups.back().difference()))});
      open = {};
      return;
    }
    if (!out.setups.empty() && std::abs(out.setups.back().back_reading - s.back_reading) < 5e-6 &&
        std::abs(out.setups.back().fore_reading - s.fore_reading) < 5e-6)
      out.troubles.push_back({s.back.front(), "the same readings as in the set-up before: booked twice?"});
    if (!out.setups.empty() && !carries_on(last_turn, from))
      out.troubles.push_back(
          {s.back.front(), fmt::format("the run breaks here: the set-up before ended on {}, this one "
                                       "begins on {}",
                                       last_turn.empty() ? "a turning point" : last_turn, from)});
    s.from = !out.setups.empty() && carries_on(last_turn, from) ? out.setups.back().to
             : from.empty()                                     ? fmt::format("({})", ++unnamed)
                                                                : from;
    if (!from.empty() && !out.setups.empty()) {
      // The turn before had no name; this back sight gives it one.
      if (last_turn.empty()) out.setups.back().to = from;
      s.from = from;
    }
    s.to = turn.empty() ? fmt::format("({})", ++unnamed) : turn;
    last_turn = turn;
    out.setups.push_back(std::move(s));
    open = {};
  };
  for (std::size_t i = 0; i < run.sights.size(); ++i) {
    const StaffSight &s = run.sights[i];
    if (!s.used) continue;
    switch (s.kind) {
    case SightKind::back: {
      // The same mark again with the same reading is the second half of back, fore, fore, back; with another reading
      // the instrument was moved. Without a name only the order tells: straight after the first, or after two fore
      // sights that agree.
      bool again = false;
      // Nobody reads a staff twenty times from one set-up; a book that seems to say so is not gone through for each.
      if (!open.back.empty() && open.back.size() < 20) {
        const StaffSight &first = run.sights[open.back.front()];
        const bool order =
            open.fore.empty() || (open.fore.size() == 2 && std::abs(run.sights[open.fore[0]].reading -
                                                                    run.sights[open.fore[1]].reading) < same_reading);
        again = first.mark == s.mark && std::abs(first.reading - s.reading) < same_reading &&
                (!s.mark.empty() || order) &&
                (s.mark.empty() || std::none_of(open.fore.begin(), open.fore.end(),
                                                [&](std::size_t k) { return run.sights[k].mark == s.mark; }));
      }
      if (again) {
        open.back.push_back(i);
        break;
      }
      // Fore, back, back, fore: a fore sight just before that comes once more belongs to the set-up that begins here.
      std::vector<std::size_t> ahead;
      while (open.fore.size() > 1 && open.fore.back() + 1 == i - ahead.size()) {
        const std::string &mark = run.sights[open.fore.back()].mark;
        bool comes_again = false;
        for (std::size_t k = i + 1; k < std::min(i + 4, run.sights.size()); ++k)
          comes_again = comes_again ||
                        (run.sights[k].used && run.sights[k].kind == SightKind::fore && run.sights[k].mark == mark);
        if (mark.empty() || mark == s.mark || !comes_again) break;
        ahead.push_back(open.fore.back());
        open.fore.pop_back();
      }
      close(&s.mark);
      open.back.push_back(i);
      open.fore.insert(open.fore.end(), ahead.rbegin(), ahead.rend());
      break;
    }
    case SightKind::fore:
      open.fore.push_back(i);
      break;
    case SightKind::intermediate:
      open.side.push_back(i);
      break;
    }
  }
  close(nullptr);
  return out;
}

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
