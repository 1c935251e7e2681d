#include "app/datum/lists_part.h"
#include "app/widgets/theme.h"
#include "app/widgets/whole_words.h"
#include "results/lists.h"
#include <QComboBox>
#include <QFileDialog>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
const ListSource *list_of(const Workspace &w, const std::string &id) {
  if (!w.has_job()) return nullptr;
  for (const ListSource &l : w.job().snapshot()->lists())
    if (l.source_id == id) return &l;
  return nullptr;
}

Row row_of(const JobSnapshot &s, const ListSource &l) {
  const bool out = s.state().left_out.count(l.source_id) > 0, fit = s.state().of_a_fit(l.source_id);
  const bool waits = l.waits(), bad = !waits && !l.problem.empty();
  const QString state = out     ? "left out"
                        : waits ? l.proposed ? "columns not said yet" : "pieces unread"
                        : bad   ? text(l.problem)
                        : fit   ? "of a frame fit"
                                : "read by " + text(l.recipe);
  return {l.source_id,
          {{text(l.name), {}, {}, true},
           {state,
            {},
            waits || bad ? ink::attention
            : out        ? ink::unused
                         : QColor(),
            waits || bad},
           {l.list ? QString::number(l.list->rows.size()) : "–",
            l.list ? static_cast<double>(l.list->rows.size()) : -1.0,
            {},
            false},
           {text(l.said.words()), {}, {}, false}},
          out,
          waits || bad ? ink::warm : QColor()};
}

QComboBox *choice(const char *name, const std::vector<std::pair<const char *, const char *>> &items) {
  auto *c = new QComboBox;
  c->setAccessibleName(name);
  c->setObjectName("compact");
  for (const auto &[label, value] : items) c->addItem(label, value);
  keep_whole(c);
  return c;
}
} // namespace

ListsPart::ListsPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  table_ = new TableCard("Control lists", {{"File", "", false, false, 96},
                                           {"State", "", false, false, 150},
                                           {"Marks", "", true, false, 44},
                                           {"Said of it", "", false, false, 96}});
  table_->hide_filter();
  view_ = new RecipeView(w_);
  view_->setAccessibleName("Control list as it is read");
  auto *another = new QPushButton("Read a text file …");
  another->setAccessibleName("Read a text file as a control list");
  another->setToolTip("A list in whatever form: its columns are said by pointing at them");
  so_ = new QPushButton("The columns are so");
  so_->setAccessibleName("The columns are so");
  form_ = said_form();
  auto *left = new QVBoxLayout;
  left->setSpacing(8);
  left->addWidget(table_, 1);
  left->addWidget(form_);
  auto *buttons = new QHBoxLayout;
  buttons->addWidget(another);
  buttons->addWidget(so_);
  left->addLayout(buttons);
  auto *all = new QHBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(10);
  all->addLayout(left, 5);
  all->addWidget(view_, 7);
  connect(another, &QPushButton::clicked, this, [this] {
    const QStringList files = QFileDialog::getOpenFileNames(this, "Read text files as control lists");
    if (!files.isEmpty()) w_.take(files, "control");
  });
  connect(so_, &QPushButton::clicked, this, [this] { say("seen", "yes"); });
  connect(table_, &TableCard::chosen, this, [this](const std::string &id) {
    choose(id);
    w_.select("source", id);
  });
}

QWidget *ListsPart::said_form() {
  unit_ =
      choice("Unit of the list", {{"as it says", ""}, {"metres", "m"}, {"feet", "ft"}, {"US survey feet", "us-ft"}});
  axes_ = choice("Axes of the list", {{"as it says", "no"}, {"east and north exchanged", "yes"}});
  turned_ = choice("Directions of the list", {{"as it says", ""},
                                              {"east counts to the west", "east"},
                                              {"north counts to the south", "north"},
                                              {"both the other way", "both"}});
  angles_ = choice("Degrees of the list", {{"as written", "no"}, {"packed: 46.17034 is 46°17'03.4\"", "yes"}});
  through_ = new QComboBox;
  through_->setAccessibleName("Grid of shifts of the list");
  through_->setObjectName("compact");
  typed_ = {{"frame", "frame", "the job's", nullptr},    {"epoch", "epoch", "the job's", nullptr},
            {"crs", "grid", "the job's", nullptr},       {"add_east", "add to east", "m", nullptr},
            {"add_north", "add to north", "m", nullptr}, {"sd", "s in plan", "m", nullptr},
            {"sd_height", "s in height", "m", nullptr},  {"vertical", "heights", "the job's", nullptr}};
  auto *form = new QWidget;
  form->setObjectName("card");
  form->setAttribute(Qt::WA_StyledBackground);
  auto *grid = new QGridLayout(form);
  grid->setContentsMargins(10, 8, 10, 8);
  grid->setVerticalSpacing(4);
  auto *head =
      new QLabel("<b>Said of all its marks</b> <span style='color:#6F7B83'>where a row says nothing itself</span>");
  head->setTextFormat(Qt::RichText);
  grid->addWidget(head, 0, 0, 1, 4);
  connect(through_, &QComboBox::activated, this, [this] {
    if (!filling_) say("through", through_->currentData().toString());
  });
  int cell = 0;
  const auto put = [&](const QString &label, QWidget *w) {
    const int line = 1 + cell / 2, column = cell % 2 * 2;
    grid->addWidget(new QLabel(label), line, column);
    grid->addWidget(w, line, column + 1);
    ++cell;
  };
  for (const auto &[label, box, field] : {std::tuple{"lengths", unit_, "unit"},
                                          {"degrees", angles_, "packed"},
                                          {"axes", axes_, "exchanged"},
                                          {"directions", turned_, "turned"}}) {
    put(label, box);
    connect(box, &QComboBox::activated, this, [this, box = box, field = field] {
      if (!filling_) say(field, box->currentData().toString());
    });
  }
  for (Typed &t : typed_) {
    t.edit = new QLineEdit;
    t.edit->setAccessibleName(QString("%1 of the list").arg(t.label));
    t.edit->setPlaceholderText(t.hint);
    keep_whole(t.edit);
    put(t.label, t.edit);
    if (std::string_view(t.field) == "crs") put("shifts", through_);
    connect(t.edit, &QLineEdit::editingFinished, this, [this, t] {
      if (!filling_ && t.edit->isModified()) say(t.field, t.edit->text());
    });
  }
  return form;
}

void ListsPart::choose(const std::string &id) {
  chosen_ = id;
  view_->show_source(id);
  fill_said();
}

void ListsPart::say(const char *field, const QString &value) {
  if (chosen_.empty()) return;
  const QString why = w_.decide_typed<SourceThing>({chosen_}, field, value, "said of the list");
  if (!why.isEmpty()) Q_EMIT refused(why);
  fill_said();
}

void ListsPart::fill_said() {
  const ListSource *l = list_of(w_, chosen_);
  form_->setEnabled(l != nullptr);
  so_->setEnabled(l && l->waits());
  so_->setText(l && !l->proposed ? "Seen, use the rest" : "The columns are so");
  if (!l) return;
  filling_ = true;
  const auto pick = [](QComboBox *c, const QString &value) { c->setCurrentIndex(std::max(0, c->findData(value))); };
  const ListReading &r = l->said;
  pick(unit_, text(r.unit));
  pick(axes_, r.exchanged ? "yes" : "no");
  pick(turned_, text(r.turned));
  pick(angles_, r.packed ? "yes" : "no");
  through_->clear();
  through_->addItem("none", "");
  for (const SourceContent &c : w_.job().snapshot()->contents())
    if (c.shift) through_->addItem(text(c.source.name), text(c.source.id));
  pick(through_, text(r.through));
  const auto metres = [](double v) { return v == 0 ? QString() : QString::number(v, 'f', 3); };
  const QString values[] = {text(r.frame),
                            text(r.epoch),
                            text(r.crs),
                            metres(r.add_east),
                            metres(r.add_north),
                            metres(r.sd.value_or(0)),
                            metres(r.sd_height.value_or(0)),
                            text(r.vertical)};
  for (std::size_t i = 0; i < typed_.size(); ++i)
    if (!typed_[i].edit->hasFocus() || !typed_[i].edit->isModified()) typed_[i].edit->setText(values[i]);
  filling_ = false;
}

void ListsPart::refresh() {
  std::vector<Row> rows;
  std::string first;
  if (w_.has_job()) {
    const JobSnapshot &s = *w_.job().snapshot();
    for (const ListSource &l : s.lists()) {
      rows.push_back(row_of(s, l));
      if (first.empty() || (l.waits() && !list_of(w_, first)->waits())) first = l.source_id;
    }
  }
  count_ = static_cast<int>(rows.size());
  if (!list_of(w_, chosen_)) choose(first);
  table_->set_rows(std::move(rows));
  table_->select(chosen_);
  fill_said();
}

} // namespace ampletie::app
