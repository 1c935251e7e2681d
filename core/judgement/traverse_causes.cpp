#include "judgement/traverse_causes.h"
#include "base/angle.h"
#include <Eigen/Dense>
#include <algorithm>
#include <fmt/format.h>
#include <functional>
#include <set>

namespace ampletie {
namespace {

using Kind = TraverseTest::Kind;
using nlohmann::json;

/// A change of set-ups that may put things right.
struct Hypothesis {
  std::string sentence;
  std::vector<std::pair<std::string, json>> decisions;
  std::string verb = "set";
  std::vector<std::pair<std::string, std::function<void(StationSetup &)>>> changes; ///< by set-up
  std::set<std::string> left_out;                                                   ///< set-ups
  double prior = 0; ///< in units of gain: what is made more often comes first between equals
};

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

std::string metres(double v) { return fmt::format("{:.3f} m", v); }

/// Everything worth trying for one cluster.
std::vector<Hypothesis> hypotheses(const TraverseReport &r, const std::set<std::string> &about,
                                   const std::vector<TraverseTest> &tests) {
  std::vector<Hypothesis> out;
  std::vector<const ReducedSetup *> own;
  std::set<double> target_heights, constants;
  for (const auto &s : r.field.setups) {
    if (!s->used) continue;
    for (const TargetSight &x : s->sights)
      target_heights.insert(x.mean.target_height), constants.insert(x.mean.prism_constant);
    if (about.count(s->setup.id)) own.push_back(s.get());
  }
  std::set<std::string> plan, up, air;              // set-ups that such tests concern
  std::map<std::string, std::vector<double>> asked; // set-up → differences in height that it is part of
  for (const TraverseTest &t : tests) {
    if (t.passes()) continue;
    for (const auto &s : t.setups) {
      if (t.kind == Kind::rise || t.kind == Kind::height || (t.kind == Kind::known_mark && t.up))
        up.insert(s);
      else if (t.kind == Kind::air)
        air.insert(s);
      else if (t.kind != Kind::spread)
        plan.insert(s);
      if (t.kind == Kind::rise) asked[s].push_back(t.value / 1000);
    }
    if (t.kind == Kind::known_mark && t.up)
      for (const auto &s : t.setups) asked[s].push_back(t.value / 1000);
  }
  const auto rename = [](const std::string &from, const std::string &to) {
    return [from, to](StationSetup &s) {
      for (Pointing &p : s.pointings)
        if (p.booked == from) p.target = to;
    };
  };
  for (std::size_t n = 0; n < own.size(); ++n) {
    const ReducedSetup &s = *own[n];
    const std::string &id = s.setup.id, &here = s.setup.mark;
    std::vector<std::pair<std::string, std::string>> names; // booked, mark
    for (const Pointing &p : s.setup.pointings)
      if (p.used && std::none_of(names.begin(), names.end(), [&](const auto &x) { return x.first == p.booked; }))
        names.emplace_back(p.booked, p.target);
    if (plan.count(id) || up.count(id)) {
      for (std::size_t a = 0; a < names.size(); ++a)
        for (std::size_t b = a + 1; b < names.size(); ++b) {
          const auto &[ba, ma] = names[a];
          const auto &[bb, mb] = names[b];
          // Details that one station saw alone close nothing.
          if (!r.places.count(ma) || !r.places.count(mb)) continue;
          Hypothesis h;
          h.sentence = fmt::format("the names {} and {} are exchanged at {}", ma, mb, here);
          h.decisions = {{id, {{"targets", {{ba, {{"mark", mb}}}, {bb, {{"mark", ma}}}}}}}};
          h.changes = {{id, rename(ba, mb)}, {id, rename(bb, ma)}};
          h.prior = 0.3;
          out.push_back(std::move(h));
        }
      std::set<std::string> others;
      for (const auto *o : own) {
        others.insert(o->setup.mark);
        for (const TargetSight &x : o->sights)
          if (x.mean.kind != PointingKind::detail) others.insert(x.mean.target);
      }
      for (const auto &[booked, mark] : names) {
        if (!plan.count(id)) break;
        for (const auto &other : others) {
          if (other == mark || other == here || s.find(other)) continue;
          Hypothesis h;
          h.sentence = fmt::format("what {} sighted as {} is {}", here, mark, other);
          h.decisions = {{id, {{"targets", {{booked, {{"mark", other}}}}}}}};
          h.changes = {{id, rename(booked, other)}};
          out.push_back(std::move(h));
        }
      }
    }
    if (up.count(id)) {
      const auto height = [&](const std::string &what, double now, double then, json value,
                              std::function<void(StationSetup &)> change, bool used_elsewhere) {
        if (std::abs(then - now) < 0.002 || then < -1 || then > 6) return;
        Hypothesis h;
        h.sentence = used_elsewhere ? fmt::format("{} is {}, not {}", what, metres(then), metres(now))
                                    : fmt::format("{} is wrong by {:+.0f} mm ({} would do)", what, 1000 * (now - then),
                                                  metres(then));
        h.decisions = {{id, std::move(value)}};
        h.changes = {{id, std::move(change)}};
        h.prior = used_elsewhere ? 0.15 : 0;
        out.push_back(std::move(h));
      };
      for (const auto &[booked, mark] : names) {
        const TargetSight *x = s.find(mark);
        if (!x) continue;
        const double now = x->mean.target_height;
        const auto put = [booked = booked](double then) {
          return [booked, then](StationSetup &u) {
            for (Pointing &p : u.pointings)
              if (p.booked == booked) p.target_height = then;
          };
        };
        const auto value = [booked = booked](double then) { return json{{"targets", {{booked, {{"height", then}}}}}}; };
        const std::string what = fmt::format("the target height at {} to {}", here, mark);
        for (double then : target_heights) height(what, now, then, value(then), put(then), true);
        // A target that is higher than booked makes the mark seem higher: the rise is too large by as much.
        for (double d : asked[id]) {
          const double then = std::round(1000 * (now + d)) / 1000;
          if (std::none_of(target_heights.begin(), target_heights.end(),
                           [&](double t) { return std::abs(t - then) < 0.006; }))
            height(what, now, then, value(then), put(then), false);
        }
      }
      const double now = s.setup.instrument_height;
      std::set<double> others;
      for (const auto *o : own)
        if (o != &s) others.insert(o->setup.instrument_height);
      const std::string what = "the instrument height at " + here;
      const auto put = [](double then) { return [then](StationSetup &u) { u.instrument_height = then; }; };
      for (double then : others) height(what, now, then, json{{"height", then}}, put(then), true);
      for (double d : asked[id]) {
        const double then = std::round(1000 * (now - d)) / 1000;
        if (std::none_of(others.begin(), others.end(), [&](double t) { return std::abs(t - then) < 0.006; }))
          height(what, now, then, json{{"height", then}}, put(then), false);
      }
    }
    if (plan.count(id))
      for (const auto &[booked, mark] : names)
        if (const TargetSight *x = s.find(mark))
          for (double then : constants) {
            const double now = x->mean.prism_constant;
            if (std::abs(then - now) < 1e-5) continue;
            Hypothesis h;
            h.sentence = fmt::format("the prism constant at {} to {} is {:.1f} mm, not {:.1f} mm", here, mark,
                                     1000 * then, 1000 * now);
            h.decisions = {{id, {{"targets", {{booked, {{"constant", then}}}}}}}};
            h.changes = {{id, [booked = booked, then](StationSetup &u) {
                            for (Pointing &p : u.pointings)
                              if (p.booked == booked) p.prism_constant = then;
                          }}};
            h.prior = 0.1;
            out.push_back(std::move(h));
          }
    Hypothesis h;
    h.sentence = fmt::format("the set-up on {} does not belong here", here);
    h.decisions = {{id, json::object()}}, h.verb = "leave-out", h.left_out = {id};
    h.prior = -0.5;
    out.push_back(std::move(h));
  }
  // A value that was left in the instrument concerns all set-ups that carry it.
  std::map<double, std::vector<const ReducedSetup *>> by_pressure;
  for (const auto *s : own)
    if (air.count(s->setup.id)) by_pressure[s->setup.air->pressure_hpa].push_back(s);
  for (const auto &[pressure, members] : by_pressure) {
    Hypothesis h;
    double should = 0;
    std::string marks;
    for (const TraverseTest &t : tests)
      if (t.kind == Kind::air && t.item == members.front()->setup.id) should = pressure - t.value;
    for (const auto *s : members) {
      h.changes.emplace_back(s->setup.id, [should](StationSetup &u) {
        if (u.air) u.air->pressure_hpa = should;
      });
      h.decisions.emplace_back(s->setup.id, json{{"pressure", std::round(should)}});
      marks += (marks.empty() ? "" : ", ") + s->setup.mark;
    }
    h.sentence =
        fmt::format("the pressure of {:g} hPa at {} was left in: about {:.0f} hPa were there", pressure, marks, should);
    h.prior = 0.3;
    out.push_back(std::move(h));
  }
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
    std::vector<Hypothesis> all = hypotheses(r, about, tests);
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
