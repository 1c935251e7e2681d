// What the traverse sheet shows: its tables and pictures, filled from the job's report.
#include "adjustment/statistics.h"
#include "app/traverse/pointing_strip.h"
#include "app/traverse/traverse_legs.h"
#include "app/traverse/traverse_rows.h"
#include "app/traverse/traverse_sheet.h"
#include "app/widgets/closure_plot.h"
#include "app/widgets/numbers.h"
#include "app/widgets/plan_view.h"
#include "app/widgets/recipe_view.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
#include "base/angle.h"
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>

namespace ampletie::app {
namespace {
/// What each balance moves one mark by, beside what it may be off by itself.
Row balance_row(const TraverseLine &l, std::size_t i) {
  Row row;
  row.id = std::to_string(i);
  row.cells.push_back({text(l.marks[i]), static_cast<int>(i), {}, true});
  for (Balance b : {Balance::compass, Balance::transit, Balance::crandall, Balance::least_squares}) {
    const TraversePoint &x = l.balanced(b).points[i], &raw = l.result.raw[i];
    const bool chosen = b == l.balance, far = x.expected > 0 && x.moved > single_test_limit * x.expected;
    row.cells.push_back(
        {fixed(1000 * (x.place.east - raw.place.east), 1) + ", " + fixed(1000 * (x.place.north - raw.place.north), 1),
         x.moved,
         far      ? ink::failed
         : chosen ? ink::accepted
                  : QColor(),
         chosen || far});
  }
  const double sd = l.result.raw[i].sd;
  row.cells.push_back({sd > 0 ? fixed(1000 * sd, 1) : QString("–"), sd, {}, false});
  return row;
}

/// The misclosure in plan, what the balance warns of, and what the field computed.
QString closure_words(const TraverseLine &l) {
  QString words;
  const TraverseClosure &c = l.result.closure;
  if (c.has_linear)
    words = QString("misses %1 mm (ΔE %2, ΔN %3) over %4 m")
                .arg(1000 * c.linear, 0, 'f', 1)
                .arg(signed_mm(c.east, 1), signed_mm(c.north, 1))
                .arg(c.length, 0, 'f', 1);
  if (const auto &warning = l.balanced().warning; !warning.empty())
    words +=
        (words.isEmpty() ? "" : "<br/>") + QString("<span style='color:#B87311'>! %1</span>").arg(escaped(warning));
  if (l.booked) {
    const FieldClosure &f = l.booked->booked;
    QStringList said;
    if (std::isfinite(f.angle)) said << arcseconds(f.angle) + "″";
    if (std::isfinite(f.east)) said << QString("ΔE %1, ΔN %2").arg(signed_mm(f.east, 1), signed_mm(f.north, 1));
    if (!std::isfinite(f.east) && std::isfinite(f.length)) said << QString("length %1").arg(signed_mm(f.length, 1));
    if (std::isfinite(f.height)) said << QString("ΔH %1").arg(signed_mm(f.height, 1));
    words += (words.isEmpty() ? "" : "<br/>") + QString("<span style='color:%1'>the field computed %2: %3</span>")
                                                    .arg((l.booked->found ? ink::text : ink::attention).name(),
                                                         said.join(", "), escaped(l.booked->explained));
  }
  for (const auto &x : l.remarks) words += "<br/><span style='color:#6F7B83'>" + escaped(x) + "</span>";
  words += QString("<br/><span style='color:#6F7B83'>limits: %1</span>").arg(escaped(l.limit_name));
  return words;
}

/// `decided`: something of the target was corrected.
Row target_row(const TargetSight &x, bool decided) {
  const TargetMean &m = x.mean;
  const QColor said = decided ? ink::accepted : QColor();
  return {
      m.target,
      {{text(m.target), {}, said, true},
       {text(pointing_kind_name(m.kind)), {}, {}, false},
       {fixed(m.target_height, 3), m.target_height, said, decided},
       {fixed(1000 * m.prism_constant, 1), m.prism_constant, {}, false},
       {std::isfinite(m.direction) ? text(format_dms(degrees(m.direction), 1)) : QString("–"), m.direction, {}, false},
       against(m.direction_spread, m.direction_limit > 0 ? m.direction_limit : 1, rad_per_arcsec, 1),
       {m.direction_limit > 0 ? arcseconds(m.direction_limit) : QString("–"), m.direction_limit, {}, false},
       {std::isfinite(m.zenith) ? text(format_dms(degrees(m.zenith), 1)) : QString("–"), m.zenith, {}, false},
       against(m.zenith_spread, m.zenith_limit > 0 ? m.zenith_limit : 1, rad_per_arcsec, 1),
       {m.zenith_limit > 0 ? arcseconds(m.zenith_limit) : QString("–"), m.zenith_limit, {}, false},
       {fixed(x.slope, 4), x.slope, {}, false},
       against(m.slope_spread, m.slope_limit > 0 ? m.slope_limit : 1, 1e-3, 1),
       {m.slope_limit > 0 ? fixed(1000 * m.slope_limit, 1) : QString("–"), m.slope_limit, {}, false},
       {fixed(x.rise, 3), x.rise, {}, false}},
      false,
      m.within_limits() ? QColor() : ink::warm};
}

Row pointing_row(const ReducedSetup &s, const Pointing &p) {
  double off = NAN;
  for (const FaceMean &f : s.reduced.faces)
    if (f.set == p.set && f.target == p.target) off = f.residual;
  const TargetMean *m = s.reduced.find(p.target);
  const bool wide = p.used && m && !m->within_limits();
  return {p.id,
          {{text(p.target) + (p.target != p.booked ? " (" + text(p.booked) + ")" : QString()), {}, {}, true},
           {QString::number(p.set), p.set, {}, false},
           {QString::number(p.face), p.face, {}, false},
           {std::isfinite(p.circle)    ? text(format_dms(degrees(p.circle), 1))
            : std::isfinite(p.azimuth) ? text(format_dms(degrees(p.azimuth), 1)) + " N"
                                       : QString("–"),
            std::isfinite(p.circle) ? p.circle : p.azimuth,
            {},
            false},
           {std::isfinite(p.zenith) ? text(format_dms(degrees(p.zenith), 1))
            : std::isfinite(p.rise) ? fixed(p.rise, 4) + " m"
                                    : QString("–"),
            p.zenith,
            {},
            false},
           {std::isfinite(p.slope)        ? fixed(p.slope, 4)
            : std::isfinite(p.horizontal) ? fixed(p.horizontal, 4) + " h"
                                          : QString("–"),
            std::isfinite(p.slope) ? p.slope : p.horizontal,
            {},
            false},
           {fixed(p.target_height, 3), p.target_height, {}, false},
           {p.used && std::isfinite(off) ? arcseconds(off) : QString("–"), off, {}, false},
           {QString::number(p.line), static_cast<int>(p.line), {}, false},
           {p.used ? QString() : "left out: " + text(p.left_out_because), {}, {}, false}},
          !p.used,
          wide ? ink::warm : QColor()};
}

QString setup_words(const ReducedSetup &s) {
  QString words = QString("%1: %2 pointings").arg(escaped(s.setup.mark)).arg(s.setup.pointings.size());
  if (s.reduced.pairs)
    words += QString(" · line of sight %1″, index %2″ from %3 pairs of faces")
                 .arg(arcseconds(s.reduced.collimation), arcseconds(s.reduced.index))
                 .arg(s.reduced.pairs);
  else
    words += " · no pair of faces: the instrument's errors stay in";
  for (const auto &x : s.remarks) words += "<br/><span style='color:#6F7B83'>corrected: " + escaped(x) + "</span>";
  for (const auto &x : s.reduced.troubles) words += "<br/><span style='color:#B87311'>! " + escaped(x.what) + "</span>";
  return words;
}
} // namespace

void TraverseSheet::refresh() {
  std::vector<Row> lines, setups, marks, files, comparisons, styles;
  std::map<std::string, int> codes; // with their points
  std::set<std::string> coded, all; // marks
  std::vector<PlottedClosure> plotted;
  if (w_.has_job()) {
    const TraverseReport &r = w_.job().snapshot()->traverses();
    const JobState &state = w_.job().state();
    for (const TraverseLine &l : r.lines) {
      lines.push_back(traverse_row(l));
      if (l.problem.empty() && l.result.closure.has_linear) plotted.push_back(plotted_traverse(l));
      for (const TraverseComparison &x : l.comparisons) comparisons.push_back(comparison_row(l, x));
    }
    for (const auto &s : r.field.setups) setups.push_back(setup_row(r, state, *s));
    for (const auto &[name, m] : r.marks) {
      marks.push_back(provisional_row(r, name, m));
      all.insert(name);
      if (!m.code.empty()) ++codes[m.code], coded.insert(name);
    }
    for (const auto &[code, style] : state.styles) codes.try_emplace(code, 0);
    for (const auto &[code, points] : codes) styles.push_back(style_row(state, code, points));
    for (const auto &s : r.field.sources) files.push_back(field_book_row(s));
    if (!r.line(line_) && !r.lines.empty()) line_ = r.lines.front().id;
    if (!r.field.find(setup_) && !r.field.setups.empty()) setup_ = r.field.setups.front()->setup.id;
    if (view_->source().empty() && !r.field.sources.empty()) view_->show_source(r.field.sources.front().head.source_id);
    say(r.any() ? QString("%1 set-ups, %2 traverses").arg(r.field.setups.size()).arg(r.lines.size())
                : QString("drop field books anywhere in the window"));
  }
  set_count(0, static_cast<int>(lines.size()));
  set_count(1, static_cast<int>(setups.size()));
  set_count(3, static_cast<int>(marks.size()));
  set_count(4, static_cast<int>(files.size()));
  lines_->set_rows(std::move(lines));
  lines_->select(line_);
  setups_->set_rows(std::move(setups));
  setups_->select(setup_);
  // The plan of the codes shows where the codes are.
  codes_plan_->fit_to(coded.size() > 1 ? coded : all);
  marks_->set_rows(std::move(marks));
  files_->set_rows(std::move(files));
  styles_->set_rows(std::move(styles));
  comparisons_->set_rows(std::move(comparisons));
  closures_->set(std::move(plotted));
  refresh_line();
  refresh_setup();
  refresh_checks();
}

void TraverseSheet::refresh_line() {
  std::vector<Row> rows;
  const TraverseLine *l = line();
  std::shared_ptr<const TraverseReport> report; // keeps its snapshot
  if (w_.has_job())
    if (const auto now = w_.job().snapshot()) report = {now, &now->traverses()};
  legs_->set(report, line_);
  legs_->select(setup_);
  std::set<std::string> shown;
  if (l) {
    shown.insert(l->marks.begin(), l->marks.end());
    shown.insert({l->back_sight, l->closing_sight});
  }
  plan_->fit_to(std::move(shown));
  QString words;
  if (l && l->problem.empty()) {
    for (std::size_t i = 0; i < l->result.raw.size(); ++i) rows.push_back(balance_row(*l, i));
    words = closure_words(*l);
  } else if (l)
    words = QString("<span style='color:#A63D2F'>✕ %1</span>").arg(escaped(l->problem));
  words_->setText("<span style='font-size:8.5pt'>" + words + "</span>");
  balances_->set_rows(std::move(rows));
  filling_ = true;
  leave_->setEnabled(l);
  hand_out_->setEnabled(l && l->problem.empty() && !l->local_place && !l->local_bearing);
  leave_->setText(l && !l->used ? "Use" : "Leave out");
  for (QComboBox *c : {balance_, angles_, heights_}) c->setEnabled(l);
  if (l) {
    balance_->setCurrentText(text(balance_name(l->balance)));
    angles_->setCurrentText(text(angle_share_name(l->angles)));
    heights_->setCurrentText(text(height_share_name(l->heights)));
  }
  offer_onward();
  filling_ = false;
}

/// The marks that the route may go on to from the chosen set-up.
void TraverseSheet::offer_onward() {
  onward_->clear();
  if (w_.has_job()) {
    const TraverseReport &r = w_.job().snapshot()->traverses();
    const auto j = r.judgements.find(setup_);
    onward_->setEnabled(j != r.judgements.end());
    by_click_->setEnabled(j != r.judgements.end());
    if (j != r.judgements.end()) {
      onward_->addItem("ends here", "");
      for (const OnwardChoice &c : j->second.onward)
        onward_->addItem(QString("%1  (%2; %3)").arg(text(c.mark)).arg(c.score, 0, 'f', 0).arg(text(c.reason)),
                         text(c.mark));
      onward_->setCurrentIndex(std::max(0, onward_->findData(text(j->second.onward_mark))));
    }
  }
}

void TraverseSheet::refresh_setup() {
  std::vector<Row> targets, pointings;
  const ReducedSetup *s = setup();
  if (s) {
    const auto edits = w_.job().state().setups.find(setup_);
    const auto decided = [&](const std::string &target) {
      return edits != w_.job().state().setups.end() &&
             std::any_of(s->setup.pointings.begin(), s->setup.pointings.end(), [&](const Pointing &p) {
               return p.target == target && edits->second.targets.count(p.booked);
             });
    };
    for (const TargetSight &x : s->sights) targets.push_back(target_row(x, decided(x.mean.target)));
    for (const Pointing &p : s->setup.pointings) pointings.push_back(pointing_row(*s, p));
  }
  setup_words_->setText("<span style='font-size:8.5pt'>" + (s ? setup_words(*s) : QString()) + "</span>");
  std::shared_ptr<const ReducedSetup> shown;
  if (w_.has_job())
    for (const auto &x : w_.job().snapshot()->traverses().field.setups)
      if (x->setup.id == setup_) shown = x;
  strip_->set(shown);
  strip_->select(pointing_);
  targets_->set_rows(std::move(targets));
  pointings_->set_rows(std::move(pointings));
  setup_out_->setEnabled(s);
  setup_out_->setText(s && !s->used ? "Use set-up" : "Leave set-up out");
  bool here = false;
  if (s)
    for (const Pointing &p : s->setup.pointings)
      if (p.id == pointing_) here = true, pointing_out_->setText(p.used ? "Leave pointing out" : "Use pointing");
  pointing_out_->setEnabled(here);
}

void TraverseSheet::refresh_checks() {
  std::vector<Row> rows;
  int beyond = 0, all = 0;
  if (w_.has_job()) {
    const TraverseReport &r = w_.job().snapshot()->traverses();
    for (const auto &s : r.field.setups) {
      const auto j = r.judgements.find(s->setup.id);
      if (j == r.judgements.end() || !s->used) continue;
      for (const KnownMarkCheck &c : j->second.checks) {
        const auto cell = [](double v, double limit) {
          return std::isfinite(v) ? against(v, limit, 1e-3, 1) : Cell{"–", -1, {}, false};
        };
        const auto most = [](double limit) {
          return Cell{limit > 0 ? fixed(1000 * limit, 1) : QString(), limit, {}, false};
        };
        rows.push_back(
            {s->setup.id + "|" + c.mark,
             {{text(s->setup.mark), {}, {}, true},
              {text(c.mark), {}, {}, true},
              {c.passes() ? "■ agrees" : "✕ elsewhere", {}, c.passes() ? QColor() : ink::failed, !c.passes()},
              cell(c.along, c.along_limit),
              most(c.along_limit),
              cell(c.across, c.across_limit),
              most(c.across_limit),
              cell(c.up, c.up_limit),
              most(c.up_limit)},
             false,
             c.passes() ? QColor() : ink::warm});
        ++all;
        double worst = 0;
        for (double v : {c.along, c.across, c.up})
          if (std::isfinite(v)) worst = std::max(worst, std::abs(v));
        beyond += 1000 * worst > limit_->value();
      }
    }
  }
  failing_->setText(all ? QString("%1 of %2 would fail").arg(beyond).arg(all)
                        : QString("no known mark was sighted from another one"));
  set_count(2, all);
  checks_->set_rows(std::move(rows));
}

} // namespace ampletie::app
