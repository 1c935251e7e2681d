#pragma once
#include "app/workspace.h"
#include <QWidget>

namespace ampletie::app {

/// The sky over the second mark of the chosen vector: tracks of the satellites that were used, north up, the horizon
/// outside. Stretches with large residuals are drawn thick and dashed. A click on a track chooses the satellite.
class SkyPlot : public QWidget {
  Q_OBJECT
public:
  explicit SkyPlot(Workspace &w, QWidget *parent = nullptr);
  void highlight(std::optional<SatId> sat);

Q_SIGNALS:
  void satellite_chosen(std::optional<ampletie::SatId> sat);

protected:
  void paintEvent(QPaintEvent *) override;
  void mousePressEvent(QMouseEvent *e) override;

private:
  QPointF place(double azimuth, double elevation) const;
  Workspace &w_;
  std::optional<SatId> highlighted_;
};

/// Number of satellites and dilution of precision over time.
class CountChart : public QWidget {
  Q_OBJECT
public:
  explicit CountChart(Workspace &w, QWidget *parent = nullptr);

protected:
  void paintEvent(QPaintEvent *) override;

private:
  Workspace &w_;
};

} // namespace ampletie::app
