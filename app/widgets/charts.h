#pragma once
#include "app/workspace.h"
#include <QWidget>

namespace ampletie::app {

/// Occupations as bars on a common time axis, so that overlaps show. A click selects.
class OccupationChart : public QWidget {
  Q_OBJECT
public:
  explicit OccupationChart(Workspace &w, QWidget *parent = nullptr);

protected:
  void paintEvent(QPaintEvent *) override;
  void mousePressEvent(QMouseEvent *e) override;

private:
  struct Bar {
    QRectF box;
    std::string id;
  };
  std::vector<Bar> layout_bars(std::vector<std::pair<double, QString>> *ticks) const;
  Workspace &w_;
};

} // namespace ampletie::app
