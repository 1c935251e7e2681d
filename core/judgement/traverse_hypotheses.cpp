#include "judgement/traverse_hypotheses.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
using Kind = TraverseTest::Kind;
using nlohmann::json;

std::string metres(double v) { return fmt::format("{:.3f} m", v); }

std::function<void(StationSetup &)> renaming(const std::string &from, const std::string &to) {
  return [from, to](StationSetup &s) {
    for (Pointing &p : s.pointings)
      if (p.booked == from) p.target = to;
  };
}

/// Names as they were booked, and the marks they stand for.
using Names = std::vector<std::pair<std::string, std::string>>;

Names names_of(const StationSetup &s) {
  Names out;
  for (const Pointing &p : s.pointings)
    if (p.used && std::none_of(out.begin(), out.end(), [&](const auto &x) { return x.first == p.booked; }))
      out.emplace_back(p.booked, p.target);
  return out;
}

/// What is worth trying for one cluster of set-ups, kind by kind.
class Suspicions {
public:
  Suspicions(const TraverseReport &r, const std::set<std::string> &about, const std::vector<TraverseTest> &tests)
      : r_(r), tests_(tests) {
    for (const auto &s : r_.field.setups) {
      if (!s->used) continue;
      for (const TargetSight &x : s->sights)
        target_heights_.insert(x.mean.target_height), constants_.insert(x.mean.prism_constant);
      if (about.count(s->setup.id)) own_.push_back(s.get());
    }
    for (const TraverseTest &t : tests_) {
      if (t.passes()) continue;
      for (const auto &s : t.setups) {
        if (t.kind == Kind::rise || t.kind == Kind::height || (t.kind == Kind::known_mark && t.up))
          up_.insert(s);
        else if (t.kind == Kind::air)
          air_.insert(s);
        else if (t.kind != Kind::spread)
          plan_.insert(s);
        if (t.kind == Kind::rise) asked_[s].push_back(t.value / 1000);
      }
      if (t.kind == Kind::known_mark && t.up)
        for (const auto &s : t.setups) asked_[s].push_back(t.value / 1000);
    }
  }

  std::vector<Hypothesis> all() {
    for (const ReducedSetup *s : own_) {
      const std::string &id = s->setup.id;
      const Names names = names_of(s->setup);
      if (plan_.count(id) || up_.count(id)) exchanged_names(*s, names);
      if (plan_.count(id)) other_names(*s, names);
      if (up_.count(id)) target_heights(*s, names), instrument_height(*s);
      if (plan_.count(id)) prism_constants(*s, names);
      stray(*s);
    }
    pressures();
    return std::move(out_);
  }

private:
  void exchanged_names(const ReducedSetup &s, const Names &names) {
    const std::string &id = s.setup.id, &here = s.setup.mark;
    for (std::size_t a = 0; a < names.size(); ++a)
      for (std::size_t b = a + 1; b < names.size(); ++b) {
        const auto &[ba, ma] = names[a];
        const auto &[bb, mb] = names[b];
        // Details that one station saw alone close nothing.
        if (!r_.places.count(ma) || !r_.places.count(mb)) continue;
        Hypothesis h;
        h.sentence = fmt::format("the names {} and {} are exchanged at {}", ma, mb, here);
        h.decisions = {{id, {{"targets", {{ba, {{"mark", mb}}}, {bb, {{"mark", ma}}}}}}}};
        h.changes = {{id, renaming(ba, mb)}, {id, renaming(bb, ma)}};
        h.prior = 0.3;
        out_.push_back(std::move(h));
      }
  }

  void other_names(const ReducedSetup &s, const Names &names) {
    const std::string &id = s.setup.id, &here = s.setup.mark;
    std::set<std::string> others;
    for (const auto *o : own_) {
      others.insert(o->setup.mark);
      for (const TargetSight &x : o->sights)
        if (x.mean.kind != PointingKind::detail) others.insert(x.mean.target);
    }
    for (const auto &[booked, mark] : names) {
      for (const auto &other : others) {
        if (other == mark || other == here || s.find(other)) continue;
        Hypothesis h;
        h.sentence = fmt::format("what {} sighted as {} is {}", here, mark, other);
        h.decisions = {{id, {{"targets", {{booked, {{"mark", other}}}}}}}};
        h.changes = {{id, renaming(booked, other)}};
        out_.push_back(std::move(h));
      }
    }
  }

  /// A height that would do: one that the book has elsewhere, or the one that what fails asks for.
  void height(const std::string &id, const std::string &what, double now, double then, json value,
              std::function<void(StationSetup &)> change, bool used_elsewhere) {
    if (std::abs(then - now) < 0.002 || then < -1 || then > 6) return;
    Hypothesis h;
    h.sentence = used_elsewhere
                     ? fmt::format("{} is {}, not {}", what, metres(then), metres(now))
                     : fmt::format("{} is wrong by {:+.0f} mm ({} would do)", what, 1000 * (now - then), metres(then));
    h.decisions = {{id, std::move(value)}};
    h.changes = {{id, std::move(change)}};
    h.prior = used_elsewhere ? 0.15 : 0;
    out_.push_back(std::move(h));
  }

  void target_heights(const ReducedSetup &s, const Names &names) {
    const std::string &id = s.setup.id, &here = s.setup.mark;
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
      for (double then : target_heights_) height(id, what, now, then, value(then), put(then), true);
      // A target that is higher than booked makes the mark seem higher: the rise is too large by as much.
      for (double d : asked_[id]) {
        const double then = std::round(1000 * (now + d)) / 1000;
        if (std::none_of(target_heights_.begin(), target_heights_.end(),
                         [&](double t) { return std::abs(t - then) < 0.006; }))
          height(id, what, now, then, value(then), put(then), false);
      }
    }
  }

  void instrument_height(const ReducedSetup &s) {
    const std::string &id = s.setup.id, &here = s.setup.mark;
    const double now = s.setup.instrument_height;
    std::set<double> others;
    for (const auto *o : own_)
      if (o != &s) others.insert(o->setup.instrument_height);
    const std::string what = "the instrument height at " + here;
    const auto put = [](double then) { return [then](StationSetup &u) { u.instrument_height = then; }; };
    for (double then : others) height(id, what, now, then, json{{"height", then}}, put(then), true);
    for (double d : asked_[id]) {
      const double then = std::round(1000 * (now - d)) / 1000;
      if (std::none_of(others.begin(), others.end(), [&](double t) { return std::abs(t - then) < 0.006; }))
        height(id, what, now, then, json{{"height", then}}, put(then), false);
    }
  }

  void prism_constants(const ReducedSetup &s, const Names &names) {
    const std::string &id = s.setup.id, &here = s.setup.mark;
    for (const auto &[booked, mark] : names)
      if (const TargetSight *x = s.find(mark))
        for (double then : constants_) {
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
          out_.push_back(std::move(h));
        }
  }

  void stray(const ReducedSetup &s) {
    const std::string &id = s.setup.id, &here = s.setup.mark;
    Hypothesis h;
    h.sentence = fmt::format("the set-up on {} does not belong here", here);
    h.decisions = {{id, json::object()}}, h.verb = "leave-out", h.left_out = {id};
    h.prior = -0.5;
    out_.push_back(std::move(h));
  }

  /// A value that was left in the instrument concerns all set-ups that carry it.
  void pressures() {
    std::map<double, std::vector<const ReducedSetup *>> by_pressure;
    for (const auto *s : own_)
      if (air_.count(s->setup.id)) by_pressure[s->setup.air->pressure_hpa].push_back(s);
    for (const auto &[pressure, members] : by_pressure) {
      Hypothesis h;
      double should = 0;
      std::string marks;
      for (const TraverseTest &t : tests_)
        if (t.kind == Kind::air && t.item == members.front()->setup.id) should = pressure - t.value;
      for (const auto *s : members) {
        h.changes.emplace_back(s->setup.id, [should](StationSetup &u) {
          if (u.air) u.air->pressure_hpa = should;
        });
        h.decisions.emplace_back(s->setup.id, json{{"pressure", std::round(should)}});
        marks += (marks.empty() ? "" : ", ") + s->setup.mark;
      }
      h.sentence = fmt::format("the pressure of {:g} hPa at {} was left in: about {:.0f} hPa were there", pressure,
                               marks, should);
      h.prior = 0.3;
      out_.push_back(std::move(h));
    }
  }

  const TraverseReport &r_;
  const std::vector<TraverseTest> &tests_;
  std::vector<const ReducedSetup *> own_;
  std::set<double> target_heights_, constants_;
  std::set<std::string> plan_, up_, air_;            ///< set-ups that such tests concern
  std::map<std::string, std::vector<double>> asked_; ///< set-up → differences in height that it is part of
  std::vector<Hypothesis> out_;
};
} // namespace

std::vector<Hypothesis> traverse_hypotheses(const TraverseReport &r, const std::set<std::string> &about,
                                            const std::vector<TraverseTest> &tests) {
  return Suspicions(r, about, tests).all();
}

} // namespace ampletie
