#include "app/sections/traverse_sheet.h"
#include "app/closure_plot.h"
#include "app/numbers.h"
#include "app/plan_view.h"
#include "app/recipe_view.h"
#include "app/tab_button.h"
#include "app/table.h"
#include "app/theme.h"
#include "app/traverse_legs.h"
#include "base/angle.h"
#include "base/text.h"
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QScrollArea>
#include <QStackedWidget>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {

QString seconds(double radians) {
  return QString::number(radians / rad_per_arcsec, 'f', 1).replace('-', QChar(0x2212));
}
QString fixed(double v, int digits) {
  return std::isfinite(v) ? QString::number(v, 'f', digits).replace('-', QChar(0x2212)) : QString("–");
}
/// A value with its limit in one cell.
Cell against(double value, double limit, double unit, int digits) {
  const bool good = std::abs(value) <= limit;
  return {fixed(value / unit, digits) + (good ? "" : " ✕"), std::abs(value), good ? QColor() : ink::failed, !good};
}

} // namespace

TraverseSheet::TraverseSheet(Workspace &w, QWidget *parent) : Sheet(w, "Traverse", parent) {
  stack_ = new QStackedWidget;
  add_part("Traverses", make_lines(), stack_);
  add_part("Set-ups", make_setups(), stack_);
  add_part("Known marks", make_checks(), stack_);
  marks_ = new TableCard("Provisional marks", {{"Mark", "", false, false, 70},
                                               {"East m", "", true},
                                               {"North m", "", true},
                                               {"Height m", "", true},
                                               {"sd mm", "In plan, of this traverse by itself", true},
                                               {"Moved mm", "By the balance", true},
                                               {"Code"},
                                               {"From"},
                                               {"State"}});
  add_part("Marks", marks_, stack_);
  add_part("Files", make_files(), stack_);
  body()->addWidget(stack_, 1);
  set_action("Traverse report …", "Traverse report");
  connect(marks_, &TableCard::chosen, this, [this](const std::string &id) { w_.select("mark", id); });
  connect(&w_, &Workspace::changed, this, [this] { refresh(); });
  connect(&w_, &Workspace::selection_changed, this, [this] {
    const Selection &s = w_.selection();
    if (s.kind == "traverse" && s.id != line_) {
      show_part(0);
      lines_->select(s.id);
      choose_line(s.id);
    } else if (s.kind == "station" && s.id != setup_) {
      setups_->select(s.id);
      choose_setup(s.id);
    }
  });
  refresh();
}

QWidget *TraverseSheet::make_lines() {
  lines_ = new TableCard("Traverses", {{"Traverse", "", false, false, 96},
                                       {"Verdict"},
                                       {"Angles ″", "What the angles miss, before anything is shared out", true},
                                       {"limit", "", true},
                                       {"Length mm", "What the coordinates miss, angles shared", true},
                                       {"limit", "", true},
                                       {"1 :", "Length over misclosure", true},
                                       {"Height mm", "", true},
                                       {"limit", "", true},
                                       {"km", "", true},
                                       {"Kind"}});
  balances_ = new TableCard("Balances", {{"Mark", "", false, false, 46},
                                         {"Compass", "Moved east, north in mm", true},
                                         {"Transit", "", true},
                                         {"Crandall", "", true},
                                         {"Least sq.", "", true},
                                         {"± mm", "What each mark may be off by itself", true}});
  legs_ = new TraverseLegs;
  auto *scroll = new QScrollArea;
  scroll->setWidget(legs_);
  scroll->setWidgetResizable(true);
  scroll->setFrameShape(QFrame::NoFrame);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  plan_ = new PlanView(w_, false);
  plan_->setObjectName("traverse plan");
  plan_->show_sights(true);
  words_ = new QLabel;
  words_->setWordWrap(true);
  words_->setAccessibleName("About the traverse");
  leave_ = tab_button("Leave traverse out", "Leave the traverse out", "Shown, but its set-ups stay out of the network");
  by_click_ = tab_button("Onward on the plan", "Choose the onward sight on the plan",
                         "Click a mark on the plan: the chosen set-up goes on to it");
  by_click_->setCheckable(true);
  onward_ = new QComboBox;
  onward_->setObjectName("compact");
  onward_->setAccessibleName("Onward sight");
  onward_->setToolTip("The mark that the route goes on to from the chosen set-up, best first, with the reason");
  auto combo = [&](const char *name, const char *tip, const QStringList &items) {
    auto *c = new QComboBox;
    c->setObjectName("compact");
    c->setAccessibleName(name);
    c->setToolTip(tip);
    c->addItems(items);
    return c;
  };
  QStringList names;
  for (Balance b : all_balances()) names << text(balance_name(b));
  balance_ = combo("Balance", "What the provisional coordinates take", names);
  angles_ = combo("Angular share", "How the angular misclosure is shared out", {"equal", "inverse to length", "none"});
  heights_ = combo("Height share", "How the height misclosure is shared out", {"length", "equal", "none"});
  const auto decide = [this](const char *what, QComboBox *c) {
    if (!filling_ && line())
      w_.decide("set", "traverse:" + line_, {{what, c->currentText().toStdString()}}, "chosen by comparison");
  };
  connect(balance_, &QComboBox::activated, this, [=, this] { decide("balance", balance_); });
  connect(angles_, &QComboBox::activated, this, [=, this] { decide("angles", angles_); });
  connect(heights_, &QComboBox::activated, this, [=, this] { decide("heights", heights_); });
  connect(onward_, &QComboBox::activated, this, [this](int i) {
    if (!filling_ && setup())
      w_.decide("set", setup_, {{"onward", onward_->itemData(i).toString().toStdString()}}, "another onward sight");
  });
  connect(plan_, &PlanView::mark_clicked, this, [this](const std::string &mark) {
    if (by_click_->isChecked() && setup()) {
      by_click_->setChecked(false);
      w_.decide("set", setup_, {{"onward", mark}}, "onward sight chosen on the plan");
    }
  });
  connect(leave_, &QPushButton::clicked, this, [this] {
    const TraverseLine *l = line();
    if (!l) return;
    std::set<std::string> sources;
    const JobSetups &field = w_.job().snapshot()->traverses->field;
    for (const auto &id : l->setups)
      if (const ReducedSetup *s = field.find(id))
        if (const auto *source = field.source(s->setup.source_id); source && !source->used)
          sources.insert(s->setup.source_id);
    // A book that is out keeps all of its traverses out: it comes back as a whole.
    if (!l->used)
      for (const auto &source : sources) w_.decide("use", source, nlohmann::json::object(), "gone through");
    if (l->used || !w_.job().snapshot()->traverses->line(line_)->used)
      w_.decide(l->used ? "leave-out" : "use", "traverse:" + line_, nlohmann::json::object(),
                l->used ? "left out in the sheet" : "");
  });
  connect(lines_, &TableCard::chosen, this, [this](const std::string &id) {
    choose_line(id);
    w_.select("traverse", id);
  });
  connect(legs_, &TraverseLegs::chosen, this, [this](const std::string &id) {
    choose_setup(id);
    w_.select("station", id);
  });
  auto *bar = new QHBoxLayout;
  bar->setSpacing(4);
  bar->addWidget(new QLabel("onward"));
  bar->addWidget(onward_, 1);
  bar->addWidget(by_click_);
  bar->addWidget(leave_);
  auto *left = new QVBoxLayout;
  left->setSpacing(6);
  left->addWidget(scroll, 1);
  left->addLayout(bar);
  auto *choices = new QHBoxLayout;
  choices->setSpacing(4);
  for (const auto &[label, c] : {std::pair{"angles", angles_}, {"balance", balance_}, {"heights", heights_}}) {
    choices->addWidget(new QLabel(label));
    choices->addWidget(c, 1);
  }
  auto *right = new QVBoxLayout;
  right->setSpacing(6);
  right->addWidget(plan_, 5);
  right->addWidget(balances_, 5);
  right->addLayout(choices);
  right->addWidget(words_);
  auto *lower = new QHBoxLayout;
  lower->setSpacing(10);
  lower->addLayout(left, 11);
  lower->addLayout(right, 9);
  auto *page = new QWidget;
  auto *all = new QVBoxLayout(page);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(8);
  all->addWidget(lines_, 2);
  all->addLayout(lower, 7);
  for (TableCard *t : {lines_, balances_}) t->hide_filter();
  lines_->setMinimumHeight(122);
  return page;
}

QWidget *TraverseSheet::make_setups() {
  setups_ = new TableCard("Set-ups", {{"Mark", "As booked; type another name to correct it", false, true, 56},
                                      {"Height m", "Of the instrument", true, true},
                                      {"hPa", "", true, true},
                                      {"°C", "", true, true},
                                      {"Targets", "", true},
                                      {"Worst spread", "Against its limit", true},
                                      {"Onward"},
                                      {"Instrument"},
                                      {"Day"},
                                      {"State"}});
  targets_ = new TableCard("Targets", {{"Target", "Type another name to correct it", false, true, 60},
                                       {"For", "orientation, control or detail", false, true},
                                       {"Height m", "Of the target", true, true},
                                       {"Const. mm", "Prism constant, added to the distance", true, true},
                                       {"Direction", "Mean of the sets, against the first target", true},
                                       {"spread ″", "", true},
                                       {"limit", "", true},
                                       {"Zenith", "", true},
                                       {"spread ″", "", true},
                                       {"limit", "", true},
                                       {"Slope m", "Constant, air and card applied", true},
                                       {"spread mm", "", true},
                                       {"limit", "", true},
                                       {"Rise m", "", true}});
  pointings_ = new TableCard("Pointings", {{"Target", "", false, false, 60},
                                           {"Set", "", true},
                                           {"Face", "", true},
                                           {"Circle", "", true},
                                           {"Zenith", "", true},
                                           {"Slope m", "As shown by the instrument", true},
                                           {"Height m", "", true},
                                           {"off ″", "Direction of the set against the mean", true},
                                           {"Line", "", true},
                                           {"State"}});
  setup_words_ = new QLabel;
  setup_words_->setWordWrap(true);
  setup_words_->setAccessibleName("About the set-up");
  setup_out_ = tab_button("Leave set-up out", "Leave the set-up out", "With all of its pointings");
  pointing_out_ = tab_button("Leave pointing out", "Leave the pointing out", "Everything follows at once (Space)");
  setups_->model()->edit = [this](const std::string &id, int c, const QString &v) { return edit_setup(id, c, v); };
  targets_->model()->edit = [this](const std::string &id, int c, const QString &v) { return edit_target(id, c, v); };
  for (TableCard *t : {setups_, targets_})
    connect(t->model(), &TableModel::refused, this, [this](const QString &why) { say(why, true); });
  connect(setups_, &TableCard::chosen, this, [this](const std::string &id) {
    choose_setup(id);
    w_.select("station", id);
  });
  connect(pointings_, &TableCard::chosen, this, [this](const std::string &id) {
    pointing_ = id;
    const ReducedSetup *s = setup();
    pointing_out_->setEnabled(true);
    if (s)
      for (const Pointing &p : s->setup.pointings)
        if (p.id == id) pointing_out_->setText(p.used ? "Leave pointing out" : "Use pointing");
  });
  connect(setup_out_, &QPushButton::clicked, this, [this] {
    if (const ReducedSetup *s = setup())
      w_.decide(s->used ? "leave-out" : "use", setup_, nlohmann::json::object(),
                s->used ? "left out in the sheet" : "");
  });
  connect(pointing_out_, &QPushButton::clicked, this, [this] { toggle_use(); });
  auto *bar = new QHBoxLayout;
  bar->addWidget(setup_words_, 1);
  bar->addWidget(pointing_out_);
  bar->addWidget(setup_out_);
  auto *page = new QWidget;
  auto *lower = new QVBoxLayout;
  lower->setSpacing(6);
  targets_->hide_filter();
  lower->addWidget(setups_, 5);
  lower->addWidget(targets_, 3);
  lower->addWidget(pointings_, 5);
  lower->addLayout(bar);
  auto *all = new QHBoxLayout(page);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(lower);
  return page;
}

QWidget *TraverseSheet::make_checks() {
  checks_ = new TableCard("Known-mark checks", {{"From", "", false, false, 60},
                                                {"Known mark", "", false, false, 80},
                                                {"Verdict"},
                                                {"along mm", "Distance: measured less known", true},
                                                {"limit", "", true},
                                                {"across mm", "Direction, against the other known marks", true},
                                                {"limit", "", true},
                                                {"up mm", "", true},
                                                {"limit", "", true}});
  comparisons_ = new TableCard("Traverse against vectors", {{"Mark", "", false, false, 60},
                                                            {"Traverse"},
                                                            {"Verdict"},
                                                            {"ΔE mm", "Traverse less vectors", true},
                                                            {"ΔN mm", "", true},
                                                            {"expected", "Standard deviation in plan, mm", true},
                                                            {"ΔH mm", "", true},
                                                            {"expected", "", true}});
  closures_ = new ClosurePlot;
  limit_ = new QDoubleSpinBox;
  limit_->setAccessibleName("Limit to try");
  limit_->setRange(1, 1000);
  limit_->setDecimals(0);
  limit_->setValue(20);
  limit_->setSuffix(" mm");
  failing_ = new QLabel;
  failing_->setAccessibleName("How many would fail");
  failing_->setWordWrap(true);
  connect(limit_, &QDoubleSpinBox::valueChanged, this, [this] { refresh_checks(); });
  connect(checks_, &TableCard::chosen, this,
          [this](const std::string &id) { w_.select("station", id.substr(0, id.find('|'))); });
  auto *bar = new QHBoxLayout;
  bar->addWidget(new QLabel("with a limit of"));
  bar->addWidget(limit_);
  bar->addWidget(failing_, 1);
  auto *left = new QVBoxLayout;
  left->setSpacing(6);
  comparisons_->hide_filter();
  left->addWidget(checks_, 4);
  left->addLayout(bar);
  left->addWidget(comparisons_, 2);
  auto *page = new QWidget;
  auto *all = new QHBoxLayout(page);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(10);
  all->addLayout(left, 3);
  all->addWidget(closures_, 2);
  return page;
}

QWidget *TraverseSheet::make_files() {
  files_ = new TableCard("Field books", {{"File", "", false, false, 90}, {"State"}, {"Unread", "", true}, {"Recipe"}});
  view_ = new RecipeView(w_);
  auto *another = new QPushButton("Read a text file …");
  another->setAccessibleName("Read a text file as a field book");
  another->setToolTip("A book that no recipe knows yet: its meaning is said by pointing at it");
  connect(another, &QPushButton::clicked, this, [this] {
    const QStringList list = QFileDialog::getOpenFileNames(this, "Read text files as field books");
    if (!list.isEmpty()) w_.take(list, "pointings");
  });
  connect(files_, &TableCard::chosen, this, [this](const std::string &id) {
    view_->show_source(id);
    w_.select("source", id);
  });
  auto *left = new QVBoxLayout;
  left->addWidget(files_, 1);
  left->addWidget(another);
  auto *page = new QWidget;
  auto *all = new QHBoxLayout(page);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(left, 2);
  all->addWidget(view_, 5);
  return page;
}

void TraverseSheet::act() {
  if (!w_.has_job() || !w_.job().snapshot()->traverses->any()) {
    say("there is nothing to report yet: take field books first", true);
    return;
  }
  const QString file = QFileDialog::getSaveFileName(this, "Traverse report", "traverse.pdf",
                                                    "PDF (*.pdf);;Web page (*.html);;Marks (*.csv);;LandXML (*.xml)");
  if (!file.isEmpty()) w_.traverse_report(file);
}

const TraverseLine *TraverseSheet::line() const {
  return w_.has_job() ? w_.job().snapshot()->traverses->line(line_) : nullptr;
}
const ReducedSetup *TraverseSheet::setup() const {
  return w_.has_job() ? w_.job().snapshot()->traverses->field.find(setup_) : nullptr;
}

void TraverseSheet::toggle_use() {
  const ReducedSetup *s = setup();
  if (!s) return;
  for (const Pointing &p : s->setup.pointings)
    if (p.id == pointing_) {
      w_.decide(p.used ? "leave-out" : "use", p.id, nlohmann::json::object(), p.used ? "left out in the sheet" : "");
      return;
    }
}

void TraverseSheet::choose_line(const std::string &id) {
  line_ = id;
  if (const TraverseLine *l = line(); l && std::find(l->setups.begin(), l->setups.end(), setup_) == l->setups.end())
    setup_ = l->setups.empty() ? std::string() : l->setups.front();
  refresh_line();
  refresh_setup();
}

void TraverseSheet::choose_setup(const std::string &id) {
  setup_ = id;
  if (w_.has_job())
    if (const TraverseLine *l = w_.job().snapshot()->traverses->line_of(id); l && l->id != line_) {
      const TraverseLine *now = line();
      if (!now || std::find(now->setups.begin(), now->setups.end(), id) == now->setups.end()) line_ = l->id;
    }
  refresh_line();
  refresh_setup();
}

QString TraverseSheet::correct_setups(const std::string &edited, const std::string &name, const nlohmann::json &value) {
  std::vector<std::string> all{edited};
  std::vector<std::string> chosen;
  for (const QModelIndex &row : setups_->view()->selectionModel()->selectedRows())
    chosen.push_back(row.data(Qt::UserRole + 1).toString().toStdString());
  if (chosen.size() > 1 && std::find(chosen.begin(), chosen.end(), edited) != chosen.end()) all = chosen;
  QString why;
  for (const auto &id : all)
    why +=
        w_.decide("set", id, {{name, value}}, all.size() > 1 ? "corrected for a selection" : "corrected in the sheet");
  return why;
}

QString TraverseSheet::edit_setup(const std::string &id, int column, const QString &value) {
  const std::string typed(trimmed(value.toStdString()));
  if (column == 0)
    return typed.empty() ? "a mark needs a name"
                         : w_.decide("set", id, {{"mark", typed}}, "name corrected in the sheet");
  const auto v = parse_decimal(typed);
  const char *name = column == 1 ? "height" : column == 2 ? "pressure" : "temperature";
  const auto [least, most] = column == 1   ? std::pair(-10.0, 30.0)
                             : column == 2 ? std::pair(450.0, 1090.0)
                                           : std::pair(-60.0, 60.0);
  if (!v || *v < least || *v > most)
    return QString("\"%1\" is no %2: %3 to %4 are").arg(value, name).arg(least).arg(most);
  return correct_setups(id, name, *v);
}

QString TraverseSheet::edit_target(const std::string &id, int column, const QString &value) {
  const ReducedSetup *s = setup();
  if (!s) return "choose a set-up first";
  const std::string typed(trimmed(value.toStdString()));
  nlohmann::json what;
  if (column == 0) {
    if (typed.empty()) return "a target needs a name";
    what["mark"] = typed;
  } else if (column == 1) {
    if (typed != "orientation" && typed != "control" && typed != "detail")
      return "a sight is for orientation, control or detail";
    what["kind"] = typed;
  } else {
    const auto v = parse_decimal(typed);
    const double most = column == 2 ? 30 : 500;
    if (!v || std::abs(*v) > most) return QString("\"%1\" is not possible here").arg(value);
    what[column == 2 ? "height" : "constant"] = column == 2 ? *v : *v / 1000;
  }
  // Decisions are about the names in the book.
  std::set<std::string> booked;
  for (const Pointing &p : s->setup.pointings)
    if (p.target == id) booked.insert(p.booked);
  nlohmann::json targets;
  for (const auto &b : booked) targets[b] = what;
  return w_.decide("set", setup_, {{"targets", targets}}, "corrected in the sheet");
}

void TraverseSheet::refresh() {
  std::vector<Row> lines, setups, marks, files, comparisons;
  std::vector<PlottedClosure> plotted;
  if (w_.has_job()) {
    const TraverseReport &r = *w_.job().snapshot()->traverses;
    for (const TraverseLine &l : r.lines) {
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
      lines.push_back({l.id,
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
                       bad ? ink::warm : QColor()});
      if (l.problem.empty() && c.has_linear)
        plotted.push_back(
            {l.id, text(l.name), c.east, c.north, c.has_height ? c.height : 0, l.linear_limit, l.closes(), true});
      for (const TraverseComparison &x : l.comparisons)
        comparisons.push_back({l.id + "|" + x.mark,
                               {{text(x.mark), {}, {}, true},
                                {text(l.name), {}, {}, false},
                                {x.passes ? "■ agrees" : "✕ differs", {}, x.passes ? QColor() : ink::failed, !x.passes},
                                {fixed(1000 * x.east, 1), x.east, {}, false},
                                {fixed(1000 * x.north, 1), x.north, {}, false},
                                {fixed(1000 * x.expected, 1), x.expected, {}, false},
                                {fixed(1000 * x.up, 1), x.up, {}, false},
                                {fixed(1000 * x.up_expected, 1), x.up_expected, {}, false}},
                               false,
                               x.passes ? QColor() : ink::warm});
    }
    for (const auto &s : r.field.setups) {
      double worst = 0;
      for (const TargetSight &t : s->sights)
        for (const auto &[spread, most] : {std::pair{t.mean.direction_spread, t.mean.direction_limit},
                                           {t.mean.zenith_spread, t.mean.zenith_limit},
                                           {t.mean.slope_spread, t.mean.slope_limit}})
          if (most > 0) worst = std::max(worst, spread / most);
      const auto j = r.judgements.find(s->setup.id);
      const bool stray = s->used && (j == r.judgements.end() || !j->second.joined), wide = worst > 1;
      const bool free = j != r.judgements.end() && j->second.free;
      const auto edits = w_.job().state().setups.find(s->setup.id);
      const auto said = [&](auto member) {
        return edits != w_.job().state().setups.end() && (edits->second.*member).value;
      };
      const auto mark_colour = [&](bool decided) { return decided ? ink::accepted : QColor(); };
      setups.push_back({s->setup.id,
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
                        wide && s->used ? ink::warm : QColor()});
    }
    for (const auto &[name, m] : r.marks) {
      const TraverseLine *l = r.line(m.line);
      const ReducedSetup *s = r.field.find(m.setup);
      marks.push_back({name,
                       {{text(name), {}, {}, true},
                        {fixed(m.place.east, 3), m.place.east, {}, false},
                        {fixed(m.place.north, 3), m.place.north, {}, false},
                        {m.height ? fixed(*m.height, 3) : QString("–"), m.height.value_or(-1e9), {}, false},
                        {m.sd > 0 ? fixed(1000 * m.sd, 1) : QString("–"), m.sd, {}, false},
                        {m.moved > 0 ? fixed(1000 * m.moved, 1) : QString("–"), m.moved, {}, false},
                        {text(m.code), {}, {}, false},
                        {m.station && l ? text(l->name)
                         : s            ? "seen from " + text(s->setup.mark)
                                        : QString(),
                         {},
                         {},
                         false},
                        {m.local     ? "! local"
                         : m.station ? "provisional"
                                     : "side shot",
                         {},
                         m.local ? ink::attention : QColor(),
                         m.local}},
                       false,
                       {}});
    }
    for (const auto &s : r.field.sources)
      files.push_back({s.head.source_id,
                       {{text(s.head.name), {}, {}, true},
                        {s.blocked()     ? "✕ not used"
                         : !s.used       ? "– left out"
                         : s.head.unread ? "seen"
                                         : "■ read",
                         {},
                         s.blocked() ? ink::failed : QColor(),
                         s.blocked()},
                        {QString::number(s.head.unread), static_cast<int>(s.head.unread),
                         s.head.unread ? ink::failed : QColor(), s.head.unread > 0},
                        {text(s.head.recipe), {}, {}, false}},
                       !s.used,
                       s.blocked() ? ink::warm : QColor()});
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
  marks_->set_rows(std::move(marks));
  files_->set_rows(std::move(files));
  comparisons_->set_rows(std::move(comparisons));
  closures_->set(std::move(plotted));
  refresh_line();
  refresh_setup();
  refresh_checks();
}

void TraverseSheet::refresh_line() {
  std::vector<Row> rows;
  const TraverseLine *l = line();
  legs_->set(w_.has_job() ? w_.job().snapshot()->traverses : nullptr, line_);
  legs_->select(setup_);
  std::set<std::string> shown;
  if (l) {
    shown.insert(l->marks.begin(), l->marks.end());
    shown.insert({l->back_sight, l->closing_sight});
  }
  plan_->fit_to(std::move(shown));
  QString words;
  if (l && l->problem.empty()) {
    for (std::size_t i = 0; i < l->result.raw.size(); ++i) {
      Row row;
      row.id = std::to_string(i);
      row.cells.push_back({text(l->marks[i]), static_cast<int>(i), {}, true});
      for (Balance b : {Balance::compass, Balance::transit, Balance::crandall, Balance::least_squares}) {
        const TraversePoint &x = l->balanced(b).points[i], &raw = l->result.raw[i];
        const bool chosen = b == l->balance, far = x.expected > 0 && x.moved > 3.29 * x.expected;
        row.cells.push_back({fixed(1000 * (x.place.east - raw.place.east), 1) + ", " +
                                 fixed(1000 * (x.place.north - raw.place.north), 1),
                             x.moved,
                             far      ? ink::failed
                             : chosen ? ink::accepted
                                      : QColor(),
                             chosen || far});
      }
      const double sd = l->result.raw[i].sd;
      row.cells.push_back({sd > 0 ? fixed(1000 * sd, 1) : QString("–"), sd, {}, false});
      rows.push_back(std::move(row));
    }
    const TraverseClosure &c = l->result.closure;
    if (c.has_linear)
      words = QString("misses %1 mm (ΔE %2, ΔN %3) over %4 m")
                  .arg(1000 * c.linear, 0, 'f', 1)
                  .arg(signed_mm(c.east, 1), signed_mm(c.north, 1))
                  .arg(c.length, 0, 'f', 1);
    if (const auto &warning = l->balanced().warning; !warning.empty())
      words +=
          (words.isEmpty() ? "" : "<br/>") + QString("<span style='color:#B87311'>! %1</span>").arg(escaped(warning));
    for (const auto &x : l->remarks) words += "<br/><span style='color:#6F7B83'>" + escaped(x) + "</span>";
    words += QString("<br/><span style='color:#6F7B83'>limits: %1</span>").arg(escaped(l->limit_name));
  } else if (l)
    words = QString("<span style='color:#A63D2F'>✕ %1</span>").arg(escaped(l->problem));
  words_->setText("<span style='font-size:8.5pt'>" + words + "</span>");
  balances_->set_rows(std::move(rows));
  filling_ = true;
  leave_->setEnabled(l);
  leave_->setText(l && !l->used ? "Use traverse" : "Leave traverse out");
  for (QComboBox *c : {balance_, angles_, heights_}) c->setEnabled(l);
  if (l) {
    balance_->setCurrentText(text(balance_name(l->balance)));
    angles_->setCurrentText(text(angle_share_name(l->angles)));
    heights_->setCurrentText(text(height_share_name(l->heights)));
  }
  onward_->clear();
  if (w_.has_job()) {
    const TraverseReport &r = *w_.job().snapshot()->traverses;
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
  filling_ = false;
}

void TraverseSheet::refresh_setup() {
  std::vector<Row> targets, pointings;
  const ReducedSetup *s = setup();
  QString words;
  if (s) {
    const auto edits = w_.job().state().setups.find(setup_);
    for (const TargetSight &x : s->sights) {
      const TargetMean &m = x.mean;
      bool decided = false;
      if (edits != w_.job().state().setups.end())
        for (const Pointing &p : s->setup.pointings)
          decided = decided || (p.target == m.target && edits->second.targets.count(p.booked));
      const QColor said = decided ? ink::accepted : QColor();
      targets.push_back(
          {m.target,
           {{text(m.target), {}, said, true},
            {text(pointing_kind_name(m.kind)), {}, {}, false},
            {fixed(m.target_height, 3), m.target_height, said, decided},
            {fixed(1000 * m.prism_constant, 1), m.prism_constant, {}, false},
            {std::isfinite(m.direction) ? text(format_dms(degrees(m.direction), 1)) : QString("–"),
             m.direction,
             {},
             false},
            against(m.direction_spread, m.direction_limit > 0 ? m.direction_limit : 1, rad_per_arcsec, 1),
            {m.direction_limit > 0 ? seconds(m.direction_limit) : QString("–"), m.direction_limit, {}, false},
            {std::isfinite(m.zenith) ? text(format_dms(degrees(m.zenith), 1)) : QString("–"), m.zenith, {}, false},
            against(m.zenith_spread, m.zenith_limit > 0 ? m.zenith_limit : 1, rad_per_arcsec, 1),
            {m.zenith_limit > 0 ? seconds(m.zenith_limit) : QString("–"), m.zenith_limit, {}, false},
            {fixed(x.slope, 4), x.slope, {}, false},
            against(m.slope_spread, m.slope_limit > 0 ? m.slope_limit : 1, 1e-3, 1),
            {m.slope_limit > 0 ? fixed(1000 * m.slope_limit, 1) : QString("–"), m.slope_limit, {}, false},
            {fixed(x.rise, 3), x.rise, {}, false}},
           false,
           m.within_limits() ? QColor() : ink::warm});
    }
    for (std::size_t i = 0; i < s->setup.pointings.size(); ++i) {
      const Pointing &p = s->setup.pointings[i];
      double off = NAN;
      for (const FaceMean &f : s->reduced.faces)
        if (f.set == p.set && f.target == p.target) off = f.residual;
      const TargetMean *m = s->reduced.find(p.target);
      const bool wide = p.used && m && !m->within_limits();
      pointings.push_back(
          {p.id,
           {{text(p.target) + (p.target != p.booked ? " (" + text(p.booked) + ")" : QString()), {}, {}, true},
            {QString::number(p.set), p.set, {}, false},
            {QString::number(p.face), p.face, {}, false},
            {std::isfinite(p.circle) ? text(format_dms(degrees(p.circle), 1)) : QString("–"), p.circle, {}, false},
            {std::isfinite(p.zenith) ? text(format_dms(degrees(p.zenith), 1)) : QString("–"), p.zenith, {}, false},
            {fixed(p.slope, 4), p.slope, {}, false},
            {fixed(p.target_height, 3), p.target_height, {}, false},
            {p.used && std::isfinite(off) ? seconds(off) : QString("–"), off, {}, false},
            {QString::number(p.line), static_cast<int>(p.line), {}, false},
            {p.used ? QString() : "left out: " + text(p.left_out_because), {}, {}, false}},
           !p.used,
           wide ? ink::warm : QColor()});
    }
    words = QString("%1: %2 pointings").arg(text(s->setup.mark)).arg(s->setup.pointings.size());
    if (s->reduced.pairs)
      words += QString(" · line of sight %1″, index %2″ from %3 pairs of faces")
                   .arg(seconds(s->reduced.collimation), seconds(s->reduced.index))
                   .arg(s->reduced.pairs);
    else
      words += " · no pair of faces: the instrument's errors stay in";
    for (const auto &x : s->remarks) words += "<br/><span style='color:#6F7B83'>corrected: " + escaped(x) + "</span>";
    for (const auto &x : s->reduced.troubles) words += "<br/><span style='color:#B87311'>! " + escaped(x) + "</span>";
  }
  setup_words_->setText("<span style='font-size:8.5pt'>" + words + "</span>");
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
    const TraverseReport &r = *w_.job().snapshot()->traverses;
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
