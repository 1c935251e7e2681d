#pragma once
#include "network/motion.h"
#include <QWidget>

namespace ampletie::app {

/// Where one mark was at each time: east, north and up over the years, with 95 % bars and the straight line through
/// them.
class MotionPicture : public QWidget {
  Q_OBJECT
public:
  explicit MotionPicture(QWidget *parent = nullptr);
  /// `middle`: the year that the line counts from. Null: nothing to draw, and why.
  void set(const MarkMotion *mark, double middle, const QString &words);

protected:
  void paintEvent(QPaintEvent *) override;

private:
  void draw_strip(QPainter &p, const QRectF &a, int axis) const;
  MarkMotion mark_;
  double middle_ = 0;
  QString words_;
};

} // namespace ampletie::app
