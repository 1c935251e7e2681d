#pragma once
#include "app/charts.h"
#include "app/closure_plot.h"
#include "app/plan_view.h"
#include "app/sheet.h"
#include "app/table.h"

class QComboBox;
class QTextBrowser;
class QCustomPlot;
class QLineEdit;

namespace ampletie::app {
class AccuracyPart;
class GeoidPart;
class LevelClosures;
class LevelPicture;
class RecipeView;

/// What came in from the field: occupations (corrected in place), sources, what became of the last drop.
class IntakeSheet : public Sheet {
  Q_OBJECT
public:
  explicit IntakeSheet(Workspace &w, QWidget *parent = nullptr);
  void act() override; ///< chooses files

private:
  void refresh();
  QString edit(const std::string &id, int column, const QString &value);
  QStackedWidget *stack_;
  TableCard *occupations_, *sources_, *drops_;
  QWidget *empty_;
  int part_drops_;
};

/// Vectors with the plan and the residuals of the chosen one.
class GnssSheet : public Sheet {
  Q_OBJECT
public:
  explicit GnssSheet(Workspace &w, QWidget *parent = nullptr);
  void act() override { w_.solve(); }
  /// Uses or leaves out the selected vector (the space bar).
  void toggle_use();

private:
  void refresh();
  void fill_vectors();
  void fill_occupations();
  void fill_closures();
  void choose_closure(const std::string &id);
  TableCard *vectors_, *occupations_, *closures_;
  QStackedWidget *stack_;
  ClosurePlot *closure_plot_;
  bool nothing_solved_ = false;
};

/// Level books: lines with their closures, the book of the chosen one, heights, files and their recipes, two-peg test.
class LevelsSheet : public Sheet {
  Q_OBJECT
public:
  explicit LevelsSheet(Workspace &w, QWidget *parent = nullptr);
  void act() override;
  /// Uses or leaves out the reading chosen in the book (the space bar).
  void toggle_use();

private:
  void choose_closure(const std::string &id);
  const LevelLine *line() const;
  const StaffSight *sight() const;
  std::string run_of_sight(const std::string &id) const;
  std::vector<std::string> sights_of_row(const std::string &id) const;
  void choose(const std::string &line);
  void leave_setup_out();
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

/// The adjusted network: marks, residuals and set-ups with tests, the plan with ellipses.
class NetworkSheet : public Sheet {
  Q_OBJECT
public:
  explicit NetworkSheet(Workspace &w, QWidget *parent = nullptr);
  void act() override { w_.adjust(); }

private:
  void refresh();
  void plot();
  TableCard *marks_, *residuals_, *setups_;
  GeoidPart *geoid_;
  QStackedWidget *stack_;
  QTextBrowser *summary_;
  QCustomPlot *plot_;
};

/// Frames, epochs, grid and heights; which marks are held.
class DatumSheet : public Sheet {
  Q_OBJECT
public:
  explicit DatumSheet(Workspace &w, QWidget *parent = nullptr);

private:
  void refresh();
  TableCard *published_, *positions_;
  QStackedWidget *stack_;
  QTextBrowser *words_;
};

/// May I issue? A verdict per mark, the records of what was issued, and the act itself.
class IssueSheet : public Sheet {
  Q_OBJECT
public:
  explicit IssueSheet(Workspace &w, QWidget *parent = nullptr);
  void act() override;

private:
  void refresh();
  AccuracyPart *asked_;
  TableCard *marks_, *records_;
  QStackedWidget *stack_;
  QTextBrowser *verdict_;
  QLineEdit *folder_;
};

/// The job's settings, searchable, each with a sentence.
class SettingsSheet : public Sheet {
  Q_OBJECT
public:
  explicit SettingsSheet(Workspace &w, QWidget *parent = nullptr);

private:
  void refresh();
  TableCard *table_;
};

/// The log of decisions with their reasons.
class DecisionsSheet : public Sheet {
  Q_OBJECT
public:
  explicit DecisionsSheet(Workspace &w, QWidget *parent = nullptr);

private:
  void refresh();
  TableCard *table_;
};

} // namespace ampletie::app
