#pragma once
#include "app/workspace.h"
#include <QWidget>

class QLineEdit;

namespace ampletie::app {
class TableCard;

/// The field sheet: occupations as the crew wrote them down, keyed in before their files come; each with the file that
/// it is of. What differs is a doubt.
class FieldPart : public QWidget {
  Q_OBJECT
public:
  explicit FieldPart(Workspace &w, QWidget *parent = nullptr);
  /// How many entries there are.
  int refresh();

Q_SIGNALS:
  void refused(const QString &why);

private:
  void add();
  Workspace &w_;
  TableCard *table_;
  QLineEdit *mark_, *height_, *point_, *start_, *stop_;
};

} // namespace ampletie::app
