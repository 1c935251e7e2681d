#include "app/window/doubts_drawer.h"
#include "app/widgets/numbers.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/theme.h"
#include <QPushButton>
#include <QVBoxLayout>

namespace ampletie::app {

DoubtsDrawer::DoubtsDrawer(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  bar_ = new QPushButton;
  bar_->setObjectName("doubts bar");
  bar_->setAccessibleName("Doubts");
  bar_->setStyleSheet("QPushButton { background:#1B2A33; color:#F7F5F0; border:0; border-radius:0; text-align:left; "
                      "padding:8px 16px; } QPushButton:focus { border:1px solid #3FA7AC; padding:7px 15px; }");
  table_ = new TableCard("Doubts table", {{"What", "", false, false, 150},
                                          {"Where", "", false, false, 140},
                                          {"Why", "", false, false, 380},
                                          {"Effect", "Largest effect on an issued coordinate", true, false, 80},
                                          {"Found", "", true, false, 70},
                                          {"Limit", "", true, false, 70},
                                          {"State", "", false, false, 160}});
  table_->setFixedHeight(190);
  table_->hide();
  auto *layout = new QVBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(0);
  layout->addWidget(table_);
  layout->addWidget(bar_);
  connect(bar_, &QPushButton::clicked, this, &DoubtsDrawer::toggle);
  connect(table_, &TableCard::chosen, this, [this](const std::string &id) { w_.select("doubt", id); });
  refresh_with_judgement(this, w_, [this] { refresh(); });
  refresh();
}

void DoubtsDrawer::toggle() {
  table_->setVisible(!table_->isVisible());
  refresh();
}

bool DoubtsDrawer::is_open() const { return table_->isVisible(); }

void DoubtsDrawer::refresh() {
  std::vector<Row> rows;
  int open = 0, accepted = 0;
  QString largest;
  if (w_.has_job())
    for (const Doubt &d : w_.job().doubts()) {
      const bool is_open = d.state == Doubt::State::open;
      if (is_open && open == 0)
        largest = text(d.about) + ": " + text(d.sentence) +
                  (d.effect_m ? " (up to " + size_of(*d.effect_m) + ")" : QString());
      (is_open ? open : accepted) += 1;
      Row r;
      r.id = d.id;
      r.dim = !is_open;
      r.cells = {{text(words(d.kind)), {}, is_open ? ink::attention : QColor(), true},
                 {text(d.about), {}, {}, false},
                 {text(d.sentence), {}, {}, false},
                 {d.effect_m ? size_of(*d.effect_m) : "–", d.effect_m.value_or(-1), {}, false},
                 {d.value ? text(measured(*d.value, d.unit)) : "–", d.value.value_or(0), {}, false},
                 {d.limit ? text(measured(*d.limit, d.unit)) : "–", d.limit.value_or(0), {}, false},
                 {is_open ? QString("open") : "accepted: " + text(d.accepted_because), {}, {}, false}};
      rows.push_back(std::move(r));
    }
  table_->set_rows(std::move(rows));
  // What was thought a moment ago may not hold any more: then nothing is said to be without doubts.
  const bool checking = w_.judging();
  const QString count = open       ? QString("%1 doubt%2").arg(open).arg(open == 1 ? "" : "s")
                        : checking ? QString("Checking …")
                        : accepted ? QString("No open doubts · %1 accepted").arg(accepted)
                                   : QString("No doubts");
  bar_->setText(count + (largest.isEmpty() ? "" : "      " + largest.left(120)) +
                (checking && open      ? "      checking …"
                 : table_->isVisible() ? "      D closes"
                                       : "      D opens"));
}

} // namespace ampletie::app
