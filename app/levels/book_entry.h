#pragma once
#include "app/workspace.h"
#include "levelling/reduction.h"
#include <QWidget>

class QLabel;
class QLineEdit;
class QPushButton;
class QTableWidget;

namespace ampletie::app {

/// A level book keyed in by hand, row by row as it stands on paper: the running height beside it, and what does not add
/// up said at once. Enter goes on to the next cell that is wanted, a new row comes by itself. Taken into the job it is
/// a source like any file.
class BookEntry : public QWidget {
  Q_OBJECT
public:
  explicit BookEntry(Workspace &w, QWidget *parent = nullptr);

private:
  struct Judged {
    LevelRun run;
    std::vector<std::string> heights; ///< running height of each row, as text
    QString warning;                  ///< empty: everything adds up so far
    int row = -1;                     ///< where the warning belongs
    bool complete = false;
  };
  Judged judge() const;
  void refresh();
  void next_cell(int row, int column);
  void take();
  bool eventFilter(QObject *o, QEvent *e) override;
  QString cell(int row, int column) const;
  Workspace &w_;
  QTableWidget *table_;
  QLineEdit *name_, *start_, *day_, *instrument_, *staff_;
  QLabel *words_;
  QPushButton *take_;
  bool filling_ = false;
};

} // namespace ampletie::app
