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
  /// Null: nothing to draw; then `words` say why.
  void set(const MarkMotion *mark, const QString &words);

protected:
  void paintEvent(QPaintEvent *) override;

private:
  void draw_strip(QPainter &p, int axis) const;
  MarkMotion mark_;
  QString words_;
};

} // namespace ampletie::app
