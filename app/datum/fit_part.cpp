#include "app/datum/fit_part.h"
#include "adjustment/statistics.h"
#include "app/widgets/numbers.h"
#include "app/widgets/pages.h"
#include "app/widgets/tab_button.h"
#include "app/widgets/theme.h"
#include "app/widgets/whole_words.h"
#include "base/error.h"
#include "results/fit_record.h"
#include <QComboBox>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSignalBlocker>
#include <QStackedWidget>
#include <QVBoxLayout>
#include <cmath>

namespace ampletie::app {
namespace {
/// Names of the models as they are decided, and as they are shown.
const std::pair<const char *, const char *> plan_words[] = {{"none", "as it is"},
                                                            {"shift", "shift"},
                                                            {"rigid", "shift and rotation"},
                                                            {"similarity", "similarity (and scale)"},
                                                            {"affine", "affine (two scales, skew)"},
                                                            {"scaled", "shift and scale"},
                                                            {"shift in space", "space: shifts"},
                                                            {"scaled in space", "space: shifts, scale"},
                                                            {"rigid in space", "space: shifts, turns"},
                                                            {"similarity in space", "space: shifts, turns, scale"},
                                                            {"three scales in space", "space: three scales too"}};
const std::pair<const char *, const char *> height_words[] = {{"none", "as it is"},
                                                              {"shift", "shift"},
                                                              {"plane", "tilted plane"},
                                                              {"curved", "curved surface"},
                                                              {"with the plan", "with the plan"}};

template <class Words> QComboBox *choice(const QString &name, const Words &words) {
  auto *box = new QComboBox;
  box->setAccessibleName(name);
  for (const auto &[id, shown] : words) box->addItem(shown, QString(id));
  return box;
}

QLabel *caption(const QString &t) {
  auto *l = new QLabel(t);
  l->setStyleSheet("color:#5A666E");
  return l;
}

Cell difference(const std::optional<PairVerdict::Predicted> &v, Eigen::Index k) {
  if (!v) return {"–", {}, ink::unused, false};
  return {signed_mm(v->difference[k], 1), std::abs(v->difference[k]), v->passes ? QColor() : ink::failed, !v->passes};
}
Cell verdict(const std::optional<PairVerdict::Predicted> &v, bool has) {
  if (!has) return {"–", {}, ink::unused, false};
  if (!v) return {"unchecked", {}, ink::attention, false};
  const QString w = QString::number(std::sqrt(v->statistic / v->limit), 'f', 2);
  return {(v->passes ? w : w + " fails") + (v->counts ? "" : ", check"), std::sqrt(v->statistic / v->limit),
          v->passes ? QColor() : ink::failed, !v->passes};
}

Row pair_row(const JobFit &f, std::size_t i) {
  const FitPair &p = f.input.pairs[i];
  const PairVerdict &v = f.result.pairs[i];
  const bool fails = (v.plan && !v.plan->passes) || (v.height && !v.height->passes);
  return {p.name,
          {{text(p.name), {}, {}, true},
           {text(f.lines[i].in_list), {}, f.lines[i].in_list == p.name ? ink::unused : QColor(), false},
           {text(pair_uses()[static_cast<std::size_t>(p.use)]),
            {},
            p.use == PairUse::check ? ink::unused : QColor(),
            false},
           difference(v.plan, 0),
           difference(v.plan, 1),
           verdict(v.plan, p.has_plan && f.input.model->has_plan()),
           difference(v.height, 0),
           verdict(v.height, p.has_height && f.input.model->has_height()),
           {QString::number(1000 * v.moves, 'f', 1), v.moves, {}, false}},
          false,
          fails ? ink::warm : QColor()};
}

/// What the others say of each pair, for the picture.
std::vector<Difference> differences_of(const JobFit &f) {
  std::vector<Difference> out;
  for (std::size_t i = 0; f.problem.empty() && i < f.input.pairs.size(); ++i) {
    const FitPair &p = f.input.pairs[i];
    const PairVerdict &v = f.result.pairs[i];
    Difference d{p.name,
                 p.from.x(),
                 p.from.y(),
                 {},
                 {},
                 p.use == PairUse::check,
                 p.use == PairUse::both || p.use == PairUse::plan,
                 {}};
    if (v.plan)
      d.plan = {v.plan->difference, circle95(ellipse(Eigen::Matrix2d(v.plan->cov))), v.plan->passes, v.plan->counts};
    if (v.height) d.height = {{v.height->difference[0], 0}, 0, v.height->passes, v.height->counts};
    out.push_back(std::move(d));
  }
  return out;
}

/// A mark in the system, with the fit's uncertainty.
Row led_row(const FittedMark &m) {
  const auto metres = [](double v) { return Cell{QString::number(v, 'f', 4), v, {}, false}; };
  const auto mm = [&](int k) {
    return Cell{QString::number(1000 * std::sqrt(m.cov(k, k)), 'f', 1), std::sqrt(m.cov(k, k)), {}, false};
  };
  const Cell none{"–", -1, ink::unused, false};
  return {m.name,
          {{text(m.name), {}, {}, true},
           metres(m.to.x()),
           metres(m.to.y()),
           m.has_height ? metres(m.to.z()) : none,
           mm(0),
           mm(1),
           m.has_height ? mm(2) : none},
          false,
          {}};
}

/// A pair that takes no part at all.
Row left_out_row(const std::string &mark) {
  Row r{mark, {}, true, {}};
  for (const QString &t : {text(mark), QString("–"), QString("none")}) r.cells.push_back({t, {}, ink::unused, false});
  for (int i = 0; i < 6; ++i) r.cells.push_back({"", {}, {}, false});
  return r;
}

/// A name of the list that has no partner: what the fit finds there, or nothing.
Row unpaired_row(const UnpairedMark &u) {
  const QString near =
      u.nearest ? QString("– (%1 %2 m)").arg(text(*u.nearest)).arg(u.distance_m, 0, 'f', u.distance_m < 10 ? 3 : 0)
                : QString("no partner");
  Row r{"\n" + u.name, {}, true, {}};
  r.cells.push_back({"–", {}, {}, false});
  r.cells.push_back({text(u.name), {}, {}, false});
  r.cells.push_back({near, {}, {}, false});
  for (int i = 0; i < 6; ++i) r.cells.push_back({"", {}, {}, false});
  return r;
}
} // namespace

FitPart::FitPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  system_ = new QComboBox;
  system_->setAccessibleName("System of the fit");
  system_->setSizeAdjustPolicy(QComboBox::AdjustToContents);
  system_->setMinimumWidth(150);
  plan_ = choice("Plan of the fit", plan_words);
  height_ = choice("Height of the fit", height_words);
  words_ = new QLabel;
  words_->setAccessibleName("Fit in words");
  words_->setWordWrap(true);
  words_->setTextFormat(Qt::RichText);
  words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  list_ = new QComboBox;
  list_->setAccessibleName("List of a new fit");
  list_->setMinimumWidth(170);
  name_ = new QLineEdit;
  name_->setAccessibleName("Name of a new system");
  name_->setPlaceholderText("name of the system");
  name_->setMaximumWidth(160);
  begin_ = new QPushButton("Fit");
  begin_->setAccessibleName("Begin the fit");
  table_ = new TableCard("Pairs of the fit", {{"Mark", "Of the network", false, false, 44},
                                              {"In the list", "Its name there; another can be typed", false, true, 56},
                                              {"Takes part in", "both, plan, height, check or none", false, true, 70},
                                              {"dE mm", "What the others put it at, less what is given", true},
                                              {"dN mm", "The same", true},
                                              {"plan", "Against its limit: above 1 fails", true},
                                              {"dH mm", "The same in height", true},
                                              {"height", "Against its limit", true},
                                              {"moves mm", "How far marks would move without it, at most", true}});
  table_->model()->edit = [this](const std::string &id, int c, const QString &v) { return edit(id, c, v); };
  led_ = new TableCard("Marks in the system", {{"Mark", "", false, false, 70},
                                               {"East m", "In the system", true},
                                               {"North m", "The same", true},
                                               {"Height m", "The same", true},
                                               {"s E mm", "The fit's uncertainty included", true},
                                               {"s N mm", "The same", true},
                                               {"s H mm", "The same", true}});
  tables_ = new Pages;
  tables_->addWidget(table_);
  tables_->addWidget(led_);
  coordinates_ =
      tab_button("coordinates", "Coordinates in the system", "Where all marks lie in it, in place of the pairs");
  coordinates_->setCheckable(true);
  picture_ = new DifferencePicture("Frame fit in plan", "What the others put each mark at");
  auto *top = new QHBoxLayout;
  top->setSpacing(8);
  for (const auto &[t, b] : {std::pair{"System", system_}, {"plan by", plan_}, {"height by", height_}})
    top->addWidget(caption(t)), top->addWidget(b);
  top->addStretch(1);
  top->addWidget(coordinates_);
  auto *other = new QHBoxLayout;
  other->setSpacing(8);
  for (QWidget *b : std::initializer_list<QWidget *>{caption("Another system: coordinates from"), list_,
                                                     caption("called"), name_, begin_})
    other->addWidget(b);
  other->addStretch(1);
  auto *lower = new QHBoxLayout;
  lower->setSpacing(10);
  lower->addWidget(tables_, 13);
  lower->addWidget(picture_, 7);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(top);
  all->addWidget(words_);
  all->addLayout(lower, 1);
  all->addLayout(other);
  all->addLayout(own_grid_row());
  connect_all();
}

void FitPart::connect_all() {
  connect(table_->model(), &TableModel::refused, this, &FitPart::refused);
  connect(table_, &TableCard::chosen, this, [this](const std::string &id) {
    if (id.starts_with("\n")) return;
    picture_->select(id);
    w_.select("mark", id);
  });
  connect(picture_, &DifferencePicture::chosen, this, [this](const std::string &id) {
    table_->select(id);
    w_.select("mark", id);
  });
  connect(&w_, &Workspace::selection_changed, this, [this] {
    if (w_.selection().kind != "mark") return;
    table_->select(w_.selection().id);
    picture_->select(w_.selection().id);
  });
  connect(system_, &QComboBox::currentIndexChanged, this, [this] {
    if (filling_) return;
    system_name_ = system_->currentText().toStdString();
    refresh();
  });
  connect(plan_, &QComboBox::activated, this, [this] { set_model("plan", plan_->currentData().toString()); });
  connect(height_, &QComboBox::activated, this, [this] { set_model("height", height_->currentData().toString()); });
  connect(coordinates_, &QPushButton::toggled, this,
          [this](bool on) { tables_->setCurrentWidget(on ? led_ : table_); });
  connect(led_, &TableCard::chosen, this, [this](const std::string &id) { w_.select("mark", id); });
  connect(begin_, &QPushButton::clicked, this, [this] { begin(); });
  connect(define_, &QPushButton::clicked, this, [this] { define(); });
  connect(name_, &QLineEdit::returnPressed, this, [this] { begin(); });
  connect(list_, &QComboBox::activated, this,
          [this] { name_->setText(QFileInfo(list_->currentText()).completeBaseName()); });
}

/// A grid of one's own: what a mark has in it, and the bearing to another.
QLayout *FitPart::own_grid_row() {
  auto *own = new QHBoxLayout;
  own->setSpacing(8);
  origin_ = new QComboBox, toward_ = new QComboBox;
  origin_->setAccessibleName("Mark of an own grid"), toward_->setAccessibleName("Mark that the bearing goes to");
  for (const auto &[e, name, hint] : {std::tuple{&at_[0], "East in the own grid", "east"},
                                      {&at_[1], "North in the own grid", "north"},
                                      {&at_[2], "Height in the own grid", "height"},
                                      {&bearing_, "Bearing in the own grid", "0°00'00\""}}) {
    *e = new QLineEdit;
    (*e)->setAccessibleName(name), (*e)->setPlaceholderText(hint), (*e)->setMaximumWidth(90);
    keep_whole(*e);
  }
  define_ = new QPushButton("Define");
  define_->setAccessibleName("Define the own grid");
  for (QWidget *b :
       std::initializer_list<QWidget *>{caption("or a grid of its own:"), origin_, caption("at"), at_[0], at_[1],
                                        at_[2], caption("bearing"), bearing_, caption("to"), toward_, define_})
    own->addWidget(b);
  own->addStretch(1);
  return own;
}

std::shared_ptr<const JobFit> FitPart::shown() const {
  if (!w_.has_job()) return nullptr;
  for (const JobFit &f : w_.job().fits())
    if (f.name == system_name_) return std::make_shared<const JobFit>(f);
  return nullptr;
}

void FitPart::fill_choices() {
  filling_ = true;
  QStringList systems;
  if (w_.has_job())
    for (const auto &[name, f] : w_.job().state().fits)
      if (f.there()) systems << text(name);
  if (!systems.contains(text(system_name_))) system_name_ = systems.isEmpty() ? "" : systems.first().toStdString();
  QStringList before;
  for (int i = 0; i < system_->count(); ++i) before << system_->itemText(i);
  if (before != systems) {
    system_->clear();
    system_->addItems(systems);
  }
  system_->setCurrentText(text(system_name_));
  const bool any = !systems.isEmpty();
  for (QComboBox *b : {system_, plan_, height_}) b->setEnabled(any);
  if (any) {
    const FitEdits &e = w_.job().state().fits.at(system_name_);
    const auto f = shown();
    const bool given = f && !f->given.empty(); // then the models are those of the file, or of the definition
    plan_->setEnabled(!given), height_->setEnabled(!given);
    plan_->setCurrentIndex(plan_->findData(text(e.plan.value.value_or("similarity"))));
    const bool space = in_space(e.plan.value.value_or(""));
    height_->setEnabled(!given && !space);
    height_->setCurrentIndex(
        height_->findData(space ? QString("with the plan") : text(e.height.value.value_or("shift"))));
  }
  const QString kept = list_->currentText();
  list_->clear();
  if (w_.has_job())
    for (const auto &c : w_.job().snapshot()->contents())
      if (c.control || c.fit) list_->addItem(text(c.source.name), text(c.source.id));
  if (const int i = list_->findText(kept); i >= 0) list_->setCurrentIndex(i);
  for (QWidget *b : std::initializer_list<QWidget *>{list_, name_, begin_}) b->setEnabled(list_->count() > 0);
  fill_marks();
  if (name_->text().isEmpty() && list_->count() > 0) name_->setText(QFileInfo(list_->currentText()).completeBaseName());
  filling_ = false;
}

/// Marks of the network, where an own grid can begin.
void FitPart::fill_marks() {
  QStringList marks;
  if (w_.has_job())
    if (const NetworkRun *run = w_.job().network())
      for (const AdjustedMark &m : run->result.marks)
        if (m.plan_known) marks << text(m.name);
  for (QComboBox *b : {origin_, toward_}) {
    const QString now = b->currentText();
    b->clear();
    b->addItems(marks);
    b->setCurrentText(now);
    b->setEnabled(!marks.isEmpty());
  }
  for (QWidget *b : std::initializer_list<QWidget *>{at_[0], at_[1], at_[2], bearing_, define_})
    b->setEnabled(!marks.isEmpty());
  name_->setEnabled(name_->isEnabled() || !marks.isEmpty());
}

void FitPart::define() {
  const QString name = name_->text().trimmed();
  if (name.isEmpty() || name.contains('|')) {
    Q_EMIT refused("give the system a name");
    return;
  }
  nlohmann::json value;
  try {
    const std::pair<const char *, QString> typed[] = {
        {"mark", origin_->currentText()}, {"at_east", at_[0]->text()},        {"at_north", at_[1]->text()},
        {"at_height", at_[2]->text()},    {"toward", toward_->currentText()}, {"bearing", bearing_->text()}};
    for (const auto &[field, t] : typed)
      if (!t.trimmed().isEmpty() && !(std::string_view(field) == "toward" && bearing_->text().trimmed().isEmpty()))
        value[field] = typed_field<FitThing>(field, t.trimmed().toStdString());
    if (!value.contains("at_east") || !value.contains("at_north"))
      throw InputError("say which east and north the mark has in the system");
  } catch (const InputError &e) {
    Q_EMIT refused(text(e.reason()));
    return;
  }
  system_name_ = name.toStdString();
  Q_EMIT refused(
      w_.decide("set", "fit:" + system_name_, value, {})); // nothing: what was missing before is said no longer
}

void FitPart::refresh() {
  fill_choices();
  const auto f = shown();
  std::vector<Row> rows;
  if (!f)
    words_->setText(
        system_name_.empty()
            ? "A list with coordinates in a system of the site's own leads all marks into it: choose it here, "
              "and what is not the job's own is fitted by the marks that both have."
            : "Checking …");
  else if (!f->problem.empty())
    words_->setText("<span style='color:#A63D2F'>" + escaped(f->problem) + "</span>");
  else {
    const bool good = agrees(f->result);
    QString html = QString("<b style='color:%1'>%2</b> · ")
                       .arg(good ? "#0B6E75" : "#A63D2F", !f->given.empty()           ? "given"
                                                          : f->result.redundancy == 0 ? "nothing checks it"
                                                          : good                      ? "agrees"
                                                                                      : "disagrees");
    html += escaped(fit_words(*f));
    if (f->scale)
      html +=
          QString("<span style='color:#6F7B83'>; ground over grid here %1</span>").arg(f->ground_over_grid, 0, 'f', 7);
    if (!f->causes.empty())
      html += "<br/><b>" + escaped(f->causes.front().sentence) + "</b>" +
              (f->causes.front().clears ? ": then everything agrees" : "");
    words_->setText(html);
    for (std::size_t i = 0; i < f->input.pairs.size(); ++i) rows.push_back(pair_row(*f, i));
    // Left out by decision: they stay in sight, where they can be used again.
    for (const auto &[mark, p] : w_.job().state().fits.at(system_name_).pairs)
      if (p.use.value == "none") rows.push_back(left_out_row(mark));
    for (const UnpairedMark &u : f->unpaired) rows.push_back(unpaired_row(u));
  }
  std::vector<Row> led;
  if (f && f->problem.empty())
    for (const FittedMark &m : f->marks) led.push_back(led_row(m));
  led_->set_rows(std::move(led));
  // A system that is given has no pairs to look at.
  coordinates_->setEnabled(f && f->problem.empty());
  if (f && f->problem.empty() && f->input.pairs.empty()) coordinates_->setChecked(true);
  count_ = w_.has_job() ? static_cast<int>(system_->count()) : 0;
  table_->set_rows(std::move(rows));
  picture_->set(f ? differences_of(*f) : std::vector<Difference>{},
                !f ? "Marks that a list and the network have in common appear here, with what disagrees."
                : !f->problem.empty()
                    ? text(f->problem)
                    : "The system is given: no marks are compared. Its coordinates are issued with the others.");
}

void FitPart::set_model(const char *field, const QString &value) {
  if (system_name_.empty()) return;
  nlohmann::json said{{field, value.toStdString()}};
  // In space heights go with the plan, whatever was said of them before.
  const FitEdits &e = w_.job().state().fits.at(system_name_);
  const bool space = in_space(value.toStdString()), was = in_space(e.plan.value.value_or(""));
  if (std::string_view(field) == "plan" && space != was) said["height"] = nullptr;
  if (const QString why = w_.decide("set", "fit:" + system_name_, said, {}); !why.isEmpty()) Q_EMIT refused(why);
}

QString FitPart::edit(const std::string &mark, int column, const QString &value) {
  if (mark.starts_with("\n")) return "type it at the mark of the network that it belongs to";
  return w_.decide_typed<PairThing>({system_name_ + "|" + mark}, column == 1 ? "with" : "use", value, {});
}

void FitPart::begin() {
  const QString name = name_->text().trimmed();
  if (name.isEmpty() || name.contains('|')) {
    Q_EMIT refused("give the system a name");
    return;
  }
  system_name_ = name.toStdString();
  const QString why =
      w_.decide("set", "fit:" + system_name_, {{"list", list_->currentData().toString().toStdString()}}, {});
  if (!why.isEmpty()) Q_EMIT refused(why);
}

} // namespace ampletie::app
