#pragma once
#include "app/judge.h"
#include "app/widgets/difference_picture.h"
#include "app/widgets/table.h"
#include "app/workspace.h"

class QComboBox;
class QLabel;

namespace ampletie::app {

/// What moved since a record among the sources was issued: table, arrows with their ellipses, and the smallest movement
/// that would have been seen. Computed beside the window while it can be seen.
class ChangePart : public QWidget {
  Q_OBJECT
public:
  explicit ChangePart(Workspace &w, QWidget *parent = nullptr);
  ~ChangePart() override;
  void refresh();

protected:
  void showEvent(QShowEvent *e) override;

private:
  void show_change();
  Workspace &w_;
  QComboBox *record_;
  QLabel *words_;
  TableCard *table_;
  DifferencePicture *picture_;
  std::unique_ptr<Judge> judge_;
};

} // namespace ampletie::app
