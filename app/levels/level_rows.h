#pragma once
#include "app/levels/level_closures.h"
#include "app/widgets/table.h"
#include "results/levels.h"

namespace ampletie::app {

/// A job's levels as rows of the section's tables, closures as points of their picture, too.
struct LevelRows {
  std::vector<Row> lines, closures, heights, files;
  std::vector<PlottedLevelClosure> plotted;
};
LevelRows level_rows(const LevelReport &r);

/// The book of a line, its readings in their order, with what is left out between them; `words` as rich text.
struct BookView {
  std::vector<Row> rows;
  QString words;
};
BookView book_view(const LevelLine &line);

} // namespace ampletie::app
