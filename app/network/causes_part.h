#pragma once
#include "app/widgets/table.h"
#include "app/workspace.h"

class QLabel;

namespace ampletie::app {

/// What would make the network agree: mistakes that were tried, alone and two at once, with what each leaves and moves.
class CausesPart : public QWidget {
  Q_OBJECT
public:
  explicit CausesPart(Workspace &w, QWidget *parent = nullptr);

private:
  void refresh();
  Workspace &w_;
  QLabel *words_;
  TableCard *table_;
};

} // namespace ampletie::app
