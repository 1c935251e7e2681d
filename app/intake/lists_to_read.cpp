#include "app/intake/lists_to_read.h"
#include "app/widgets/theme.h"
#include "results/row_lists.h"
#include <QFileDialog>
#include <QHBoxLayout>
#include <QPushButton>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
Row row_of(const JobSnapshot &s, const RowSource &l) {
  const bool out = s.state().left_out.count(l.source_id) > 0, bad = l.waits() || !l.problem.empty();
  const QString state = out          ? "left out"
                        : l.unsaid   ? "columns not said yet"
                        : l.waits()  ? "pieces unread"
                        : bad        ? text(l.problem)
                        : l.by_heads ? "read by its own heads"
                                     : "read by " + text(l.recipe);
  return {l.source_id,
          {{text(l.name), {}, {}, true},
           {l.kind == "stops" ? "stops" : "vectors", {}, {}, false},
           {state,
            {},
            out   ? ink::unused
            : bad ? ink::attention
                  : QColor(),
            bad && !out},
           {bad ? "–" : QString::number(l.rows()), bad ? -1.0 : static_cast<double>(l.rows()), {}, false}},
          out,
          bad && !out ? ink::warm : QColor()};
}
} // namespace

ListsToRead::ListsToRead(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  table_ = new TableCard("Lists of vectors and stops", {{"File", "", false, false, 86},
                                                        {"Holds", "", false, false, 54},
                                                        {"State", "", false, false, 96},
                                                        {"Rows", "", true, false, 36}});
  table_->hide_filter();
  view_ = new RecipeView(w_);
  view_->setAccessibleName("List as it is read");
  auto *left = new QVBoxLayout;
  left->setSpacing(8);
  left->addWidget(table_, 1);
  for (const auto &[label, name, kind] :
       {std::tuple{"Read a text as vectors or fixes …", "Read a text file as vectors or fixes", "vectors"},
        {"Read a text as stops …", "Read a text file as stops", "stops"}}) {
    auto *b = new QPushButton(label);
    b->setAccessibleName(name);
    b->setToolTip("A list in whatever form: its columns are said by pointing at them");
    left->addWidget(b);
    connect(b, &QPushButton::clicked, this, [this, name = name, kind = kind] {
      const QStringList files = QFileDialog::getOpenFileNames(this, name);
      if (!files.isEmpty()) w_.take(files, kind);
    });
  }
  auto *all = new QHBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(10);
  all->addLayout(left, 5);
  all->addWidget(view_, 8);
  connect(table_, &TableCard::chosen, this, [this](const std::string &id) {
    choose(id);
    w_.select("source", id);
  });
}

bool ListsToRead::choose(const std::string &id) {
  if (!w_.has_job()) return false;
  const auto &all = w_.job().snapshot()->get(row_lists_result());
  if (std::none_of(all.begin(), all.end(), [&](const RowSource &l) { return l.source_id == id; })) return false;
  table_->select(id);
  view_->show_source(id);
  return true;
}

int ListsToRead::refresh() {
  std::vector<Row> rows;
  bool waits = false, shown = false;
  std::string first;
  if (w_.has_job())
    for (const RowSource &l : w_.job().snapshot()->get(row_lists_result())) {
      if (first.empty() || (l.waits() && !waits)) first = l.source_id;
      waits = waits || l.waits(), shown = shown || l.source_id == view_->source();
      rows.push_back(row_of(*w_.job().snapshot(), l));
    }
  const int n = static_cast<int>(rows.size());
  table_->set_rows(std::move(rows));
  choose(shown ? view_->source() : first);
  return n;
}

} // namespace ampletie::app
