#include "app/intake/field_part.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
#include "base/error.h"
#include "base/text.h"
#include "judgement/field_sheet_doubts.h"
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

namespace ampletie::app {
namespace {
constexpr const char *column_fields[] = {"", "mark", "height", "to", "antenna", "start", "stop", "remark", ""};
}

FieldPart::FieldPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  table_ =
      new TableCard("Field sheet", {{"Entry", "", false, false, 60},
                                    {"Mark", "", false, true, 70},
                                    {"Height m", "As it was read", true, true, 66},
                                    {"To", "Named point of the antenna; empty: the reference point", false, true, 70},
                                    {"Antenna", "", false, true, 110},
                                    {"From", "GPS time: 2026-05-12T08:00", false, true, 130},
                                    {"To", "GPS time", false, true, 130},
                                    {"Remark", "", false, true, 100},
                                    {"Against its file", "What differs, and what no file came of", false, false, 160}});
  table_->model()->edit = [this](const std::string &id, int column, const QString &value) {
    return w_.decide_typed<FieldEntryThing>({id}, column_fields[column], value, "by the field sheet");
  };
  connect(table_->model(), &TableModel::refused, this, &FieldPart::refused);
  const auto line = [](const QString &name, const QString &hint) {
    auto *e = new QLineEdit;
    e->setAccessibleName("Field sheet: " + name);
    e->setPlaceholderText(hint);
    return e;
  };
  mark_ = line("mark", "Mark"), height_ = line("height", "Height, m"), point_ = line("point", "Read to");
  start_ = line("from", "2026-05-12T08:00"), stop_ = line("to", "2026-05-12T09:00");
  auto *button = new QPushButton("Add");
  button->setAccessibleName("Add to the field sheet");
  auto *keyed = new QHBoxLayout;
  for (QLineEdit *e : {mark_, height_, point_, start_, stop_}) {
    keyed->addWidget(e);
    connect(e, &QLineEdit::returnPressed, this, [this] { add(); });
  }
  keyed->addWidget(button);
  connect(button, &QPushButton::clicked, this, [this] { add(); });
  auto *words =
      new QLabel("As the crew wrote it down, before the files come or after. Times are GPS time. Each entry is "
                 "set against the file that it is of; what differs is a doubt.");
  words->setWordWrap(true);
  words->setStyleSheet("color:#6F7B83");
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(words);
  all->addLayout(keyed);
  all->addWidget(table_, 1);
  refresh_with_judgement(this, w_, [this] { refresh(); });
}

void FieldPart::add() {
  if (!w_.has_job()) return;
  std::string name;
  for (int i = 1; name.empty() || w_.job().state().field_sheet.count(name); ++i) name = std::to_string(i);
  try {
    nlohmann::json value;
    if (mark_->text().trimmed().isEmpty()) throw InputError("say the mark that was occupied");
    const std::pair<const char *, QLineEdit *> typed[] = {
        {"mark", mark_}, {"height", height_}, {"to", point_}, {"start", start_}, {"stop", stop_}};
    for (const auto &[field, edit] : typed)
      if (const QString t = edit->text().trimmed(); !t.isEmpty())
        value[field] = typed_field<FieldEntryThing>(field, t.toStdString());
    const QString why = w_.decide("set", "field:" + name, value, "by the field sheet");
    if (!why.isEmpty()) throw InputError(why.toStdString());
    for (QLineEdit *e : {mark_, height_, point_, start_, stop_}) e->clear();
    mark_->setFocus();
  } catch (const InputError &e) {
    Q_EMIT refused(text(e.reason()));
  }
}

int FieldPart::refresh() {
  std::vector<Row> rows;
  if (w_.has_job()) {
    const auto said = [](const auto &x) { return x.value ? text(*x.value) : QString(); };
    for (const auto &[name, e] : w_.job().state().field_sheet) {
      QStringList differs;
      const auto ids = field_entry_doubts(name);
      for (const Doubt &d : w_.job().doubts())
        if (const auto at = std::find(ids.begin(), ids.end(), d.id); at != ids.end())
          differs << (at == ids.begin() ? QString("no file of it yet") : text(d.sentence));
      Row r;
      r.id = name;
      r.cells = {{text(name), {}, ink::unused, false},
                 {said(e.mark), {}, {}, true},
                 {e.height.value ? QString::number(*e.height.value, 'f', 3) : QString(),
                  e.height.value.value_or(0),
                  {},
                  false},
                 {said(e.point), {}, {}, false},
                 {said(e.antenna), {}, {}, false},
                 {said(e.start).replace('T', ' '), {}, {}, false},
                 {said(e.stop).replace('T', ' '), {}, {}, false},
                 {said(e.remark), {}, {}, false},
                 {differs.isEmpty() ? QString("✓ agrees") : "? " + differs.join("; "),
                  {},
                  differs.isEmpty() ? ink::accepted : ink::attention,
                  !differs.isEmpty()}};
      rows.push_back(std::move(r));
    }
  }
  const int n = static_cast<int>(rows.size());
  table_->set_rows(std::move(rows));
  return n;
}

} // namespace ampletie::app
