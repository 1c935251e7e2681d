#pragma once
#include "app/widgets/difference_picture.h"
#include "app/widgets/table.h"
#include "app/workspace.h"

class QLabel;

namespace ampletie::app {

/// Vectors and fixes that others measured: what each rests on, how it is weighed, and how far it lies from where the
/// network puts its mark, beside what both are worth.
class MeasuredPart : public QWidget {
  Q_OBJECT
public:
  explicit MeasuredPart(Workspace &w, QWidget *parent = nullptr);
  void refresh(); ///< the count at once, the rows while they can be seen
  int count() const { return count_; }
  /// Leaves the chosen one out, or uses it again.
  void toggle_use();

protected:
  void showEvent(QShowEvent *e) override;

private:
  Workspace &w_;
  QLabel *words_;
  TableCard *table_;
  DifferencePicture *picture_;
  int count_ = 0;
};

} // namespace ampletie::app
