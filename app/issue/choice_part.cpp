#include "app/issue/choice_part.h"
#include "app/widgets/column_menu.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
#include "base/error.h"
#include "base/text.h"
#include "job/settings.h"
#include "publication/record_parts.h"
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

namespace ampletie::app {

ChoicePart::ChoicePart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  table_ = new TableCard("How it is printed",
                         {{"Choice", "", false, false, 150}, {"Value", "", false, true, 120}, {"What it does"}});
  table_->hide_filter();
  table_->wrap_last();
  table_->model()->edit = [this](const std::string &name, int, const QString &value) { return edit(name, value); };
  connect(table_->model(), &TableModel::refused, this, &ChoicePart::refused);
  std::vector<OfferedColumn> offered;
  for (const IssueColumn &c : issue_columns()) offered.push_back({c.name, c.sentence});
  columns_ = new ColumnMenu("the own list", std::move(offered), {});
  columns_->setText("Columns of the own list");
  connect(columns_, &ColumnMenu::changed, this, [this] { edit("columns", columns_->chosen().join(' ')); });

  auto *card = new QWidget;
  card->setObjectName("card");
  stands_ = new QLabel;
  stands_->setAccessibleName("Who looked at it");
  stands_->setWordWrap(true);
  stands_->setTextFormat(Qt::RichText);
  by_ = new QLineEdit;
  by_->setAccessibleName("Second person");
  by_->setPlaceholderText("who signs: nobody who decided in the job");
  looked_ = new QLineEdit;
  looked_->setAccessibleName("What was looked at");
  looked_->setPlaceholderText("held marks against the list, antenna heights against the field sheet …");
  remark_ = new QLineEdit;
  remark_->setAccessibleName("Remark of the second person");
  sign_ = new QPushButton("Sign");
  sign_->setAccessibleName("Sign as second person");
  connect(sign_, &QPushButton::clicked, this, [this] { sign(); });
  auto *form = new QFormLayout(card);
  auto *title = new QLabel("<b>A second person</b> looks at it before it is issued");
  title->setTextFormat(Qt::RichText);
  form->addRow(title);
  form->addRow(stands_);
  form->setVerticalSpacing(4);
  form->addRow("Name", by_);
  form->addRow("Looked at", looked_);
  auto *signing = new QHBoxLayout;
  signing->addWidget(remark_, 1);
  signing->addWidget(sign_);
  form->addRow("Remark", signing);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  auto *head = new QHBoxLayout;
  head->addWidget(columns_);
  head->addStretch(1);
  all->addLayout(head);
  all->addWidget(table_, 5);
  all->addWidget(card);
}

QString ChoicePart::edit(const std::string &name, const QString &value) {
  const SettingInfo *i = find_setting(name);
  if (!i) return "there is no such choice";
  try {
    const QString why = w_.decide("set", i->target, {{name, setting_value(name, value.trimmed().toStdString())}},
                                  "chosen for the issue");
    if (!why.isEmpty()) Q_EMIT refused(why);
    return why;
  } catch (const InputError &e) {
    return text(e.reason());
  }
}

void ChoicePart::sign() {
  const QString why = w_.sign(by_->text(), looked_->text(), remark_->text());
  if (!why.isEmpty()) {
    Q_EMIT refused(why);
    return;
  }
  for (QLineEdit *e : {by_, looked_, remark_}) e->clear();
}

QString ChoicePart::stands() const {
  const NetworkRun *run = w_.has_job() ? w_.job().network() : nullptr;
  if (!run) return "<span style='color:#6F7B83'>There are no coordinates to look at yet.</span>";
  const auto &all = w_.job().state().second_checks;
  if (const SecondCheck *c = w_.job().network_stale() ? nullptr : standing_check(w_.job().state(), *run))
    return QString("<span style='color:%1'><b>%2 looked at them as they are now</b></span>: %3 (%4 UTC)%5")
        .arg(ink::accepted.name(), escaped(c->by), escaped(c->looked), text(c->time),
             c->remark.empty() ? QString() : ". " + escaped(c->remark));
  const bool asked = w_.job().state().settings.issue.second_person;
  const QString what = all.empty() ? QString("Nobody looked at these coordinates")
                                   : "They changed since " + escaped(all.back().by) + " looked at them";
  return QString("<span style='color:%1'><b>%2</b></span>%3")
      .arg((asked ? ink::attention : ink::text).name(), what,
           asked ? QString(": nothing is issued until somebody does.") : QString(". The sheet says so."));
}

void ChoicePart::refresh() {
  std::vector<Row> rows;
  if (w_.has_job()) {
    const JobState &s = w_.job().state();
    for (const SettingInfo &i : setting_catalogue()) {
      if (i.part != SettingPart::issue) continue;
      const bool decided = s.setting_decisions.count(i.name) > 0;
      QString what = i.sentence;
      if (!i.value.choices.empty()) what += " (" + text(fmt::format("{}", fmt::join(i.value.choices, ", "))) + ")";
      rows.push_back({i.name,
                      {{i.label, {}, {}, true},
                       {text(setting_text(s.settings, i.name)), {}, decided ? ink::accepted : QColor(), decided},
                       {what, {}, {}, false}},
                      false,
                      {}});
    }
    columns_->set_chosen(text(s.settings.issue.columns).split(' ', Qt::SkipEmptyParts));
  }
  table_->set_rows(std::move(rows));
  stands_->setText(stands());
  sign_->setEnabled(w_.has_job() && w_.job().network() && !w_.job().network_stale());
}

} // namespace ampletie::app
