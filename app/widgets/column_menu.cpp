#include "app/widgets/column_menu.h"
#include <QCheckBox>
#include <QMenu>
#include <QSettings>
#include <QVBoxLayout>
#include <QWidgetAction>

namespace ampletie::app {
namespace {
QSettings store() { return QSettings(QSettings::IniFormat, QSettings::UserScope, "ample-tie", "columns"); }
} // namespace

ColumnMenu::ColumnMenu(const QString &key, std::vector<OfferedColumn> offered, QStringList usual, QWidget *parent)
    : QPushButton("Columns", parent), key_(key), usual_(std::move(usual)) {
  setAccessibleName("Columns of " + key);
  auto *menu = new QMenu(this);
  auto *all = new QWidget;
  auto *rows = new QVBoxLayout(all);
  rows->setContentsMargins(10, 8, 14, 8);
  rows->setSpacing(3);
  for (const OfferedColumn &c : offered) {
    auto *box = new QCheckBox(c.name + (c.words.isEmpty() ? QString() : " – " + c.words));
    box->setObjectName(c.name);
    box->setAccessibleName("Column " + c.name);
    boxes_.push_back(box);
    rows->addWidget(box);
    connect(box, &QCheckBox::clicked, this, [this, box] {
      if (chosen().isEmpty() && !usual_.isEmpty()) box->setChecked(true); // a table of nothing is none
      keep();
    });
  }
  auto *as_usual = new QPushButton("The usual ones");
  as_usual->setAccessibleName("The usual columns of " + key);
  as_usual->setVisible(!usual_.isEmpty());
  rows->addWidget(as_usual);
  connect(as_usual, &QPushButton::clicked, this, [this] {
    tick(usual_);
    keep();
  });
  auto *action = new QWidgetAction(menu); // boxes leave the menu open
  action->setDefaultWidget(all);
  menu->addAction(action);
  setMenu(menu);
  if (usual_.isEmpty()) return;
  // What is remembered may be of another version: names that are none any more are nobody's.
  tick(store().value(key_, usual_).toStringList());
  if (chosen().isEmpty()) tick(usual_);
}

QStringList ColumnMenu::chosen() const {
  QStringList out;
  for (const QCheckBox *b : boxes_)
    if (b->isChecked()) out << b->objectName();
  return out;
}

void ColumnMenu::tick(const QStringList &names) {
  for (QCheckBox *b : boxes_) b->setChecked(names.contains(b->objectName()));
}

void ColumnMenu::keep() {
  if (!usual_.isEmpty()) store().setValue(key_, chosen());
  Q_EMIT changed();
}

} // namespace ampletie::app
