#pragma once
#include "geodesy/system_search.h"
#include "job/state.h"
#include <QWidget>

class QComboBox;
class QDateEdit;
class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;

namespace ampletie::app {

/// What decides whether a new job's coordinates are right, all on one page: where it is, the grid, the heights and how
/// well their geoid is known, the epoch, the accuracy asked for; or a template that says it. What is not said yet
/// stands in words; nothing is guessed.
class NewJobPage : public QWidget {
  Q_OBJECT
public:
  explicit NewJobPage(QWidget *parent = nullptr);
  /// Empties the page for another job.
  void begin();
  /// What has been said. Throws `InputError` in words when something of it cannot be.
  JobSettings settings() const;
  /// A name for its file, from the title; empty where nothing of it can be one.
  QString file_name() const;
  /// Begins with the settings of a template file; the words why not, or nothing.
  QString use_template(const QString &path);
  void say(const QString &words, bool failed);

Q_SIGNALS:
  void make_wanted();
  void cancelled();

private:
  void search();
  void offer_heights();
  void describe();
  std::optional<Geodetic> place() const;
  JobSettings base_; ///< of the template
  std::vector<FoundSystem> grids_, heights_found_;
  QLineEdit *title_, *place_, *words_, *realisation_, *geoid_, *plan_, *height_;
  QDateEdit *epoch_;
  QComboBox *kind_, *heights_;
  QListWidget *found_;
  QLabel *means_, *said_, *template_name_;
  QPushButton *make_;
  std::string grid_; ///< chosen code
};

} // namespace ampletie::app
