#pragma once
#include "app/widgets/sheet.h"

namespace ampletie::app {
class ListsToRead;
class TableCard;

/// What came in from the field: occupations (corrected in place), sources, what became of the last drop.
class IntakeSheet : public Sheet {
  Q_OBJECT
public:
  explicit IntakeSheet(Workspace &w, QWidget *parent = nullptr);
  void act() override; ///< chooses files
  void toggle_use() override;

private:
  void refresh();
  QString edit(const std::string &id, int column, const QString &value);
  QStackedWidget *stack_;
  TableCard *occupations_, *sources_, *drops_;
  ListsToRead *lists_;
  QWidget *empty_;
  int part_drops_, part_lists_;
};

} // namespace ampletie::app
