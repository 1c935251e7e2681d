#pragma once
#include "app/widgets/sheet.h"

namespace ampletie::app {
class ClosurePlot;
class TableCard;
class TrackPart;

/// Vectors with the plan and the residuals of the chosen one; tracks of moving receivers.
class GnssSheet : public Sheet {
  Q_OBJECT
public:
  explicit GnssSheet(Workspace &w, QWidget *parent = nullptr);
  void act() override { w_.solve(); }
  /// Uses or leaves out the selected vector (the space bar).
  void toggle_use() override;

private:
  void refresh();
  void fill_vectors();
  void fill_occupations();
  void fill_closures();
  void choose_closure(const std::string &id);
  TableCard *vectors_, *occupations_, *closures_;
  QStackedWidget *stack_;
  ClosurePlot *closure_plot_;
  TrackPart *tracks_;
  int first_part_ = 0; ///< that the job's results would be shown in
};

} // namespace ampletie::app
