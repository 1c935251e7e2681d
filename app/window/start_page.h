#pragma once
#include "app/window/recent_jobs.h"
#include <QAbstractButton>
#include <QWidget>

class QLabel;
class QPushButton;
class QVBoxLayout;

namespace ampletie::app {

/// A recent job as one row: its title, where it lies, and its job line in small.
class RecentRow : public QAbstractButton {
  Q_OBJECT
public:
  explicit RecentRow(RecentJob job, QWidget *parent = nullptr);
  const RecentJob &job() const { return job_; }

protected:
  void paintEvent(QPaintEvent *) override;

private:
  RecentJob job_;
};

/// What stands in the window before a job is open: making one, opening one, the recent ones, the demo, and what to
/// drop.
class StartPage : public QWidget {
  Q_OBJECT
public:
  explicit StartPage(QWidget *parent = nullptr);
  /// Reads the recent jobs again.
  void refresh();
  void say(const QString &words, bool failed);

  /// Makes a fresh copy of the demo and opens it.
  void look_at_demo();

Q_SIGNALS:
  void make_wanted();
  void stack_wanted();
  void open_wanted(const QString &path);           ///< empty: it is to be chosen
  void message(const QString &words, bool failed); ///< for whatever page is shown

private:
  QVBoxLayout *rows_;
  QLabel *none_, *words_;
  QPushButton *demo_;
};

/// The folder with the demo's data and the script that makes its job; empty where the program came without.
QString demo_folder();

} // namespace ampletie::app
