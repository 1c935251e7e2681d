#include "app/network/network_sheet.h"
#include "adjustment/statistics.h"
#include "app/network/causes_part.h"
#include "app/network/change_part.h"
#include "app/network/design_part.h"
#include "app/network/geoid_part.h"
#include "app/network/groups_part.h"
#include "app/network/measured_part.h"
#include "app/network/motion_part.h"
#include "app/network/pattern_strip.h"
#include "app/widgets/page.h"
#include "app/widgets/pages.h"
#include "app/widgets/plan_view.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
#include "base/angle.h"
#include "base/error.h"
#include <QHBoxLayout>
#include <QStackedWidget>
#include <QTextBrowser>
#include <QTimer>
#include <QVBoxLayout>
// The plotting library's header needs Qt's keywords, which the rest of the program does without.
#define signals Q_SIGNALS
#define slots Q_SLOTS
#define foreach Q_FOREACH
#define emit
#include <qcustomplot.h>
#undef signals
#undef slots
#undef foreach
#undef emit

namespace ampletie::app {
namespace {
QString summary_words(const NetworkRun &run, bool stale) {
  const AdjustmentResult &a = run.result.adjustment;
  return QString("<table cellspacing='0' cellpadding='0'><tr><td style='padding-right:26px'><span "
                 "style='color:#5A666E'>variance factor</span><br/><b style='font-size:13pt;color:%1'>%2</b> <span "
                 "style='color:#6F7B83'>of %3 to %4</span></td>"
                 "<td style='padding-right:26px'><span style='color:#5A666E'>global test</span><br/><b "
                 "style='font-size:13pt;color:%1'>%5</b></td><td style='padding-right:26px'><span "
                 "style='color:#5A666E'>redundancy</span><br/><b style='font-size:13pt'>%6</b> <span "
                 "style='color:#6F7B83'>%7 observations</span></td>"
                 "<td style='padding-right:26px'><span style='color:#5A666E'>datum</span><br/><b "
                 "style='font-size:13pt'>%8</b> <span style='color:#6F7B83'>%9</span></td><td>%10</td></tr></table>")
      .arg((a.redundancy == 0 ? ink::attention
            : a.passes        ? ink::accepted
                              : ink::failed)
               .name())
      .arg(a.variance_factor, 0, 'f', 2)
      .arg(a.lower, 0, 'f', 2)
      .arg(a.upper, 0, 'f', 2)
      .arg(a.redundancy == 0 ? "has nothing to test"
           : !a.passes       ? "fails"
           : a.low()         ? "passes, low"
                             : "passes")
      .arg(a.redundancy)
      .arg(a.observations)
      .arg(text(datum_mode_name(run.result.mode)), text(run.frame) + " at " + text(run.epoch_text),
           stale ? "<b style='color:#B87311'>out of date</b>" : "");
}

Row mark_row(const NetworkRun &run, const AdjustedMark &m, bool stale) {
  const FullPosition &p = run.positions.at(m.name);
  auto sd = [&](int i) { return std::sqrt(m.cov_enu(i, i)) * 1000; };
  const bool held = m.hold == Hold::full;
  auto plan = [&](double v) {
    return m.plan_known ? Cell{QString::number(v, 'f', 4), v, {}, false} : Cell{"–", {}, {}, false};
  };
  const bool height_held = !m.plan_known && m.hold == Hold::height;
  auto sigma = [&](int i) {
    if (!m.plan_known && i < 2) return Cell{"–", {}, {}, false};
    if (m.height_sd > 0 && i == 2 && !held)
      return Cell{height_held ? QString("held") : QString::number(m.height_sd * 1000, 'f', 1), m.height_sd,
                  height_held ? ink::unused : QColor(), false};
    return Cell{held ? QString("held") : QString::number(sd(i), 'f', 1), sd(i), held ? ink::unused : QColor(), false};
  };
  const double h = p.height.value_or(p.geodetic.h);
  return {m.name,
          {{text(m.name), {}, {}, true},
           plan(p.grid.east),
           plan(p.grid.north),
           {QString::number(h, 'f', 4), h, {}, false},
           sigma(0),
           sigma(1),
           sigma(2),
           {QString("%1 · %2")
                .arg(m.plan_known ? QString::number(m.network_plan95 * 1000, 'f', 1) : QString("–"))
                .arg((m.height_sd > 0 ? factor95(1, run.result.scale_degrees) * m.height_sd : m.network_up95) * 1000, 0,
                     'f', 1),
            m.network_plan95,
            {},
            false},
           Cell{held || height_held    ? QString("held")
                : m.independent_checks ? QString::number(m.independent_checks)
                                       : QString("none"),
                m.independent_checks, !held && !height_held && m.independent_checks == 0 ? ink::attention : QColor(),
                !held && !height_held && m.independent_checks == 0}},
          stale,
          {}};
}

/// One residual: its value and detectable error in `unit` of metres or radians.
struct ResidualStyle {
  double unit = 1e-3;
  const char *sign = "";
  int digits = 1, detectable_digits = 0;
};

Row residual_row(const std::string &id, const QString &name, const QString &component, const ObservationTest &o,
                 const ResidualStyle &style, const QString &session) {
  const bool beyond = std::abs(o.standardised) > single_test_limit;
  return {
      id,
      {{name, {}, {}, true},
       {component, {}, {}, false},
       {QString::number(o.residual / style.unit, 'f', style.digits) + style.sign, std::abs(o.residual), {}, false},
       Cell{QString::number(o.standardised, 'f', 2), std::abs(o.standardised), beyond ? ink::failed : QColor(), beyond},
       {QString::number(o.redundancy, 'f', 2), o.redundancy, {}, false},
       {o.smallest_detectable
            ? QString::number(*o.smallest_detectable / style.unit, 'f', style.detectable_digits) + style.sign
            : QString("–"),
        o.smallest_detectable.value_or(0),
        {},
        false},
       {session, {}, {}, false}},
      false,
      beyond ? ink::warm : QColor()};
}

QString between(const std::string &from, const std::string &to) { return text(from) + " → " + text(to); }

/// What the tests of a network are called on the sheet.
struct Named {
  explicit Named(const Workspace &workspace)
      : w(workspace), s(*w.job().snapshot()), sights(sight_names(s.traverses())),
        measured(measured_by_id(s.get(measured_result()))) {
    for (const LevelSection &x : s.levels().sections) sections.emplace(x.id, &x);
  }
  /// How many rows of residuals a test has: none where what it was made of is gone.
  std::size_t rows(const BlockTest &t) const {
    if (sights.count(t.id)) return t.observations.size() == 1 ? 1 : 0;
    if (t.kind == "vector") return w.vector(t.id) || measured.count(t.id) ? 3 : 0;
    return t.kind == "level" && sections.count(t.id) ? 1 : 0;
  }

  const Workspace &w;
  const JobSnapshot &s;
  std::map<std::string, SightName> sights;
  std::map<std::string, const MeasuredVector *> measured;
  std::map<std::string, const LevelSection *> sections;
};

/// Residuals of everything that is observed, in the order of the tests.
std::vector<Row> residual_rows(const Workspace &w, const NetworkRun &run) {
  std::vector<Row> out;
  const Named names(w);
  for (const BlockTest &t : run.result.adjustment.tests) {
    if (names.rows(t) == 0) continue;
    if (const auto sight = names.sights.find(t.id); sight != names.sights.end()) {
      // Angles in seconds, and what they are across at the target by the column beside.
      const ResidualStyle style =
          is_angle(t.kind) ? ResidualStyle{rad_per_arcsec, "″", 1, 1} : ResidualStyle{1e-3, "", 1, 1};
      out.push_back(residual_row(t.id + "/" + t.kind, between(sight->second.from, sight->second.to),
                                 t.kind == "zenith angle" ? QString("zenith") : text(t.kind), t.observations.front(),
                                 style, "total station"));
    } else if (t.kind == "vector") {
      const VectorResult *v = w.vector(t.id);
      const MeasuredVector *other = v ? nullptr : names.measured.at(t.id);
      for (std::size_t i = 0; i < 3; ++i)
        out.push_back(residual_row(
            t.id + "/" + std::to_string(i), v ? between(v->from, v->to) : between(other->from, other->to),
            text(t.components[i]).mid(1), t.observations[i], {}, v ? text(v->session).mid(13) : text(other->where())));
    } else {
      const LevelSection &section = *names.sections.at(t.id);
      const LevelLine *line = names.s.levels().line(section.line);
      out.push_back(residual_row(section.line + "/" + t.id, between(section.from, section.to), "ΔH",
                                 t.observations.front(), {1e-3, "", 2, 1}, line ? text(line->name) : QString()));
    }
  }
  return out;
}

std::size_t count_residuals(const Workspace &w, const NetworkRun &run) {
  const Named names(w);
  std::size_t n = 0;
  for (const BlockTest &t : run.result.adjustment.tests) n += names.rows(t);
  return n;
}

Row setup_row(const Workspace &w, const Occupation &occupation, const BlockTest &t) {
  const auto &o = t.observations;
  const bool beyond = std::abs(o[2].standardised) > single_test_limit;
  auto mm = [&](std::size_t i) {
    return Cell{QString::number(o[i].residual * 1000, 'f', 1), std::abs(o[i].residual), {}, false};
  };
  return {occupation.id,
          {{text(occupation.mark), {}, {}, true},
           {w.day_clock(occupation.start), {}, {}, false},
           mm(0),
           mm(1),
           mm(2),
           Cell{QString::number(o[2].standardised, 'f', 2), std::abs(o[2].standardised),
                beyond ? ink::failed : QColor(), beyond},
           {o[2].smallest_detectable ? QString::number(*o[2].smallest_detectable * 1000, 'f', 0) : "–", {}, {}, false}},
          false,
          {}};
}

/// The tests of set-ups with their occupations, in the order of the tests.
std::vector<std::pair<const Occupation *, const BlockTest *>> setups_of(const Workspace &w, const NetworkRun &run) {
  std::vector<std::pair<const Occupation *, const BlockTest *>> out;
  std::map<std::string, const Occupation *> by_setup;
  for (const Occupation &o : w.job().snapshot()->occupations()) by_setup.emplace(o.setup, &o);
  for (const BlockTest &t : run.result.adjustment.tests)
    if (const auto it = by_setup.find(t.id); t.kind == "set-up" && it != by_setup.end())
      out.emplace_back(it->second, &t);
  return out;
}

std::vector<Row> setup_rows(const Workspace &w, const NetworkRun &run) {
  std::vector<Row> out;
  for (const auto &[occupation, test] : setups_of(w, run)) out.push_back(setup_row(w, *occupation, *test));
  return out;
}
} // namespace

void NetworkSheet::make_tables() {
  marks_ = new TableCard(
      "Network marks",
      {{"Mark"},
       {"East m", "", true},
       {"North m", "", true},
       {"Height m", "Physical where a geoid is given, else ellipsoidal", true},
       {"s E", "Standard deviation, mm", true},
       {"s N", "Standard deviation, mm", true},
       {"s U", "Standard deviation, mm", true},
       {"95 % mm", "Network accuracy plan · height, with the published uncertainty of the held marks", true},
       {"Checks", "Independent set-ups beyond the first", true}});
  residuals_ = new TableCard("Network residuals",
                             {{"Observation", "", false, false, 120},
                              {"", "Component", false, false, 30},
                              {"v mm", "adjusted − observed", true, false, 56},
                              {"w", "Standardised residual for correlated observations", true, false, 52},
                              {"Redundancy", "", true, false, 70},
                              {"Detectable mm", "Smallest detectable error, 80 % power", true, false, 90},
                              {"Session", "Of a vector; of a levelled difference its line", false, false, 110}});
  setups_ = new TableCard("Network set-ups", {{"Mark", "", false, false, 60},
                                              {"Session", "", false, false, 110},
                                              {"East mm", "", true, false, 60},
                                              {"North mm", "", true, false, 60},
                                              {"Height mm", "", true, false, 66},
                                              {"w height", "Test of the antenna height", true, false, 66},
                                              {"Detectable mm", "Smallest detectable height error", true, false, 96}});
}

NetworkSheet::NetworkSheet(Workspace &w, QWidget *parent) : Sheet(w, "Network", parent) {
  make_tables();
  stack_ = new Pages;
  add_part("Marks", marks_, stack_);
  add_part("Residuals", residuals_, stack_);
  add_part("Set-ups", setups_, stack_);
  geoid_ = new GeoidPart(w_);
  add_part("Geoid", geoid_, stack_);
  groups_ = new GroupsPart(w_);
  add_part("Groups", groups_, stack_);
  causes_ = new CausesPart(w_);
  add_part("Causes", causes_, stack_);
  change_ = new ChangePart(w_);
  add_part("Change", change_, stack_);
  motion_ = new MotionPart(w_);
  add_part("Velocities", motion_, stack_);
  design_ = new DesignPart(w_);
  add_part("Design", design_, stack_);
  connect(design_, &DesignPart::refused, this, [this](const QString &why) { say(why, true); });
  connect(motion_, &MotionPart::refused, this, [this](const QString &why) { say(why, true); });
  measured_ = new MeasuredPart(w_);
  add_part("Measured", measured_, stack_);
  summary_ = new Page;
  summary_->setObjectName("network summary");
  summary_->setAccessibleName("Network summary");
  summary_->setFixedHeight(58);
  plot_ = new QCustomPlot;
  plot_->setAccessibleName("Standardised residuals by size");
  plot_->setMinimumHeight(100);
  auto *upper = new QHBoxLayout;
  upper->setSpacing(10);
  upper->addWidget(stack_, 13);
  auto *plan = new PlanView(w_, true);
  upper->addWidget(plan, 7);
  body()->addWidget(summary_);
  body()->addLayout(upper, 5);
  patterns_ = new PatternStrip;
  auto *below = new QWidget;
  auto *lower = new QHBoxLayout(below);
  lower->setContentsMargins(0, 0, 0, 0);
  lower->setSpacing(10);
  lower->addWidget(plot_, 2);
  lower->addWidget(patterns_, 3);
  body()->addWidget(below, 3);
  // Changes have a picture of their own, groups are a table that wants the room.
  connect(stack_, &QStackedWidget::currentChanged, this, [this, plan, below] {
    const QWidget *now = stack_->currentWidget();
    const bool alone =
        now == causes_ || now == change_ || now == measured_ || now == motion_ || now == design_ || now == groups_;
    plan->setVisible(!alone), below->setVisible(!alone);
  });
  // What matters most stands first.
  residuals_->view()->sortByColumn(3, Qt::DescendingOrder);
  setups_->view()->sortByColumn(5, Qt::DescendingOrder);
  set_action("Adjust network", "Adjust network");
  connect_choices();
  refresh(), fill_marks();
}

void NetworkSheet::connect_choices() {
  connect(marks_, &TableCard::chosen, this, [this](const std::string &id) { w_.select("mark", id); });
  const auto choose = [this](const std::string &id) {
    const std::string item = id.substr(0, id.find('/'));
    const auto sights = sight_names(w_.job().snapshot()->traverses());
    if (const auto sight = sights.find(item); sight != sights.end()) {
      w_.select("mark", sight->second.to);
      return;
    }
    const Thing::Kind kind = thing_by_id(item).kind;
    const bool vector = kind == Thing::Kind::vector || kind == Thing::Kind::measured;
    w_.select(words(vector ? kind : Thing::Kind::level_line), item);
  };
  connect(residuals_, &TableCard::chosen, this, choose);
  connect(patterns_, &PatternStrip::chosen, this, [this, choose](const std::string &id) {
    const auto &sections = w_.job().snapshot()->levels().sections;
    const auto level = std::find_if(sections.begin(), sections.end(), [&](const auto &x) { return x.id == id; });
    choose(level == sections.end() ? id : level->line);
  });
  connect(setups_, &TableCard::chosen, this, [this](const std::string &id) { w_.select("occupation", id); });
  const auto follow = [this] {
    if (w_.selection().kind == "mark") marks_->select(w_.selection().id);
  };
  refresh_when_seen(this, w_, [this] { refresh(); });
  // Thousands of rows: only the table that is seen is filled.
  refresh_when_seen(marks_, w_, [this, follow] { fill_marks(), follow(); });
  refresh_when_seen(residuals_, w_,
                    [this] { residuals_->set_rows(run() ? residual_rows(w_, *run()) : std::vector<Row>()); });
  refresh_when_seen(setups_, w_, [this] { setups_->set_rows(run() ? setup_rows(w_, *run()) : std::vector<Row>()); });
  refresh_when_seen(patterns_, w_, [this] {
    patterns_->set(run() ? residual_patterns(*w_.job().snapshot(), *run()) : std::vector<ResidualPattern>());
  });
  connect(&w_, &Workspace::selection_changed, this, follow);
}

void NetworkSheet::toggle_use() {
  if (stack_->currentWidget() == measured_) measured_->toggle_use();
}

void NetworkSheet::plot() {
  plot_->clearPlottables();
  plot_->clearItems();
  plot_->setBackground(ink::panel);
  plot_->xAxis->setTickLabels(false);
  plot_->xAxis->setTicks(false);
  plot_->xAxis->setLabel("observations, largest first");
  plot_->yAxis->setLabel("|w|");
  for (auto *axis : {plot_->xAxis, plot_->yAxis}) {
    axis->setBasePen(QPen(ink::hairline));
    axis->setTickPen(QPen(ink::hairline));
    axis->setSubTickPen(Qt::NoPen);
    axis->setTickLabelColor(ink::unused);
    axis->setLabelColor(ink::unused);
    axis->setLabelFont(sized(8.5));
    axis->setTickLabelFont(sized(8.5));
    axis->grid()->setPen(QPen(QColor("#EEEAE0")));
  }
  plot_->xAxis->grid()->setVisible(false);
  plot_->yAxis->grid()->setZeroLinePen(Qt::NoPen);
  QVector<double> inside_x, inside_y, outside_x, outside_y;
  if (const NetworkRun *run = this->run()) {
    std::vector<double> w;
    for (const BlockTest &t : run->result.adjustment.tests)
      for (const auto &o : t.observations)
        if (o.smallest_detectable) w.push_back(std::abs(o.standardised));
    std::sort(w.rbegin(), w.rend());
    for (std::size_t i = 0; i < w.size(); ++i) {
      (w[i] > single_test_limit ? outside_x : inside_x).push_back(static_cast<double>(i));
      (w[i] > single_test_limit ? outside_y : inside_y).push_back(w[i]);
    }
    auto bars = [&](const QVector<double> &x, const QVector<double> &y, QBrush brush) {
      if (x.isEmpty()) return;
      auto *b = new QCPBars(plot_->xAxis, plot_->yAxis);
      b->setWidth(0.72);
      b->setPen(Qt::NoPen);
      b->setBrush(brush);
      b->setData(x, y, true);
    };
    bars(inside_x, inside_y, ink::accepted);
    bars(outside_x, outside_y, QBrush(ink::failed, Qt::Dense3Pattern));
    plot_->xAxis->setRange(-0.6, std::max(1.0, static_cast<double>(w.size()) - 0.4));
    plot_->yAxis->setRange(0, std::max(4.0, w.empty() ? 4.0 : w[0] * 1.1));
    auto *limit = new QCPItemStraightLine(plot_);
    limit->point1->setCoords(0, single_test_limit);
    limit->point2->setCoords(1, single_test_limit);
    limit->setPen(QPen(ink::failed, 1.4, Qt::DashLine));
    auto *label = new QCPItemText(plot_);
    label->setText(QString("limit %1 (α = 0.001 per test)").arg(single_test_limit, 0, 'f', 2));
    label->setColor(ink::failed);
    label->setFont(sized(8.5));
    label->setPositionAlignment(Qt::AlignRight | Qt::AlignTop);
    label->position->setType(QCPItemPosition::ptAxisRectRatio);
    label->position->setCoords(0.995, 0.01);
  }
  // A large network's plan is drawn first: together they would hold the window up.
  constexpr std::size_t large = 200; // marks
  if (run() && run()->result.marks.size() > large)
    QTimer::singleShot(30, plot_, [this] { plot_->replot(); });
  else
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

const NetworkRun *NetworkSheet::run() const { return w_.has_job() ? w_.job().network() : nullptr; }

void NetworkSheet::fill_marks() {
  std::vector<Row> rows;
  if (const NetworkRun *r = run())
    for (const AdjustedMark &m : r->result.marks) rows.push_back(mark_row(*r, m, w_.job().network_stale()));
  marks_->set_rows(std::move(rows));
}

void NetworkSheet::refresh() {
  QString words = "<p style='color:#5A666E'>Not adjusted yet. Solve vectors, hold at least one mark, then adjust.</p>";
  std::size_t marks = 0, residuals = 0, setups = 0;
  if (const NetworkRun *r = run()) {
    words = summary_words(*r, w_.job().network_stale());
    marks = r->result.marks.size();
    residuals = count_residuals(w_, *r);
    setups = setups_of(w_, *r).size();
  }
  summary_->setHtml(words);
  set_count(0, static_cast<int>(marks));
  set_count(1, static_cast<int>(residuals));
  set_count(2, static_cast<int>(setups));
  groups_->refresh();
  change_->refresh();
  motion_->refresh();
  design_->refresh();
  geoid_->refresh();
  set_count(stack_->indexOf(geoid_), geoid_->count());
  measured_->refresh();
  set_count(stack_->indexOf(measured_), measured_->count());
  set_count(stack_->indexOf(design_), design_->count());
  plot();
}

} // namespace ampletie::app
