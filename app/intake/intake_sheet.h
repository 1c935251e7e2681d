#pragma once
#include "app/widgets/sheet.h"

namespace ampletie::app {
class ArchivePart;
class FieldPart;
class ListsToRead;
class WatchPart;
class TableCard;
struct Cell;

/// What came in from the field: occupations (corrected in place), sources, what became of the last drop.
class IntakeSheet : public Sheet {
  Q_OBJECT
public:
  explicit IntakeSheet(Workspace &w, QWidget *parent = nullptr);
  void act() override; ///< chooses files
  void toggle_use() override;

private:
  void refresh();
  /// What a picture or a paper belongs to.
  Cell belongs_to(const SourceContent &c) const;
  QString edit(const std::string &id, int column, const QString &value);
  QStackedWidget *stack_;
  TableCard *occupations_, *sources_, *drops_;
  ListsToRead *lists_;
  FieldPart *field_;
  WatchPart *watched_;
  ArchivePart *archive_;
  QWidget *empty_;
  bool key_in_ = false; ///< the field sheet is wanted although no file came yet
  int part_drops_, part_lists_, part_field_, part_watched_, part_archive_;
};

} // namespace ampletie::app
