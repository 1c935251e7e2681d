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

/// Phase residuals of the selected vector, a row per satellite; drag over a span of a row to leave it out.
class ResidualChart : public QWidget {
  Q_OBJECT
public:
  explicit ResidualChart(Workspace &w, QWidget *parent = nullptr);

protected:
  void paintEvent(QPaintEvent *) override;
  void mousePressEvent(QMouseEvent *e) override;
  void mouseMoveEvent(QMouseEvent *e) override;
  void mouseReleaseEvent(QMouseEvent *e) override;

private:
  const VectorResult *shown() const;
  std::vector<SatId> satellites(const VectorResult &v) const;
  QRectF area() const;
  Workspace &w_;
  int drag_row_ = -1;
  double drag_from_ = 0, drag_to_ = 0;
};

} // namespace ampletie::app
