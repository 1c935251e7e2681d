#pragma once
#include "app/widgets/recipe_view.h"
#include "app/widgets/table.h"

namespace ampletie::app {

/// Lists of vectors, fixes and stops: how each is read, and a place to say it by pointing.
class ListsToRead : public QWidget {
public:
  explicit ListsToRead(Workspace &w, QWidget *parent = nullptr);
  /// Fills it; gives the number of lists.
  int refresh();

  /// False where it is none of its lists.
  bool choose(const std::string &id);

private:
  Workspace &w_;
  TableCard *table_;
  RecipeView *view_;
};

} // namespace ampletie::app
