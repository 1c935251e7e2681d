#pragma once
#include "app/widgets/sheet.h"

class QComboBox;
class QLabel;

namespace ampletie::app {
class LevelClosures;
class LevelPicture;
class RecipeView;
class TableCard;

/// Level books: lines with their closures, the book of the chosen one, heights, files and their recipes, two-peg test.
class LevelsSheet : public Sheet {
  Q_OBJECT
public:
  explicit LevelsSheet(Workspace &w, QWidget *parent = nullptr);
  void act() override;
  /// Uses or leaves out the reading chosen in the book (the space bar).
  void toggle_use() override;

private:
  void choose_closure(const std::string &id);
  const LevelLine *line() const;
  const StaffSight *sight() const;
  std::string run_of_sight(const std::string &id) const;
  std::vector<std::string> sights_of_row(const std::string &id) const;
  void choose(const std::string &line);
  void leave_setup_out();
  QWidget *make_lines_page();
  void make_line_tables();
  void make_line_buttons();
  QWidget *make_files_page();
  QWidget *make_closures_page();
  void refresh();
  void refresh_book();
  void refresh_buttons();
  TableCard *lines_, *book_, *closures_, *heights_, *files_;
  LevelPicture *picture_;
  LevelClosures *closure_plot_;
  RecipeView *view_;
  QStackedWidget *stack_;
  QPushButton *reverse_, *leave_, *split_, *compute_, *setup_out_;
  QComboBox *chain_;
  QLabel *words_;
  std::string line_, sight_;
  bool filling_ = false;
};

} // namespace ampletie::app
