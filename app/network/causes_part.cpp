#include "app/network/causes_part.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/theme.h"
#include "judgement/findings.h"
#include <QLabel>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
Row row_of(const NetworkCause &c, std::size_t n) {
  const Explanation &e = c.explanation;
  const bool clears = e.clears();
  return {std::to_string(n),
          {{clears ? "■ all agrees" : "≈ not all", {}, clears ? ink::accepted : ink::attention, true},
           {QString::number(e.statistic, 'f', 0), e.statistic, {}, false},
           {QString::number(e.variance_factor, 'f', 2), e.variance_factor,
            e.variance_factor > e.upper ? ink::failed : QColor(), false},
           {QString::number(e.failing), e.failing, e.failing ? ink::failed : QColor(), false},
           {e.moved.empty() ? QString("–") : QString("%1 at %2").arg(1000 * e.moves, 0, 'f', 1).arg(text(e.moved)),
            e.moves,
            {},
            false},
           {text(c.mistake), {}, {}, false}},
          false,
          {}};
}
} // namespace

CausesPart::CausesPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  words_ = new QLabel;
  words_->setAccessibleName("Causes in words");
  words_->setTextFormat(Qt::RichText);
  words_->setWordWrap(true);
  table_ = new TableCard("Causes of the network",
                         {{"Tried", "The network adjusted with the mistake taken off", false, false, 90},
                          {"χ² less", "What it takes away from the sum of weighted squares", true},
                          {"Factor left", "Variance factor of what remains", true},
                          {"Fail still", "Single tests", true},
                          {"Moves most, mm", "Mark whose place it changes most", false, false, 110, 170},
                          {"What would make it agree", "The chosen one stands in the evidence", false, false, 240}});
  table_->wrap_last();
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(words_);
  all->addWidget(table_, 1);
  connect(table_, &TableCard::chosen, this, [this](const std::string &id) {
    const auto causes = w_.has_job() ? w_.job().snapshot()->ready(network_causes_result()) : nullptr;
    const auto n = static_cast<std::size_t>(std::stoul(id));
    if (causes && n < causes->size() && !(*causes)[n].thing.id.empty())
      w_.select(words((*causes)[n].thing.kind), (*causes)[n].thing.id);
  });
  refresh_with_judgement(this, w_, [this] { refresh(); });
}

void CausesPart::refresh() {
  std::vector<Row> rows;
  QString html;
  const NetworkRun *run = w_.has_job() ? w_.job().network() : nullptr;
  const auto causes = w_.has_job() ? w_.job().snapshot()->ready(network_causes_result()) : nullptr;
  if (!run || w_.job().network_stale())
    html =
        "<span style='color:#6F7B83'>Adjust the network: what would explain tests that fail is looked for then.</span>";
  else if (!causes)
    html = "<span style='color:#6F7B83'>Looking for what would explain it …</span>";
  else {
    const AdjustmentResult &a = run->result.adjustment;
    int failing = 0;
    for (const BlockTest &t : a.tests) failing += !t.passes;
    for (std::size_t n = 0; n < causes->size(); ++n) rows.push_back(row_of((*causes)[n], n));
    if (a.passes && !failing)
      html = "<b style='color:#0B6E75'>All tests pass</b>: there is nothing to explain.";
    else if (causes->empty())
      html =
          QString("<b style='color:#A63D2F'>%1 single tests fail%2</b>, and no usual mistake explains more than chance "
                  "would.")
              .arg(failing)
              .arg(a.passes ? "" : " and the network as a whole");
    else
      html =
          QString("<b style='color:#A63D2F'>%1 single tests fail%2.</b> Mistakes of every kind were weighed, the best "
                  "tried by adjusting without them, two at once where one did not suffice.")
              .arg(failing)
              .arg(a.passes ? "" : " and the network as a whole");
  }
  words_->setText(html);
  table_->set_rows(std::move(rows));
}

} // namespace ampletie::app
