#pragma once
#include "app/widgets/sheet.h"

namespace ampletie::app {
class TableCard;

/// The log of decisions with their reasons.
class DecisionsSheet : public Sheet {
  Q_OBJECT
public:
  explicit DecisionsSheet(Workspace &w, QWidget *parent = nullptr);

private:
  void refresh();
  TableCard *table_;
};

} // namespace ampletie::app
