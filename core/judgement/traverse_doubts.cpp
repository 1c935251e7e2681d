#include "judgement/traverse_doubts.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "base/size_words.h"
#include "results/traverses.h"
#include <algorithm>
#include <fmt/format.h>
#include <map>

namespace ampletie {
namespace {

using Kind = TraverseTest::Kind;

DoubtKind doubt_kind(Kind k) {
  switch (k) {
  case Kind::spread:
    return DoubtKind::spread_too_wide;
  case Kind::there_back:
    return DoubtKind::length_differs_there_and_back;
  case Kind::rise:
    return DoubtKind::height_differs_there_and_back;
  case Kind::known_mark:
    return DoubtKind::known_mark_missed;
  case Kind::angles:
    return DoubtKind::angles_do_not_close;
  case Kind::length:
    return DoubtKind::traverse_does_not_close;
  case Kind::height:
    return DoubtKind::traverse_heights_do_not_close;
  case Kind::comparison:
    return DoubtKind::traverse_against_vectors;
  case Kind::air:
    return DoubtKind::pressure_suspicious;
  }
  return DoubtKind::not_computed;
}

std::string sentence(const TraverseTest &t) {
  const auto with_unit = [&](double v) {
    return t.unit == "″"    ? angle_words(v * rad_per_arcsec)
           : t.unit == "mm" ? length_words(v / 1000)
                            : fmt::format("{:.1f} {}", v, t.unit);
  };
  const std::string numbers = with_unit(std::abs(t.value)) + ", limit " + with_unit(t.limit);
  switch (t.kind) {
  case Kind::spread:
    return fmt::format("the {} spread by {}", std::string(t.observation) + "s", numbers);
  case Kind::there_back:
    return "the lengths measured from both ends differ by " + numbers;
  case Kind::rise:
    return "the height differences measured from both ends differ by " + numbers;
  case Kind::known_mark:
    return "the known mark comes out elsewhere by " + numbers;
  case Kind::angles:
    return "the angles miss by " + numbers;
  case Kind::length:
    return "the coordinates miss by " + numbers;
  case Kind::height:
    return "the heights miss by " + numbers;
  case Kind::comparison:
    return "traverse and vectors differ by " + numbers;
  case Kind::air:
    return fmt::format("the pressure is {:.0f} hPa off what the height and the other set-ups ask for: {:.1f} ppm in "
                       "every distance",
                       t.value, 0.28 * std::abs(t.value));
  }
  return "";
}

using T = Thing::Kind;

/// Adds the doubts of traverses.
struct TraverseDoubts {
  DoubtList &list;
  const TraverseReport &r;
  const TraverseFindings &findings;
  const std::function<bool(const std::string &)> &published;
  std::map<std::string, std::vector<std::string>> causes{}; ///< of each test

  Doubt &add(DoubtKind kind, const std::string &about, const Thing &thing, std::string sentence,
             const std::string &part = {}) {
    return list.add(kind, about, Section::traverse, thing, std::move(sentence), thing.id + part + "|" + about);
  }

  void of_sources() {
    for (const auto &s : r.field.sources) {
      const FieldSource &f = *s.file;
      if (s.blocked())
        add(DoubtKind::field_book_not_read, f.name, {T::source, f.source_id},
            f.unit_conflict.empty()
                ? fmt::format("{} pieces were not understood (line {}: {}): none of its set-ups is used until "
                              "they were looked at",
                              f.unread, f.first_unread_line, f.first_unread_why)
                : f.unit_conflict);
      std::size_t n = 0;
      for (const auto &t : f.troubles)
        if (++n <= 5)
          add(DoubtKind::field_book_trouble, fmt::format("{}, line {}", f.name, t.line), {T::source, f.source_id},
              t.what, fmt::format("|{}", t.line));
      if (n > 5)
        add(DoubtKind::field_book_trouble, f.name, {T::source, f.source_id},
            fmt::format("{} more lines with troubles", n - 5));
    }
  }

  /// Tests that one cause clears stand together under the largest of them.
  void of_tests() {
    std::map<std::string, double> effects; // of what would put it right
    for (const TraverseCause &c : findings.causes)
      for (const auto &id : c.cleared) {
        if (auto &known = causes[id]; known.size() < 3) known.push_back(c.sentence);
        effects.emplace(id, c.effect);
      }
    for (const TraverseTest &t : findings.tests) {
      if (t.passes()) continue;
      // What was left out is judged when it is taken up.
      const bool out_of_use = std::all_of(t.setups.begin(), t.setups.end(), [&](const std::string &id) {
        const ReducedSetup *s = r.field.find(id);
        return !s || !r.in_network(*s);
      });
      if (out_of_use) continue;
      const auto effect = effects.find(t.id);
      const bool line =
          t.kind == Kind::angles || t.kind == Kind::length || t.kind == Kind::height || t.kind == Kind::comparison;
      Doubt &d = add(doubt_kind(t.kind), t.about, {line ? T::traverse : T::station, t.item}, sentence(t));
      if (t.limit > 0) d.value = t.value, d.limit = t.limit, d.unit = t.unit;
      if (const double m = effect == effects.end() ? t.effect : effect->second; m > 0) d.effect_m = m;
      d.causes = causes[t.id];
    }
  }

  void of_marks() {
    for (const auto &[name, m] : r.marks) {
      const ReducedSetup *s = r.field.find(m.setup);
      if (!(m.apart > m.apart_limit) || !s || !r.in_network(*s)) continue;
      Doubt &d = add(
          DoubtKind::places_lie_apart, name, {T::station, m.setup},
          fmt::format("{} set-ups place it {} apart, limit {}: another point under its name, or a set-up that is wrong",
                      m.sights, length_words(m.apart), length_words(m.apart_limit)));
      d.value = 1000 * m.apart, d.limit = 1000 * m.apart_limit, d.unit = "mm", d.effect_m = m.apart;
    }
  }

  void of_lines() {
    for (const TraverseLine &l : r.lines) {
      if (!l.used) continue;
      if (!l.problem.empty() && !l.by_azimuths) add(DoubtKind::traverse_not_computed, l.name, {T::traverse, l.id}, l.problem);
      if (l.local_place || l.local_bearing) {
        Doubt &d = add(DoubtKind::local_traverse, l.name, {T::traverse, l.id},
                       l.local_place ? "it hangs on no known mark: its coordinates are local ones"
                                     : "nothing gives its bearing: it is assumed, and all coordinates turn with it");
        // A published mark that was sighted turns it without being held.
        if (const ReducedSetup *first = l.local_place ? nullptr : r.field.find(l.id))
          for (const TargetSight &s : first->sights)
            if (published(s.mean.target))
              d.corrections.push_back({"Turn it to the published place of " + s.mean.target + ", which is not held", "",
                                       "start_toward", s.mean.target, "", l.id});
      }
      if (l.problem.empty() && l.result.kind == TraverseKind::hanging)
        add(DoubtKind::open_traverse, l.name, {T::traverse, l.id}, "nothing closes it: a mistake in it cannot show");
      for (const TraverseSuspect &s : l.result.suspects)
        if (s.clears && causes["closure " + l.id].empty() && causes["angles " + l.id].empty()) {
          add(DoubtKind::one_mistake_would_do, l.name, {T::traverse, l.id},
              s.angle ? fmt::format("a single angle at {} off by {} would explain what does not close", s.mark,
                                    angle_words(s.size, 1, true))
                      : fmt::format("a single distance from {} off by {} would explain what does not close "
                                    "(and so may others)",
                                    s.mark, length_words(s.size, 1, true)));
          break;
        }
    }
  }

  /// The sight that fits worst, where the whole or it alone fails.
  void of_free_station(const ReducedSetup &s, const FreeStation &f) {
    const std::vector<FreeResidual> all = residuals(f);
    const auto worst = std::max_element(all.begin(), all.end(),
                                        [](const auto &a, const auto &b) { return std::abs(a.w) < std::abs(b.w); });
    if (worst == all.end() || f.adjustment.redundancy == 0 || (worst->passes && f.adjustment.passes)) return;
    const std::string size = worst->angle ? angle_words(worst->error, 1, true) : length_words(worst->error, 1, true);
    Doubt &d =
        add(DoubtKind::sight_suspicious, s.setup.mark + ", " + worst->what, {T::station, s.setup.id},
            fmt::format("the sights of this free station do not agree: the {} fits worst, by {}", worst->what, size),
            worst->what);
    d.value = std::abs(worst->w), d.limit = single_test_limit, d.unit = "w";
    if (!worst->angle) d.effect_m = std::abs(worst->error);
    if (worst->redundancy < 0.3)
      d.causes.push_back("with so few sights another one may be the wrong one: one more mark would tell");
  }

  void of_setups() {
    for (const auto &s : r.field.setups) {
      if (!r.in_network(*s)) continue;
      const auto j = r.judgements.find(s->setup.id);
      if (j != r.judgements.end() && !j->second.joined)
        add(DoubtKind::stray_setup, s->setup.mark, {T::station, s->setup.id},
            "nothing leads from this set-up to any other mark: is it of another job, or is its name wrong?");
      if (j != r.judgements.end() && j->second.free && !j->second.free->danger.empty())
        add(DoubtKind::weak_free_station, s->setup.mark, {T::station, s->setup.id}, j->second.free->danger);
      if (j != r.judgements.end() && j->second.free) of_free_station(*s, *j->second.free);
      for (const auto &t : s->reduced.troubles) {
        // A face that stands alone in one set of several is put right by the others; alone altogether it is not.
        if (t.one_face) continue;
        add(DoubtKind::setup_trouble, s->setup.mark, {T::station, s->setup.id}, t.what);
      }
      for (const TargetMean &t : s->reduced.targets) {
        const TraverseLine *l = r.line_of(s->setup.id);
        const bool leg = l && std::find(l->marks.begin(), l->marks.end(), t.target) != l->marks.end();
        if (leg && (t.pointings < 2 || (t.sets < 2 && !t.both_faces)))
          add(DoubtKind::too_little_left, s->setup.mark + " → " + t.target, {T::station, s->setup.id},
              "one face in one set: neither the instrument's errors nor a slip can show");
      }
    }
  }
};

} // namespace

void traverse_doubts(DoubtList &list, const TraverseReport &r, const TraverseFindings &findings,
                     const std::function<bool(const std::string &)> &published) {
  TraverseDoubts doubts{list, r, findings, published};
  doubts.of_sources();
  doubts.of_tests();
  doubts.of_marks();
  doubts.of_lines();
  doubts.of_setups();
}

} // namespace ampletie
