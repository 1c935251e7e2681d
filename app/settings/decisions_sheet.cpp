#include "app/settings/decisions_sheet.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
#include "base/error.h"
#include "base/text.h"
#include "job/settings.h"
#include "judgement/decision_words.h"
#include <QVBoxLayout>

namespace ampletie::app {

DecisionsSheet::DecisionsSheet(Workspace &w, QWidget *parent) : Sheet(w, "Decisions", parent) {
  table_ = new TableCard("Decisions", {{"No.", "", true, false, 40},
                                       {"Decision", "", false, false, 200, 350},
                                       {"Reason", "", false, false, 120, 200},
                                       {"State", "", false, false, 76},
                                       {"Who", "", false, false, 70},
                                       {"When (UTC)", "", false, false, 110}});
  body()->addWidget(table_, 1);
  connect(table_, &TableCard::chosen, this, [this](const std::string &id) { w_.select("decision", id); });
  refresh_when_seen(this, w_, [this] { refresh(); });
  refresh();
}

void DecisionsSheet::refresh() {
  std::vector<Row> rows;
  if (w_.has_job()) {
    const DecisionWords words = w_.job().words();
    const auto stands = standing(w_.job().decisions());
    for (std::size_t i = w_.job().decisions().size(); i-- > 0;) {
      const Decision &d = w_.job().decisions()[i];
      rows.push_back({std::to_string(d.seq),
                      {{QString::number(d.seq), static_cast<int>(d.seq), {}, false},
                       {text(words.sentence(d)), {}, {}, true},
                       {text(d.reason), {}, {}, false},
                       {!d.damage.empty() ? QString("damaged")
                        : stands[i]       ? QString("stands")
                                          : QString("withdrawn"),
                        {},
                        d.damage.empty() ? QColor() : ink::attention,
                        false},
                       {text(d.author), {}, {}, false},
                       {text(d.time.substr(0, 16)).replace('T', ' '), {}, {}, false}},
                      !stands[i],
                      {}});
    }
  }
  table_->set_rows(std::move(rows));
}

} // namespace ampletie::app
