#pragma once
#include "app/widgets/picture.h"
#include "results/residual_patterns.h"
#include <QRectF>

namespace ampletie::app {

/// Residuals against length, height difference, bearing and time, a small picture each: as many as there is room for,
/// those that follow something first. A click on a point selects its observation.
class PatternStrip : public Picture {
  Q_OBJECT
public:
  explicit PatternStrip(QWidget *parent = nullptr);
  void set(std::vector<ResidualPattern> patterns);
  QSize sizeHint() const override { return {640, 150}; }
  int shown() const; ///< pictures that there is room for
  /// Place of a point on the widget, for tests.
  QPointF place(int picture, std::size_t point) const;

protected:
  void paintEvent(QPaintEvent *) override;
  std::string thing_at(const QPointF &at) const override;

private:
  struct Scale {
    QRectF area;
    double x0 = 0, x1 = 1, v = 1; ///< v: what the upper edge means, m
    QPointF at(const ResidualPattern::Point &p) const;
  };
  Scale scale(int picture) const;
  void draw(QPainter &p, int picture) const;
  std::vector<ResidualPattern> all_;
};

} // namespace ampletie::app
