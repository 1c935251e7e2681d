#include "judgement/traverse_causes.h"
#include "base/angle.h"
#include "judgement/traverse_hypotheses.h"
#include <Eigen/Dense>
#include <algorithm>
#include <fmt/format.h>
#include <functional>
#include <set>

namespace ampletie {
namespace {

using Kind = TraverseTest::Kind;
using nlohmann::json;

double badness(const std::vector<TraverseTest> &tests, std::set<std::string> &failing) {
  double out = 0;
  for (const TraverseTest &t : tests) {
    if (!t.passes()) {
      failing.insert(t.id);
      out += 1 + std::log10(t.ratio());
    }
    // Between two that clear the same, the one that leaves less of what passes.
    out += 0.03 * std::min(10.0, t.ratio() * t.ratio());
  }
  return out;
}

class Trial {
public:
  Trial(const TraverseReport &r, const JobState &state, const KnownPlaces &known, const JobDatum *datum,
        const std::set<std::string> &about)
      : state_(state), known_(known), datum_(datum), weather_(weather(r)) {
    for (const auto &s : r.field.setups)
      if (s->used && about.count(s->setup.id)) field_.setups.push_back(s);
    const TraverseReport now = job_traverses(field_, state_, known_, datum_);
    before_ = badness(traverse_tests(now, weather_), failing_);
    marks_ = now.marks;
  }
  /// What a changed set-up does to the provisional marks: the largest shift, m.
  double effect_of(const StationSetup &changed) const {
    JobSetups field = field_;
    for (auto &s : field.setups)
      if (s->setup.id == changed.id)
        s = std::make_shared<ReducedSetup>(reduce_setup(changed, s->booked_air, s->standard, state_.settings.traverse));
    return shift(job_traverses(field, state_, known_, datum_));
  }
  bool fails() const { return !failing_.empty(); }
  std::optional<TraverseCause> run(const Hypothesis &h) const {
    JobSetups changed = field_;
    for (auto &s : changed.setups) {
      const StationSetup *own = nullptr;
      StationSetup copy;
      for (const auto &[id, change] : h.changes)
        if (id == s->setup.id) {
          if (!own) copy = s->setup, own = &copy;
          change(copy);
        }
      const bool out = h.left_out.count(s->setup.id) > 0;
      if (!own && !out) continue;
      auto r = std::make_shared<ReducedSetup>(
          own ? reduce_setup(copy, s->booked_air, s->standard, state_.settings.traverse) : *s);
      r->used = !out;
      s = r;
    }
    std::set<std::string> failing;
    const TraverseReport report = job_traverses(changed, state_, known_, datum_);
    const auto tests = traverse_tests(report, weather_);
    const double after = badness(tests, failing);
    TraverseCause c;
    for (const auto &id : failing_)
      if (!failing.count(id) && std::any_of(tests.begin(), tests.end(), [&](const auto &t) { return t.id == id; }))
        c.cleared.push_back(id);
    // What fails only afterwards was made, not found.
    const bool new_failure =
        std::any_of(failing.begin(), failing.end(), [&](const auto &id) { return !failing_.count(id); });
    if (c.cleared.empty() || new_failure || before_ - after < 0.5) return std::nullopt;
    c.sentence = h.sentence, c.decisions = h.decisions, c.verb = h.verb;
    c.gain = before_ - after + h.prior;
    c.effect = shift(report);
    return c;
  }

  /// Signed tests in plan that an excentric instrument would move, value over limit, by id; `east`, `north`: of it.
  std::map<std::string, double> plan_tests(const std::string &setup, double east, double north) const {
    JobSetups field = field_;
    for (auto &s : field.setups)
      if (s->setup.id == setup) {
        StationSetup changed = s->setup;
        changed.east += east, changed.north += north;
        s = std::make_shared<ReducedSetup>(reduce_setup(changed, s->booked_air, s->standard, state_.settings.traverse));
      }
    std::map<std::string, double> out;
    for (const TraverseTest &t : traverse_tests(job_traverses(field, state_, known_, datum_), weather_))
      if (t.limit > 0 &&
          (t.kind == Kind::there_back || t.kind == Kind::angles || (t.kind == Kind::known_mark && !t.up)))
        out[t.id] = t.value / t.limit;
    return out;
  }

private:
  double shift(const TraverseReport &then) const {
    double out = 0;
    for (const auto &[name, a] : marks_) {
      const auto b = then.marks.find(name);
      if (b == then.marks.end() || a.local != b->second.local) continue;
      out = std::max(out, distance(a.place, b->second.place));
      if (a.height && b->second.height) out = std::max(out, std::abs(*a.height - *b->second.height));
    }
    return out;
  }
  std::map<std::string, ProvisionalMark> marks_; ///< as they are now
  JobSetups field_;
  const JobState &state_;
  const KnownPlaces &known_;
  const JobDatum *datum_;
  std::optional<double> weather_;
  double before_ = 0;
  std::set<std::string> failing_;
};

/// Set-ups that hang together through failing tests: all of a line that does not close, both ends of a leg.
std::vector<std::set<std::string>> clusters(const TraverseReport &r, const std::vector<TraverseTest> &tests) {
  std::map<std::string, std::string> line_of;
  std::map<std::string, std::set<std::string>> members;
  for (const TraverseLine &l : r.lines)
    for (const auto &s : l.setups) line_of.emplace(s, l.id), members[l.id].insert(s);
  std::map<std::string, std::set<std::string>> found; // by line, or by set-up
  for (const TraverseTest &t : tests) {
    if (t.passes() || t.kind == Kind::spread) continue;
    for (const auto &s : t.setups) {
      const auto l = line_of.find(s);
      const std::string key = l == line_of.end() ? s : l->second;
      auto &set = found[key];
      set.insert(s);
      if (l != line_of.end()) set.insert(members[l->second].begin(), members[l->second].end());
    }
  }
  std::vector<std::set<std::string>> out;
  for (auto &[key, set] : found) out.push_back(std::move(set));
  return out;
}

/// An instrument that did not stand over its mark: where it must have stood, from what it does to lengths and angles.
void explain_excentric(const TraverseReport &r, const std::set<std::string> &about,
                       const std::vector<TraverseTest> &tests, const Trial &trial, std::vector<Hypothesis> &out) {
  for (const auto &s : r.field.setups) {
    const std::string &id = s->setup.id;
    if (!s->used || !about.count(id)) continue;
    const auto failing = std::count_if(tests.begin(), tests.end(), [&](const TraverseTest &t) {
      return !t.passes() && (t.kind == Kind::there_back || t.kind == Kind::angles || t.kind == Kind::known_mark) &&
             std::find(t.setups.begin(), t.setups.end(), id) != t.setups.end();
    });
    if (failing == 0) continue;
    constexpr double step = 0.05;
    const auto now = trial.plan_tests(id, 0, 0), east = trial.plan_tests(id, step, 0),
               north = trial.plan_tests(id, 0, step);
    Eigen::Matrix2d n = Eigen::Matrix2d::Zero();
    Eigen::Vector2d b = Eigen::Vector2d::Zero();
    for (const auto &[test, value] : now) {
      const auto e = east.find(test), o = north.find(test);
      if (e == east.end() || o == north.end()) continue;
      const Eigen::Vector2d g((e->second - value) / step, (o->second - value) / step);
      n += g * g.transpose(), b -= g * value;
    }
    // Both directions must be told: angles across, lengths along.
    const double smaller = Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d>(n).eigenvalues().x();
    if (!(smaller > 1e2)) continue; // a limit for 10 cm
    const Eigen::Vector2d off = n.ldlt().solve(b);
    if (off.norm() < 0.01 || off.norm() > 20) continue;
    Hypothesis h;
    const double x = std::round(1000 * (s->setup.east + off.x())) / 1000,
                 y = std::round(1000 * (s->setup.north + off.y())) / 1000;
    h.sentence = fmt::format("the instrument at {} stood {:.3f} m off its mark ({:+.3f} m east, {:+.3f} m north)",
                             s->setup.mark, off.norm(), x, y);
    h.decisions = {{id, json{{"east", x}, {"north", y}}}};
    h.changes = {{id, [x, y](StationSetup &u) { u.east = x, u.north = y; }}};
    h.prior = -0.3; // two numbers explain more than one
    out.push_back(std::move(h));
  }
}

/// A back sight that was hidden: another mark was sighted and booked under its name. Renamed, the leg loses its second
/// measurement and nothing is left to test; the length of the sight itself tells which mark it was.
void explain_hidden(const TraverseReport &r, const JobState &state, const KnownPlaces &known, const JobDatum *datum,
                    const std::vector<TraverseTest> &tests, std::vector<TraverseCause> &out) {
  for (const TraverseTest &t : tests) {
    if (t.passes() || t.kind != Kind::there_back || std::abs(t.value) < 10 * t.limit || t.setups.size() != 2) continue;
    for (std::size_t k : {0U, 1U}) {
      const ReducedSetup *s = r.field.find(t.setups[k]), *o = r.field.find(t.setups[1 - k]);
      const TargetSight *x = s && o ? s->find(o->setup.mark) : nullptr;
      const auto here = s ? r.places.find(s->setup.mark) : r.places.end();
      if (!x || here == r.places.end() || !std::isfinite(x->slope)) continue;
      const auto slope_to = [&](const Vec3 &mark) {
        const Mat3 axes = local_axes(to_geodetic(here->second));
        return (axes * (mark - here->second) + Vec3(0, 0, x->mean.target_height - s->setup.instrument_height)).norm();
      };
      std::vector<std::string> matches;
      for (const auto &[mark, place] : r.places)
        if (mark != s->setup.mark && mark != x->mean.target && !s->find(mark) &&
            std::abs(slope_to(place) - x->slope) < 0.05 + 1e-4 * x->slope)
          matches.push_back(mark);
      std::string booked;
      for (const Pointing &p : s->setup.pointings)
        if (p.target == x->mean.target) booked = p.booked;
      for (const auto &mark : matches) {
        TraverseCause c;
        c.sentence = fmt::format("what {} sighted as {} is {}", s->setup.mark, x->mean.target, mark);
        c.decisions = {{s->setup.id, {{"targets", {{booked, {{"mark", mark}}}}}}}};
        for (const TraverseTest &q : tests)
          if (!q.passes() && q.kind != Kind::spread &&
              std::find(q.setups.begin(), q.setups.end(), s->setup.id) != q.setups.end())
            c.cleared.push_back(q.id), c.gain += (1 + std::log10(q.ratio())) / static_cast<double>(matches.size());
        std::set<std::string> about{s->setup.id};
        if (const TraverseLine *l = r.line_of(s->setup.id)) about.insert(l->setups.begin(), l->setups.end());
        StationSetup changed = s->setup;
        for (Pointing &p : changed.pointings)
          if (p.booked == booked) p.target = mark;
        c.effect = Trial(r, state, known, datum, about).effect_of(changed);
        if (c.effect < 1e-5) c.effect = t.effect;
        out.push_back(std::move(c));
      }
    }
  }
}

/// A pointing whose absence brings a spread within its limit.
void explain_spreads(const TraverseReport &r, const JobState &state, const KnownPlaces &known, const JobDatum *datum,
                     const std::vector<TraverseTest> &tests, std::vector<TraverseCause> &out) {
  for (const TraverseTest &t : tests) {
    if (t.passes() || t.kind != Kind::spread) continue;
    const ReducedSetup *s = r.field.find(t.item);
    std::optional<TraverseCause> best;
    double least = t.ratio();
    for (std::size_t i = 0; i < s->setup.pointings.size(); ++i) {
      const Pointing &p = s->setup.pointings[i];
      if (!p.used || p.target != t.target) continue;
      StationSetup changed = s->setup;
      changed.pointings[i].used = false;
      const ReducedSetup q = reduce_setup(changed, s->booked_air, s->standard, state.settings.traverse);
      const TargetSight *x = q.find(t.target);
      if (!x) continue;
      const auto &m = x->mean;
      const double ratio = std::max({m.direction_limit > 0 ? m.direction_spread / m.direction_limit : 0,
                                     m.zenith_limit > 0 ? m.zenith_spread / m.zenith_limit : 0,
                                     m.slope_limit > 0 ? m.slope_spread / m.slope_limit : 0});
      if (ratio >= least) continue;
      least = ratio;
      TraverseCause c;
      c.sentence =
          fmt::format("the pointing at {} on face {} in set {} (line {}) is off", p.target, p.face, p.set, p.line);
      c.decisions = {{p.id, json::object()}}, c.verb = "leave-out";
      if (ratio <= 1) c.cleared = {t.id};
      c.gain = 1 + std::log10(t.ratio());
      best = c;
    }
    if (!best || best->cleared.empty()) continue;
    std::set<std::string> about{t.item};
    if (const TraverseLine *l = r.line_of(t.item)) about.insert(l->setups.begin(), l->setups.end());
    StationSetup changed = s->setup;
    for (Pointing &p : changed.pointings)
      if (p.id == best->decisions.front().first) p.used = false;
    best->effect = Trial(r, state, known, datum, about).effect_of(changed);
    if (best->effect < 1e-5) best->effect = t.effect;
    out.push_back(*best);
  }
}

} // namespace

TraverseFindings judge_traverses(const TraverseReport &r, const JobState &state, const KnownPlaces &known,
                                 const JobDatum *datum) {
  TraverseFindings findings{traverse_tests(r, weather(r)), {}};
  const auto &tests = findings.tests;
  auto &out = findings.causes;
  explain_spreads(r, state, known, datum, tests, out);
  explain_hidden(r, state, known, datum, tests, out);
  for (const auto &about : clusters(r, tests)) {
    const Trial trial(r, state, known, datum, about);
    if (!trial.fails()) continue;
    std::vector<Hypothesis> all = traverse_hypotheses(r, about, tests);
    explain_excentric(r, about, tests, trial, all);
    for (const Hypothesis &h : all)
      if (auto c = trial.run(h)) {
        // Where no mark moves, what fails says how much it is.
        if (c->effect < 1e-5)
          for (const TraverseTest &t : tests)
            if (std::find(c->cleared.begin(), c->cleared.end(), t.id) != c->cleared.end())
              c->effect = std::max(c->effect, t.effect);
        out.push_back(std::move(*c));
      }
  }
  std::stable_sort(out.begin(), out.end(), [](const auto &a, const auto &b) { return a.gain > b.gain; });
  return findings;
}

} // namespace ampletie
