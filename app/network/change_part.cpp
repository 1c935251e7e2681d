#include "app/network/change_part.h"
#include "adjustment/statistics.h"
#include "app/widgets/linked_choice.h"
#include "app/widgets/numbers.h"
#include "app/widgets/theme.h"
#include "publication/change_table.h"
#include "results/job_results.h"
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>
#include <cmath>

namespace ampletie::app {
namespace {
Row row_of(const Displacement &d) {
  const auto part = [&](int i) {
    return Cell{
        QString("%1 ± %2").arg(signed_mm(d.moved[i], 1)).arg(1000 * std::sqrt(std::max(0.0, d.cov(i, i))), 0, 'f', 1),
        std::abs(d.moved[i]), d.stable ? QColor() : ink::failed, !d.stable};
  };
  return {d.name,
          {{text(d.name), {}, {}, true},
           part(0),
           part(1),
           part(2),
           {QString("%1 · %2").arg(1000 * d.seen_plan, 0, 'f', 1).arg(1000 * d.seen_height, 0, 'f', 1), d.seen_plan,
            ink::unused, false},
           {d.stable ? "■ no movement shown" : "▲ moved", {}, d.stable ? ink::accepted : ink::failed, !d.stable}},
          false,
          d.stable ? QColor() : ink::warm};
}

Difference difference_of(const Displacement &d, const Eigen::Vector2d &at) {
  Difference out{d.name, at.x(), at.y(), {}, {}, false, false, {}};
  out.plan = {d.moved.head<2>(), circle95(ellipse(Eigen::Matrix2d(d.cov.topLeftCorner<2, 2>()))), d.stable, true};
  out.height = {{d.moved.z(), 0}, 0, d.stable, true};
  return out;
}
} // namespace

ChangePart::ChangePart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  record_ = new QComboBox;
  record_->setAccessibleName("Record to compare with");
  words_ = new QLabel;
  words_->setAccessibleName("Change in words");
  words_->setTextFormat(Qt::RichText);
  words_->setWordWrap(true);
  table_ = new TableCard(
      "Change at the marks",
      {{"Mark", "", false, false, 50},
       {"East mm", "Now less then, against the marks that did not move", true, false, 74},
       {"North mm", "The same", true, false, 74},
       {"Up mm", "The same", true, false, 74},
       {"Seen from mm", "Plan · height: the smallest movement that would be found, power 80 %", true, false, 92},
       {"", "", false, false, 146}});
  picture_ = new DifferencePicture("Change in plan", "Now less then, against the marks that did not move");
  auto *top = new QHBoxLayout;
  top->addWidget(record_);
  top->addWidget(words_, 1);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(top);
  auto *lower = new QHBoxLayout;
  lower->setSpacing(10);
  lower->addWidget(table_, 13);
  lower->addWidget(picture_, 8);
  all->addLayout(lower, 1);
  judge_ = std::make_unique<Judge>(
      [](const JobSnapshot &s) { s.get(changes_result()); },
      Judge::in_window(this, [this](const std::shared_ptr<const JobSnapshot> &) { show_change(); }));
  connect(record_, &QComboBox::activated, this, [this] { show_change(); });
  choose_marks_together(table_, picture_, w_, this);
}

ChangePart::~ChangePart() { judge_.reset(); }

void ChangePart::showEvent(QShowEvent *e) {
  QWidget::showEvent(e);
  refresh();
}

void ChangePart::refresh() {
  if (!isVisible()) return;
  if (w_.has_job() && !w_.job().snapshot()->ready(changes_result()))
    judge_->judge(w_.job().snapshot(), std::chrono::milliseconds(0));
  show_change();
}

void ChangePart::show_change() {
  std::vector<Row> rows;
  std::vector<Difference> drawn;
  const auto all = w_.has_job() ? w_.job().snapshot()->ready(changes_result()) : nullptr;
  const int kept = record_->currentIndex();
  record_->clear();
  QString html;
  if (!w_.has_job() || !w_.job().network() || w_.job().network_stale())
    html = "<span style='color:#6F7B83'>Adjust the network: it is compared with issue records among the sources "
           "here.</span>";
  else if (!all)
    html = "<span style='color:#6F7B83'>Comparing …</span>";
  else if (all->empty())
    html = "<span style='color:#6F7B83'>Take the record of an earlier issue (<i>record.json</i>): what moved since "
           "then, against the "
           "marks that did not, appears here.</span>";
  else {
    for (const JobChange &c : *all) record_->addItem(text(c.record.empty() ? c.source_name : c.record));
    const auto at = static_cast<std::size_t>(std::clamp(kept, 0, static_cast<int>(all->size()) - 1));
    record_->setCurrentIndex(static_cast<int>(at));
    const JobChange &c = (*all)[at];
    html = QString("%1 against %2: <b style='color:%3'>%4</b>")
               .arg(c.later, 0, 'f', 2)
               .arg(c.earlier, 0, 'f', 2)
               .arg(!c.problem.empty()   ? ink::attention.name()
                    : c.result.congruent ? ink::accepted.name()
                                         : ink::failed.name(),
                    escaped(change_words(c)));
    if (c.problem.empty() && c.result.problem.empty())
      for (std::size_t i = 0; i < c.result.marks.size(); ++i) {
        rows.push_back(row_of(c.result.marks[i]));
        drawn.push_back(difference_of(c.result.marks[i], c.places[i]));
      }
  }
  record_->setVisible(record_->count() > 0);
  words_->setText(html);
  table_->set_rows(std::move(rows));
  picture_->set(std::move(drawn), "Movements appear here as arrows with their 95 % circles.");
}

} // namespace ampletie::app
