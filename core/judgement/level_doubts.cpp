#include "judgement/level_doubts.h"
#include "adjustment/statistics.h"
#include "results/levels.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {

/// The same closure when the run is changed; nothing when it does not exist any more.
std::optional<double> closure_of(const LevelRun &run, const LevelCorrections &c, const Misclosure &m,
                                 const KnownHeights &known, const LevelLimits &limits) {
  const ReducedRun r = reduce_run(run, find_setups(run), c);
  for (const Misclosure &x : misclosures(r, known, limits, {}))
    if (x.from == m.from && x.to == m.to && x.kind == m.kind) return x.value;
  return {};
}

/// A correction of one kind as the closures of a line ask for it together.
struct Fit {
  double size = 0;   ///< in the unit of the correction
  double misfit = 0; ///< root mean square of what is left over its standard deviation
  std::vector<Misclosure> after;
  /// What is left of one closure over its limit.
  double left_of(const Misclosure &m) const {
    for (const Misclosure &x : after)
      if (x.from == m.from && x.to == m.to && x.kind == m.kind) return std::abs(x.value) / x.limit;
    return INFINITY;
  }
};

/// Least squares over all closures of the line. `change` adds a correction of a size; closures depend on it linearly,
/// so that one step of `unit` tells how.
template <class Change>
std::optional<Fit> fit(const LevelLine &l, const KnownHeights &known, const LevelLimits &limits, double unit,
                       Change &&change) {
  LevelCorrections changed = l.corrections;
  change(changed, unit);
  const auto before = misclosures(reduce_run(l.run, l.setups, l.corrections), known, limits, l.weights),
             stepped = misclosures(reduce_run(l.run, l.setups, changed), known, limits, l.weights);
  Fit out;
  for (const Misclosure &m : l.misclosures) {
    const auto same = [&](const Misclosure &x) { return x.from == m.from && x.to == m.to && x.kind == m.kind; };
    if (std::any_of(before.begin(), before.end(), same)) out.after.push_back(m);
  }
  if (out.after.empty() || out.after.size() != before.size() || before.size() != stepped.size()) return {};
  double square = 0, product = 0;
  for (std::size_t i = 0; i < before.size(); ++i) {
    const double slope = (stepped[i].value - before[i].value) / unit / before[i].sd;
    square += slope * slope, product += slope * out.after[i].value / before[i].sd;
  }
  if (square <= 0) return {};
  out.size = -product / square;
  for (std::size_t i = 0; i < before.size(); ++i) {
    out.after[i].value += out.size * (stepped[i].value - before[i].value) / unit;
    out.misfit += std::pow(out.after[i].value / before[i].sd, 2);
  }
  out.misfit = std::sqrt(out.misfit / static_cast<double>(before.size()));
  return out;
}

/// Looks for what would explain one misclosure of a line.
class LevelSuspicions {
public:
  LevelSuspicions(const LevelLine &line, const Misclosure &misclosure, const LevelLimits &limits_of)
      : l(line), m(misclosure), limits(limits_of), known(line.known) {
    for (const auto &mark : l.computed) known.erase(mark);
  }

  /// Set-ups that something was noticed about.
  void booked_twice() {
    std::set<std::size_t> tried;
    constexpr std::size_t most_tried = 20; // a book in which much is odd is not searched for the one mistake
    for (const auto &t : l.setups.troubles)
      for (const LevelSetup &s : l.setups.setups) {
        if (tried.size() >= most_tried) break;
        if (std::find(s.back.begin(), s.back.end(), t.sight) == s.back.end() || !tried.insert(t.sight).second) continue;
        LevelRun without = l.run;
        for (const auto *part : {&s.back, &s.fore, &s.side})
          for (std::size_t i : *part) without.sights[i].used = false;
        const auto left = closure_of(without, l.corrections, m, known, limits);
        if (left && std::abs(*left) < 0.3 * std::abs(m.value))
          found.emplace_back(
              -1, fmt::format("the set-up of line {} was booked twice: without it {}", l.run.sights[t.sight].line,
                              std::abs(*left) <= m.limit ? std::string("it closes")
                                                         : fmt::format("{:+.1f} mm are left", 1000 * *left)));
      }
  }

  /// Names of two known marks, or of a known one and another turn, exchanged.
  void exchanged() {
    std::vector<std::string> turns;
    ReducedRun book; // turning points without a name close nothing
    for (const LevelPoint &p : l.reduced.points) {
      if (!p.turn || !is_named(p.mark)) continue;
      book.points.push_back(p);
      if (std::find(turns.begin(), turns.end(), p.mark) == turns.end()) turns.push_back(p.mark);
    }
    if (turns.size() <= 40)
      for (std::size_t i = 0; i < turns.size(); ++i)
        for (std::size_t k = i + 1; k < turns.size(); ++k) {
          if (!known.count(turns[i]) && !known.count(turns[k])) continue;
          ReducedRun r = book;
          for (LevelPoint &p : r.points)
            if (p.mark == turns[i])
              p.mark = turns[k];
            else if (p.mark == turns[k])
              p.mark = turns[i];
          double worst = 0;
          const auto all = misclosures(r, known, limits, {});
          for (const Misclosure &x : all) worst = std::max(worst, std::abs(x.value));
          if (!all.empty())
            consider(worst,
                     fmt::format("{} and {} exchanged in the book: with their names changed back everything closes",
                                 turns[i], turns[k]));
        }
  }

  /// A whole decimetre or metre.
  void round_slips() {
    for (double slip : {1.0, 0.1}) {
      const double whole = std::round(m.value / slip);
      if (std::abs(whole) >= 1 && std::abs(whole) <= 3)
        consider(m.value - whole * slip, fmt::format("a reading wrong by {:g} m", std::abs(whole) * slip),
                 slip == 1.0 ? 0.3 : 0.5);
    }
  }

  /// What acts all along the line is fitted to all of its closures, so that one that closes speaks too.
  void systematic_ones() {
    for (const auto &[name, use] : staff_use(l.run, l.setups)) {
      if (std::abs(use.rise) < 20) continue;
      const std::string staff = name;
      const double rise = use.rise;
      systematic(
          0.3, 15, 600, 10,
          [&](LevelCorrections &c, double ppm) {
            const auto own = c.staff_ppm.find(staff);
            c.staff_ppm[staff] = (own == c.staff_ppm.end() ? c.staff_scale_ppm : own->second) + ppm;
          },
          [&](double ppm) {
            return fmt::format("staff {} with a scale of {:+.0f} ppm over its {:+.1f} m would explain it",
                               staff.empty() ? "(unnamed)" : staff, ppm, rise);
          });
    }
    if (std::abs(l.reduced.unbalance) > 30)
      systematic(
          0.4, 0.003, 0.3, 0.01, [](LevelCorrections &c, double slope) { c.collimation += 1e-3 * slope; },
          [&](double slope) {
            return fmt::format("a line of sight sloping by {:+.3f} mm/m over an unbalance of {:.0f} m would explain it",
                               slope, l.reduced.unbalance);
          });
  }

  /// The likeliest ones.
  std::vector<std::string> words() {
    std::stable_sort(found.begin(), found.end(), [](const auto &a, const auto &b) { return a.first < b.first; });
    std::vector<std::string> out;
    for (auto &f : found)
      if (out.size() < 4) out.push_back(std::move(f.second));
    return out;
  }

private:
  void consider(std::optional<double> left, std::string words, double handicap = 0) {
    if (left && std::abs(*left) <= m.limit && std::abs(*left) < 0.5 * std::abs(m.value))
      found.emplace_back(std::abs(*left) / m.limit + handicap, std::move(words));
  }
  template <class Change, class Words>
  void systematic(double handicap, double least, double most, double unit, Change &&change, Words &&words) {
    const auto f = fit(l, known, limits, unit, change);
    if (!f || std::abs(f->size) < least || std::abs(f->size) > most) return;
    if (f->left_of(m) > std::max(1.0, 0.3 * std::abs(m.value) / m.limit)) return;
    found.emplace_back(handicap + std::min(5.0, f->misfit) / single_test_limit, words(f->size));
  }
  const LevelLine &l;
  const Misclosure &m;
  const LevelLimits &limits;
  KnownHeights known;
  std::vector<std::pair<double, std::string>> found; ///< what is left over its limit
};

} // namespace

std::vector<std::string> level_causes(const LevelLine &l, const Misclosure &m, const LevelLimits &limits) {
  LevelSuspicions s(l, m, limits);
  s.booked_twice();
  s.exchanged();
  s.round_slips();
  s.systematic_ones();
  return s.words();
}

} // namespace ampletie
