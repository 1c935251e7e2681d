#include "results/field_claims.h"
#include "base/angle.h"
#include "results/traverse_line.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {

/// Field books round to the last digit that they show.
constexpr double same_angle = 1.0 * rad_per_arcsec, same_length = 0.0015;

/// A way in which the field may have computed.
struct Way {
  bool as_booked = false, ground = false, unshared = false;
  std::string words(bool reversed) const {
    std::vector<std::string> all;
    if (as_booked) all.push_back("with the readings as booked, before corrections");
    if (ground) all.push_back("on the ground, without the grid's scale");
    if (unshared) all.push_back("without sharing out the angles first");
    if (reversed) all.push_back("as known less measured");
    std::string out;
    for (std::size_t i = 0; i < all.size(); ++i) out += (i ? i + 1 == all.size() ? " and " : ", " : "") + all[i];
    return out;
  }
  int steps() const { return as_booked + ground + unshared; }
};

/// How far two closures are apart, in what the field rounds to; what the field does not say does not count.
double apart(const FieldClosure &f, const TraverseClosure &c, double sign) {
  double worst = 0;
  const auto take = [&](double theirs, double ours, double step) {
    if (std::isfinite(theirs)) worst = std::max(worst, std::abs(sign * theirs - ours) / step);
  };
  if (c.has_angular) take(f.angle, c.angular, same_angle);
  if (c.has_linear) {
    take(f.east, c.east, same_length), take(f.north, c.north, same_length);
    if (std::isfinite(f.length)) worst = std::max(worst, std::abs(f.length - c.linear) / same_length);
  }
  if (c.has_height) take(f.height, c.height, same_length);
  return worst;
}

/// Decisions with which the marks of a route are named as now, and nothing else is corrected.
JobState named_only(const JobState &state) {
  JobState out = state;
  for (auto &[id, e] : out.setups) {
    SetupEdits kept;
    kept.mark = e.mark, kept.onward = e.onward, kept.instrument = e.instrument;
    for (const auto &[name, t] : e.targets) kept.targets[name].mark = t.mark;
    e = kept;
  }
  for (auto &[id, e] : out.pointings) {
    PointingEdits kept;
    kept.mark = e.mark;
    e = kept;
  }
  std::erase_if(out.left_out, [](const auto &x) { return x.first.rfind("p-", 0) == 0; });
  std::erase_if(out.taken_up, [](const auto &x) { return x.first.rfind("p-", 0) == 0; });
  return out;
}

class Explainer {
public:
  Explainer(const TraverseReport &report, const JobState &state, const KnownPlaces &known, const JobDatum *datum)
      : report_(report), state_(state), known_(known), datum_(datum) {}

  std::optional<TraverseClosure> compute(const TraverseLine &l, const Way &w) const {
    JobState state = w.as_booked ? named_only(state_) : state_;
    TraverseSettings &set = state.settings.traverse;
    if (w.ground) set.grid = false;
    if (w.unshared) {
      set.angles = AngleShare::none;
      if (const auto e = state.routes.find(l.id); e != state.routes.end()) e->second.angles = {};
    }
    std::vector<ReducedSetup> own;
    std::vector<const ReducedSetup *> row;
    own.reserve(l.setups.size());
    const std::size_t stations =
        l.loop && l.setups.size() > 1 && l.setups.front() == l.setups.back() ? l.setups.size() - 1 : l.setups.size();
    for (std::size_t i = 0; i < stations; ++i) {
      const ReducedSetup *r = report_.field.find(l.setups[i]);
      if (!r) return std::nullopt;
      if (!w.as_booked) {
        row.push_back(r);
        continue;
      }
      const StationSetup *booked = nullptr;
      if (const auto *source = report_.field.source(r->setup.source_id))
        for (const StationSetup &s : source->file->setups)
          if (s.id == l.setups[i]) booked = &s;
      if (!booked) return std::nullopt;
      own.push_back(reduce_setup(decided_setup(*booked, state), booked->air, r->standard, set));
      row.push_back(&own.back());
    }
    const std::string end = !l.loop && l.marks.size() > row.size() ? l.marks.back() : std::string();
    const TraverseGrid grid(set, datum_, report_.places);
    const TraverseLine other = make_line(row, end, l.loop, known_, grid, state);
    if (!other.problem.empty()) return std::nullopt;
    return other.result.closure;
  }

  BookedClosure explain(const TraverseLine &l, const FieldClosure &f, const std::string &source) const {
    BookedClosure out;
    out.booked = f, out.source_id = source;
    struct Found {
      Way way;
      double sign = 1, apart = INFINITY;
    } best;
    for (int k = 0; k < 8; ++k) {
      const Way w{(k & 1) != 0, (k & 2) != 0, (k & 4) != 0};
      const auto c = k == 0 ? std::optional(l.result.closure) : compute(l, w);
      if (!c) continue;
      for (double sign : {1.0, -1.0}) {
        const double d = apart(f, *c, sign);
        // What needs fewer assumptions comes first, as long as it fits.
        const bool fits = d <= 1, fitted = best.apart <= 1;
        if (fits != fitted ? fits : fits ? w.steps() + (sign < 0) < best.way.steps() + (best.sign < 0) : d < best.apart)
          best = {w, sign, d};
      }
    }
    out.found = best.apart <= 1;
    out.same = out.found && best.way.steps() == 0;
    for (double *v : {&out.booked.angle, &out.booked.east, &out.booked.north, &out.booked.height}) *v *= best.sign;
    const std::string words = best.way.words(best.sign < 0);
    if (out.same)
      out.explained = words.empty() ? "the same as ours" : "the same as ours, written " + words;
    else if (out.found)
      out.explained = "computed " + words;
    else
      out.explained = "no way of computing that was tried gives these numbers" +
                      (words.empty() ? std::string() : "; the nearest is " + words);
    return out;
  }

private:
  const TraverseReport &report_;
  const JobState &state_;
  const KnownPlaces &known_;
  const JobDatum *datum_;
};

} // namespace

void compare_with_field(TraverseReport &out, const JobState &state, const KnownPlaces &known, const JobDatum *datum) {
  for (const auto &source : out.field.sources) {
    if (source.blocked()) continue;
    for (const FieldPlace &p : source.file->places)
      if (const auto m = out.marks.find(state.mark_name(p.mark)); m != out.marks.end()) {
        m->second.field = Vec3(p.east - m->second.place.east, p.north - m->second.place.north,
                               m->second.height ? p.height - *m->second.height : NAN);
      }
    for (const FieldClosure &f : source.file->closures) {
      const std::string from = state.mark_name(f.from), to = state.mark_name(f.to);
      for (TraverseLine &l : out.lines) {
        const bool there = l.marks.front() == from && l.marks.back() == to,
                   back = l.marks.front() == to && l.marks.back() == from;
        if (!l.problem.empty() || (!there && !back)) continue;
        // Several traverses may join the same marks: the one that the book holds.
        const ReducedSetup *first = l.setups.empty() ? nullptr : out.field.find(l.setups.front());
        if (!first) continue;
        // A file of closures alone speaks of whatever joins its marks; what one explains is not taken by another.
        const bool own_file = source.file->setups.empty();
        if (!own_file && first->setup.source_id != source.head.source_id) continue;
        if (own_file && l.booked && l.booked->found) continue;
        l.booked = Explainer(out, state, known, datum).explain(l, f, source.head.source_id);
      }
    }
  }
}

} // namespace ampletie
