#pragma once
#include "app/widgets/sheet.h"

namespace ampletie::app {
class TableCard;

/// The job's settings, searchable, each with a sentence.
class SettingsSheet : public Sheet {
  Q_OBJECT
public:
  explicit SettingsSheet(Workspace &w, QWidget *parent = nullptr);

private:
  void refresh();
  TableCard *table_;
};

} // namespace ampletie::app
