#pragma once
#include "app/widgets/table.h"
#include "app/workspace.h"

class QPushButton;

namespace ampletie::app {

/// The bottom drawer: one list of doubts for the whole job, largest effect first. Closed it is one line.
class DoubtsDrawer : public QWidget {
  Q_OBJECT
public:
  explicit DoubtsDrawer(Workspace &w, QWidget *parent = nullptr);
  void toggle();
  bool is_open() const;

private:
  void refresh();
  Workspace &w_;
  QPushButton *bar_;
  TableCard *table_;
};

} // namespace ampletie::app
