#pragma once
#include "app/widgets/sheet.h"

class QCustomPlot;
class QTextBrowser;

namespace ampletie::app {
class CausesPart;
class ChangePart;
class MotionPart;
class DesignPart;
class GeoidPart;
class GroupsPart;
class MeasuredPart;
class PatternStrip;
class TableCard;

/// The adjusted network: marks, residuals and set-ups with tests, the plan with ellipses.
class NetworkSheet : public Sheet {
  Q_OBJECT
public:
  explicit NetworkSheet(Workspace &w, QWidget *parent = nullptr);
  void act() override { w_.adjust(); }
  void toggle_use() override;

private:
  void make_tables();
  void connect_choices();
  const NetworkRun *run() const; ///< the adjustment that stands, if any
  void refresh();
  void fill_marks();
  void plot();
  TableCard *marks_, *residuals_, *setups_;
  GeoidPart *geoid_;
  GroupsPart *groups_;
  CausesPart *causes_;
  ChangePart *change_;
  MotionPart *motion_;
  DesignPart *design_;
  MeasuredPart *measured_;
  QStackedWidget *stack_;
  QTextBrowser *summary_;
  QCustomPlot *plot_;
  PatternStrip *patterns_;
};

} // namespace ampletie::app
