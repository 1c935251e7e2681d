#include "app/traverse/traverse_sheet.h"
#include "app/traverse/pointing_strip.h"
#include "app/traverse/traverse_legs.h"
#include "app/widgets/closure_plot.h"
#include "app/widgets/flow_layout.h"
#include "app/widgets/pages.h"
#include "app/widgets/plan_view.h"
#include "app/widgets/recipe_view.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/tab_button.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
#include "app/widgets/whole_words.h"
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
TraverseSheet::TraverseSheet(Workspace &w, QWidget *parent) : Sheet(w, "Traverse", parent) {
  stack_ = new Pages;
  add_part("Traverses", make_lines(), stack_);
  add_part("Set-ups", make_setups(), stack_);
  add_part("Known marks", make_checks(), stack_);
  add_part("Marks", make_marks(), stack_);
  add_part("Files", make_files(), stack_);
  body()->addWidget(stack_, 1);
  set_action("Traverse report …", "Traverse report");
  const auto follow = [this] {
    const Selection &s = w_.selection();
    if (s.kind == "traverse" && s.id != line_) {
      show_part(0);
      lines_->select(s.id);
      choose_line(s.id);
    } else if (s.kind == "station" && s.id != setup_) {
      setups_->select(s.id);
      choose_setup(s.id);
    }
  };
  refresh_when_seen(this, w_, [this, follow] { refresh(), follow(); });
  connect(&w_, &Workspace::selection_changed, this, follow);
  refresh();
}

void TraverseSheet::make_line_tables() {
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
  plan_ = new PlanView(w_, false);
  plan_->setObjectName("traverse plan");
  plan_->show_sights(true);
  words_ = new QLabel;
  words_->setTextFormat(Qt::RichText);
  words_->setWordWrap(true);
  words_->setAccessibleName("About the traverse");
  connect(plan_, &PlanView::mark_clicked, this, [this](const std::string &mark) {
    if (by_click_->isChecked() && setup()) {
      by_click_->setChecked(false);
      w_.decide("set", setup_, {{"onward", mark}}, "onward sight chosen on the plan");
    }
  });
  connect(lines_, &TableCard::chosen, this, [this](const std::string &id) {
    choose_line(id);
    w_.select("traverse", id);
  });
  connect(legs_, &TraverseLegs::chosen, this, [this](const std::string &id) {
    choose_setup(id);
    w_.select("station", id);
  });
}

/// How the chosen traverse is walked and balanced.
void TraverseSheet::make_line_choices() {
  leave_ = tab_button("Leave out", "Leave the traverse out", "Shown, but its set-ups stay out of the network");
  by_click_ = tab_button("On the plan", "Choose the onward sight on the plan",
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
    keep_whole(c);
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
  connect(leave_, &QPushButton::clicked, this, [this] { leave_line_out(); });
  hand_out_ = tab_button("Hand out …", "Hand out provisional coordinates",
                         "Provisional coordinates of this traverse, marked as such: never over held marks");
  connect(hand_out_, &QPushButton::clicked, this, [this] { issue_provisional(); });
}

void TraverseSheet::leave_line_out() {
  const TraverseLine *l = line();
  if (!l) return;
  std::set<std::string> sources;
  const JobSetups &field = w_.job().snapshot()->traverses().field;
  for (const auto &id : l->setups)
    if (const ReducedSetup *s = field.find(id))
      if (const auto *source = field.source(s->setup.source_id); source && !source->used)
        sources.insert(s->setup.source_id);
  // A book that is out keeps all of its traverses out: it comes back as a whole.
  if (!l->used)
    for (const auto &source : sources) w_.decide("use", source, nlohmann::json::object(), "gone through");
  if (l->used || !w_.job().snapshot()->traverses().line(line_)->used)
    w_.decide(l->used ? "leave-out" : "use", "traverse:" + line_, nlohmann::json::object(),
              l->used ? "left out in the sheet" : "");
}

QWidget *TraverseSheet::make_lines() {
  make_line_tables();
  make_line_choices();
  auto *scroll = new QScrollArea;
  scroll->setWidget(legs_);
  scroll->setWidgetResizable(true);
  scroll->setFrameShape(QFrame::NoFrame);
  legs_->setMinimumWidth(400);
  auto *bar = new QHBoxLayout;
  bar->setSpacing(4);
  bar->addWidget(new QLabel("onward"));
  bar->addWidget(onward_, 1);
  bar->addWidget(by_click_);
  bar->addWidget(leave_);
  bar->addWidget(hand_out_);
  auto *left = new QVBoxLayout;
  left->setSpacing(6);
  left->addWidget(scroll, 1);
  left->addLayout(bar);
  auto *choices = new FlowLayout;
  for (const auto &[label, c] : {std::pair{"angles", angles_}, {"balance", balance_}, {"heights", heights_}})
    choices->add_labelled(label, c);
  // On a low window the pictures keep their size and are scrolled to.
  auto *aside = new QWidget;
  auto *right = new QVBoxLayout(aside);
  right->setContentsMargins(0, 0, 0, 0);
  right->setSpacing(6);
  auto *beside = new QScrollArea;
  beside->setWidget(aside);
  beside->setWidgetResizable(true);
  beside->setFrameShape(QFrame::NoFrame);
  beside->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  plan_->setMinimumHeight(150), balances_->setMinimumHeight(110);
  right->addWidget(plan_, 5);
  right->addWidget(balances_, 5);
  right->addLayout(choices);
  right->addWidget(words_);
  auto *lower = new QHBoxLayout;
  lower->setSpacing(10);
  lower->addLayout(left, 11);
  lower->addWidget(beside, 9);
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

void TraverseSheet::make_setup_tables() {
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
  setups_->model()->edit = [this](const std::string &id, int c, const QString &v) { return edit_setup(id, c, v); };
  targets_->model()->edit = [this](const std::string &id, int c, const QString &v) { return edit_target(id, c, v); };
  for (TableCard *t : {setups_, targets_})
    connect(t->model(), &TableModel::refused, this, [this](const QString &why) { say(why, true); });
  connect(setups_, &TableCard::chosen, this, [this](const std::string &id) {
    choose_setup(id);
    w_.select("station", id);
  });
}

QWidget *TraverseSheet::make_setups() {
  make_setup_tables();
  setup_words_ = new QLabel;
  setup_words_->setTextFormat(Qt::RichText);
  setup_words_->setWordWrap(true);
  setup_words_->setAccessibleName("About the set-up");
  setup_out_ = tab_button("Leave set-up out", "Leave the set-up out", "With all of its pointings");
  pointing_out_ = tab_button("Leave pointing out", "Leave the pointing out", "Everything follows at once (Space)");
  strip_ = new PointingStrip;
  connect(pointings_, &TableCard::chosen, this, [this](const std::string &id) { choose_pointing(id); });
  connect(strip_, &PointingStrip::chosen, this, [this](const std::string &id) {
    pointings_->select(id);
    choose_pointing(id);
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
  auto *scroll = new QScrollArea;
  scroll->setWidget(strip_);
  scroll->setWidgetResizable(true);
  scroll->setFrameShape(QFrame::NoFrame);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto *beside = new QHBoxLayout;
  beside->setSpacing(10);
  pointings_->hide_filter();
  beside->addWidget(pointings_, 13);
  beside->addWidget(scroll, 6);
  lower->addLayout(beside, 5);
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
  comparisons_ =
      new TableCard("Traverse against vectors and levels", {{"Mark", "", false, false, 60},
                                                            {"With"},
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

QWidget *TraverseSheet::make_marks() {
  marks_ =
      new TableCard("Provisional marks", {{"Mark", "", false, false, 60},
                                          {"East m", "", true},
                                          {"North m", "", true},
                                          {"Height m", "", true},
                                          {"sd mm", "In plan, of this traverse by itself", true},
                                          {"Moved mm", "By the balance", true},
                                          {"Code"},
                                          {"How"},
                                          {"Seen", "Set-ups that place it", true},
                                          {"apart mm", "How far the places that they give lie apart", true},
                                          {"field mm", "The field's own coordinates less ours: east, north, up", true},
                                          {"From"}});
  styles_ =
      new TableCard("Code styles", {{"Code", "", false, false, 60},
                                    {"Points", "", true},
                                    {"Symbol", "dot, circle, square, triangle, cross, diamond or none", false, true},
                                    {"Label", "yes or no", false, true},
                                    {"Height", "yes or no: the height beside the label", false, true},
                                    {"Line", "yes or no: joined in the order of the field", false, true}});
  styles_->hide_filter();
  styles_->model()->edit = [this](const std::string &id, int c, const QString &v) { return edit_style(id, c, v); };
  connect(styles_->model(), &TableModel::refused, this, [this](const QString &why) { say(why, true); });
  codes_plan_ = new PlanView(w_, false);
  codes_plan_->setObjectName("codes plan");
  codes_plan_->show_sights(true);
  connect(marks_, &TableCard::chosen, this, [this](const std::string &id) { w_.select("mark", id); });
  auto *lower = new QHBoxLayout;
  lower->setSpacing(10);
  lower->addWidget(codes_plan_, 5);
  lower->addWidget(styles_, 4);
  auto *page = new QWidget;
  auto *all = new QVBoxLayout(page);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(8);
  all->addWidget(marks_, 5);
  all->addLayout(lower, 4);
  return page;
}

QString TraverseSheet::edit_style(const std::string &code, int column, const QString &value) {
  const char *names[] = {"", "", "symbol", "label", "height", "line"};
  return w_.decide_typed<StyleThing>({code}, names[column], value, "style chosen in the sheet");
}

void TraverseSheet::issue_provisional() {
  const TraverseLine *l = line();
  if (!l) return;
  const QString folder = QFileDialog::getExistingDirectory(this, "Folder for the provisional coordinates");
  if (folder.isEmpty()) return;
  const QString why = w_.issue_provisional(folder, l->id);
  say(why.isEmpty() ? "provisional coordinates written to " + folder : why, !why.isEmpty());
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
  if (!w_.has_job() || !w_.job().snapshot()->traverses().any()) {
    say("there is nothing to report yet: take field books first", true);
    return;
  }
  const QString file = QFileDialog::getSaveFileName(this, "Traverse report", "traverse.pdf",
                                                    "PDF (*.pdf);;Web page (*.html);;Marks (*.csv);;LandXML (*.xml)");
  if (!file.isEmpty()) w_.traverse_report(file);
}

const TraverseLine *TraverseSheet::line() const {
  return w_.has_job() ? w_.job().snapshot()->traverses().line(line_) : nullptr;
}
const ReducedSetup *TraverseSheet::setup() const {
  return w_.has_job() ? w_.job().snapshot()->traverses().field.find(setup_) : nullptr;
}

void TraverseSheet::choose_pointing(const std::string &id) {
  pointing_ = id;
  strip_->select(id);
  pointing_out_->setEnabled(true);
  if (const ReducedSetup *s = setup())
    for (const Pointing &p : s->setup.pointings)
      if (p.id == id) pointing_out_->setText(p.used ? "Leave pointing out" : "Use pointing");
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
    if (const TraverseLine *l = w_.job().snapshot()->traverses().line_of(id); l && l->id != line_) {
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
  const char *names[] = {"mark", "height", "pressure", "temperature"};
  if (typed.empty()) return "it cannot be empty";
  if (column == 0) return w_.decide_typed<SetupThing>({id}, "mark", value, "name corrected in the sheet");
  try {
    return correct_setups(id, names[column], typed_field<SetupThing>(names[column], typed));
  } catch (const InputError &e) {
    return text(e.reason());
  }
}

QString TraverseSheet::edit_target(const std::string &id, int column, const QString &value) {
  const ReducedSetup *s = setup();
  if (!s) return "choose a set-up first";
  const std::string typed(trimmed(value.toStdString()));
  if (typed.empty()) return "it cannot be empty";
  nlohmann::json what;
  try {
    const char *names[] = {"mark", "kind", "height", "constant"};
    const auto mm = column == 3 ? parse_decimal(typed) : std::nullopt; // constants are shown in mm
    what[names[column]] = typed_field<TargetThing>(names[column], mm ? fmt::format("{:.10g}", *mm / 1000) : typed);
  } catch (const InputError &e) {
    return text(e.reason());
  }
  // Decisions are about the names in the book.
  std::set<std::string> booked;
  for (const Pointing &p : s->setup.pointings)
    if (p.target == id) booked.insert(p.booked);
  nlohmann::json targets;
  for (const auto &b : booked) targets[b] = what;
  return w_.decide("set", setup_, {{"targets", targets}}, "corrected in the sheet");
}

} // namespace ampletie::app
