#pragma once
#include "app/widgets/sheet.h"
#include "results/traverses.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QScrollArea;

namespace ampletie::app {

class ClosurePlot;
class PlanView;
class PointingStrip;
class RecipeView;
class TableCard;
class TraverseLegs;

/// Field books of total stations: traverses by legs with every balance side by side, set-ups with their pointings,
/// known marks, provisional marks, the files.
class TraverseSheet : public Sheet {
  Q_OBJECT
public:
  explicit TraverseSheet(Workspace &w, QWidget *parent = nullptr);
  void act() override;
  /// Uses or leaves out what is chosen: a pointing, else a set-up.
  void toggle_use() override;

private:
  QWidget *make_lines();
  void make_line_tables();
  void make_line_choices();
  void leave_line_out();
  QWidget *make_setups();
  void make_setup_tables();
  QWidget *make_checks();
  QWidget *make_marks();
  QWidget *make_files();
  QString edit_style(const std::string &code, int column, const QString &value);
  void issue_provisional();
  void choose_pointing(const std::string &id);
  const TraverseLine *line() const;
  const ReducedSetup *setup() const;
  void choose_line(const std::string &id);
  void choose_setup(const std::string &id);
  /// Lays a correction over the chosen set-ups, or the one that is edited.
  QString correct_setups(const std::string &edited, const std::string &name, const nlohmann::json &value);
  QString edit_setup(const std::string &id, int column, const QString &value);
  QString edit_target(const std::string &id, int column, const QString &value);
  void refresh();
  void refresh_line();
  void offer_onward();
  void refresh_setup();
  void refresh_checks();
  TableCard *lines_, *balances_, *setups_, *targets_, *pointings_, *checks_, *marks_, *comparisons_, *files_, *styles_;
  TraverseLegs *legs_;
  PlanView *plan_, *codes_plan_;
  PointingStrip *strip_;
  ClosurePlot *closures_;
  RecipeView *view_;
  QStackedWidget *stack_;
  QLabel *words_, *setup_words_, *failing_;
  QComboBox *balance_, *angles_, *heights_, *onward_;
  QDoubleSpinBox *limit_;
  QPushButton *leave_, *setup_out_, *pointing_out_, *by_click_, *hand_out_;
  std::string line_, setup_, pointing_;
  bool filling_ = false;
};

} // namespace ampletie::app
