#pragma once
#include "app/widgets/difference_picture.h"
#include "app/widgets/table.h"
#include "app/workspace.h"

class QLabel;

namespace ampletie::app {

/// The network against what lists publish and what does not hold it: each difference against what both are worth, and
/// what all have in common.
class ComparisonPart : public QWidget {
  Q_OBJECT
public:
  explicit ComparisonPart(Workspace &w, QWidget *parent = nullptr);
  void refresh();

protected:
  void showEvent(QShowEvent *e) override;

private:
  Workspace &w_;
  QLabel *words_;
  TableCard *table_;
  DifferencePicture *picture_;
};

} // namespace ampletie::app
