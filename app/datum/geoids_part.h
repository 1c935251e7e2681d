#pragma once
#include "app/widgets/difference_picture.h"
#include "app/widgets/table.h"
#include "app/workspace.h"

class QComboBox;
class QLabel;

namespace ampletie::app {

/// Another geoid of the job against the one in use: at each mark, what all have in common, and what is left of it.
class GeoidsPart : public QWidget {
  Q_OBJECT
public:
  explicit GeoidsPart(Workspace &w, QWidget *parent = nullptr);
  void refresh();

protected:
  void showEvent(QShowEvent *e) override;

private:
  Workspace &w_;
  QComboBox *other_;
  QLabel *words_;
  TableCard *table_;
  DifferencePicture *picture_;
};

} // namespace ampletie::app
