#pragma once
#include <QPainter>

namespace ampletie::app {

/// Where a closure stands in a picture: a ring when it closes, a cross when it misses.
inline void draw_closure_mark(QPainter &p, const QPointF &at, bool closes, double ring, double cross) {
  if (closes) {
    p.drawEllipse(at, ring, ring);
    return;
  }
  p.drawLine(at + QPointF(-cross, -cross), at + QPointF(cross, cross));
  p.drawLine(at + QPointF(-cross, cross), at + QPointF(cross, -cross));
}

} // namespace ampletie::app
