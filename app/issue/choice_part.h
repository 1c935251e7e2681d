#pragma once
#include "app/workspace.h"
#include <QWidget>

class QLabel;
class QLineEdit;
class QPushButton;

namespace ampletie::app {
class ColumnMenu;
class TableCard;

/// How control leaves the house: what is printed and how, and the second person who looks at it before.
class ChoicePart : public QWidget {
  Q_OBJECT
public:
  explicit ChoicePart(Workspace &w, QWidget *parent = nullptr);
  void refresh();

Q_SIGNALS:
  void refused(const QString &why);

private:
  QString edit(const std::string &setting, const QString &value);
  void sign();
  /// Who looked at the coordinates as they are now, in words.
  QString stands() const;
  Workspace &w_;
  TableCard *table_;
  ColumnMenu *columns_;
  QLabel *stands_;
  QLineEdit *by_, *looked_, *remark_;
  QPushButton *sign_;
};

} // namespace ampletie::app
