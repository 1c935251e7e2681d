#include "app/traverse/traverse_rows.h"
#include "app/widgets/numbers.h"
#include "app/widgets/theme.h"
#include <QLocale>
#include <cmath>

namespace ampletie::app {

Row traverse_row(const TraverseLine &l) {
  const TraverseClosure &c = l.result.closure;
  const bool local = l.local_place || l.local_bearing,
             open = l.problem.empty() && l.result.kind == TraverseKind::hanging;
  const bool bad = l.used && !l.closes();
  const QColor colour = bad ? ink::failed : open || local ? ink::attention : QColor();
  const auto limited = [&](bool has, double value, double unit, bool passes, int digits) {
    return Cell{has ? fixed(value / unit, digits) : QString("–"), has ? std::abs(value) : -1,
                has && !passes && l.used ? ink::failed : QColor(), has && !passes};
  };
  const auto limit = [&](bool has, double v, double unit, int digits) {
    return Cell{has ? fixed(v / unit, digits) : QString(), has ? v : -1, {}, false};
  };
  return {l.id,
          {{text(l.name), {}, {}, true},
           {!l.used              ? "– left out"
            : !l.problem.empty() ? "✕ not computed"
            : bad                ? "✕ misses"
            : local              ? "! local"
            : open               ? "! open"
                                 : "■ closes",
            {},
            colour,
            colour.isValid()},
           limited(c.has_angular, c.angular, rad_per_arcsec, l.angle_passes(), 1),
           limit(c.has_angular, l.angular_limit, rad_per_arcsec, 1),
           limited(c.has_linear, c.linear, 1e-3, l.length_passes(), 1),
           limit(c.has_linear, l.linear_limit, 1e-3, 1),
           {c.ratio        ? QLocale(QLocale::C).toString(static_cast<qlonglong>(std::lround(*c.ratio)))
            : c.has_linear ? QString("rounding")
                           : QString("–"),
            c.ratio.value_or(0),
            {},
            false},
           limited(c.has_height, c.height, 1e-3, l.height_passes(), 1),
           limit(c.has_height, l.height_limit, 1e-3, 1),
           {fixed(c.length / 1000, 3), c.length, {}, false},
           {l.problem.empty() ? text(traverse_kind_name(l.result.kind)) : QString(), {}, {}, false}},
          !l.used,
          bad ? ink::warm : QColor()};
}

PlottedClosure plotted_traverse(const TraverseLine &l) {
  const TraverseClosure &c = l.result.closure;
  return {l.id, text(l.name), c.east, c.north, c.has_height ? c.height : 0, l.linear_limit, l.closes(), true};
}

Row comparison_row(const TraverseLine &l, const TraverseComparison &x) {
  return {l.id + "|" + x.with + x.mark,
          {{text(x.mark), {}, {}, true},
           {text(x.with), {}, {}, false},
           {text(l.name), {}, {}, false},
           {x.passes ? "■ agrees" : "✕ differs", {}, x.passes ? QColor() : ink::failed, !x.passes},
           {fixed(1000 * x.east, 1), x.east, {}, false},
           {fixed(1000 * x.north, 1), x.north, {}, false},
           {x.expected > 0 ? fixed(1000 * x.expected, 1) : QString("–"), x.expected, {}, false},
           {fixed(1000 * x.up, 1), x.up, {}, false},
           {fixed(1000 * x.up_expected, 1), x.up_expected, {}, false}},
          false,
          x.passes ? QColor() : ink::warm};
}

Row setup_row(const TraverseReport &r, const JobState &state, const ReducedSetup &setup) {
  const ReducedSetup *s = &setup;
  double worst = 0;
  for (const TargetSight &t : s->sights)
    for (const auto &[spread, most] : {std::pair{t.mean.direction_spread, t.mean.direction_limit},
                                       {t.mean.zenith_spread, t.mean.zenith_limit},
                                       {t.mean.slope_spread, t.mean.slope_limit}})
      if (most > 0) worst = std::max(worst, spread / most);
  const auto j = r.judgements.find(s->setup.id);
  const bool stray = s->used && (j == r.judgements.end() || !j->second.joined), wide = worst > 1;
  const bool free = j != r.judgements.end() && j->second.free;
  const auto edits = state.setups.find(s->setup.id);
  const auto said = [&](auto member) { return edits != state.setups.end() && (edits->second.*member).value; };
  const auto mark_colour = [&](bool decided) { return decided ? ink::accepted : QColor(); };
  return {s->setup.id,
          {{text(s->setup.mark), {}, mark_colour(said(&SetupEdits::mark)), true},
           {fixed(s->setup.instrument_height, 3), s->setup.instrument_height,
            mark_colour(said(&SetupEdits::instrument_height)), said(&SetupEdits::instrument_height)},
           {s->setup.air ? fixed(s->setup.air->pressure_hpa, 1) : QString(),
            {},
            mark_colour(said(&SetupEdits::pressure)),
            said(&SetupEdits::pressure)},
           {s->setup.air ? fixed(s->setup.air->temperature_c, 1) : QString(),
            {},
            mark_colour(said(&SetupEdits::temperature)),
            said(&SetupEdits::temperature)},
           {QString::number(s->sights.size()), static_cast<int>(s->sights.size()), {}, false},
           {worst > 0 ? QString("%1 %").arg(100 * worst, 0, 'f', 0) : QString("–"), worst,
            wide ? ink::failed : QColor(), wide},
           {j == r.judgements.end() ? QString() : text(j->second.onward_mark), {}, {}, false},
           {text(s->setup.instrument), {}, {}, false},
           {text(s->setup.day), {}, {}, false},
           {!s->used            ? "– left out"
            : !r.in_network(*s) ? "– not in the network"
            : stray             ? "! stray"
            : wide              ? "✕ spread"
            : free              ? "■ free station"
                                : "■ in use",
            {},
            wide && s->used ? ink::failed
            : stray         ? ink::attention
                            : QColor(),
            (wide || stray) && s->used}},
          !s->used,
          wide && s->used ? ink::warm : QColor()};
}

Row provisional_row(const TraverseReport &r, const std::string &name, const ProvisionalMark &m) {
  const TraverseLine *l = r.line(m.line);
  const ReducedSetup *s = r.field.find(m.setup);
  return {name,
          {{text(name), {}, {}, true},
           {fixed(m.place.east, 3), m.place.east, {}, false},
           {fixed(m.place.north, 3), m.place.north, {}, false},
           {m.height ? fixed(*m.height, 3) : QString("–"), m.height.value_or(-1e9), {}, false},
           {m.sd > 0 ? fixed(1000 * m.sd, 1) : QString("–"), m.sd, {}, false},
           {m.moved > 0 ? fixed(1000 * m.moved, 1) : QString("–"), m.moved, {}, false},
           {text(m.code), {}, {}, false},
           {m.local              ? "! " + text(m.how) + ", local"
            : !m.warning.empty() ? "! " + text(m.how) + ": " + text(m.warning)
                                 : text(m.how),
            {},
            m.local || !m.warning.empty() ? ink::attention : QColor(),
            m.local},
           {QString::number(m.sights), m.sights, {}, false},
           m.apart > 0 ? against(m.apart, m.apart_limit, 1e-3, 1) : Cell{"–", -1, {}, false},
           {m.field ? fixed(1000 * m.field->x(), 0) + ", " + fixed(1000 * m.field->y(), 0) + ", " +
                          fixed(1000 * m.field->z(), 0)
                    : QString("–"),
            m.field ? m.field->head<2>().norm() : -1,
            {},
            false},
           {m.station && l ? text(l->name)
            : s            ? text(s->setup.mark)
                           : QString(),
            {},
            {},
            false}},
          false,
          m.apart > m.apart_limit ? ink::warm : QColor()};
}

Row style_row(const JobState &state, const std::string &code, int points) {
  const CodeStyle style = state.style_of(code);
  const bool own = state.styles.count(code) > 0;
  const QColor said = own ? ink::accepted : QColor();
  const auto yes = [&](bool v) { return Cell{v ? "yes" : "no", v, said, own}; };
  return {code,
          {{text(code), {}, {}, true},
           {QString::number(points), points, {}, false},
           {text(style.symbol), {}, said, own},
           yes(style.label),
           yes(style.height),
           yes(style.line)},
          false,
          {}};
}

Row field_book_row(const JobSetups::Source &s) {
  return {s.head.source_id,
          {{text(s.head.name), {}, {}, true},
           {s.blocked()     ? "✕ not used"
            : !s.used       ? "– left out"
            : s.head.unread ? "seen"
                            : "■ read",
            {},
            s.blocked() ? ink::failed : QColor(),
            s.blocked()},
           {QString::number(s.head.unread), static_cast<int>(s.head.unread), s.head.unread ? ink::failed : QColor(),
            s.head.unread > 0},
           {text(s.head.recipe), {}, {}, false}},
          !s.used,
          s.blocked() ? ink::warm : QColor()};
}

} // namespace ampletie::app
