#include "app/widgets/plan_labels.h"
#include "app/widgets/theme.h"
#include <QPainterPath>
#include <algorithm>
#include <cmath>

namespace ampletie::app {

TakenPlaces::TakenPlaces(QSizeF size)
    : columns_(static_cast<int>(size.width() / cell) + 1), rows_(static_cast<int>(size.height() / cell) + 1),
      taken_(static_cast<std::size_t>(columns_ * rows_)) {}

template <class F> void TakenPlaces::cells(const QRectF &r, F f) const {
  const auto at = [](double x, int n) { return std::clamp(static_cast<int>(std::floor(x / cell)), 0, n - 1); };
  for (int y = at(r.top(), rows_); y <= at(r.bottom(), rows_); ++y)
    for (int x = at(r.left(), columns_); x <= at(r.right(), columns_); ++x)
      f(static_cast<std::size_t>(y * columns_ + x));
}

void TakenPlaces::take(const QRectF &r) {
  cells(r, [&](std::size_t i) { taken_[i].push_back(r); });
}

bool TakenPlaces::meets(const QRectF &r, QPointF own) const {
  bool out = false;
  cells(r, [&](std::size_t i) {
    out = out || std::any_of(taken_[i].begin(), taken_[i].end(),
                             [&](const QRectF &t) { return t.intersects(r) && !t.contains(own); });
  });
  return out;
}

std::optional<QRectF> room_for_name(QPointF c, QSizeF size, QSizeF plan, const TakenPlaces &taken) {
  const double w = size.width(), h = size.height();
  const auto free = [&](const QRectF &r) {
    return r.left() > 2 && r.right() < plan.width() - 2 && r.top() > 2 && r.bottom() < plan.height() - 2 &&
           !taken.meets(r, c);
  };
  for (const QPointF &o : {QPointF(10, -h - 2), QPointF(10, 3), QPointF(-w - 10, -h - 2), QPointF(-w - 10, 3),
                           QPointF(-w / 2, -h - 10), QPointF(-w / 2, 9)})
    if (const QRectF r(c + o, size); free(r)) return r;
  // In a crowd further away, on a line of its own.
  for (double away : {24.0, 34.0, 46.0})
    for (int k = 0; k < 12; ++k) {
      const QPointF direction(std::cos(k * M_PI / 6 - M_PI / 4), std::sin(k * M_PI / 6 - M_PI / 4));
      const QPointF middle = c + QPointF(direction.x() * (away + w / 2), direction.y() * (away + h / 2));
      if (const QRectF r(middle - QPointF(w / 2, h / 2), size); free(r)) return r;
    }
  return {};
}

QPixmap PlanStamps::empty(const QPainter &p, QSizeF size) {
  const double ratio = p.device()->devicePixelRatioF();
  QPixmap out((size * ratio).toSize() + QSize(1, 1));
  out.setDevicePixelRatio(ratio);
  out.fill(Qt::transparent);
  return out;
}

void PlanStamps::draw_name(QPainter &p, const QRectF &where, const QString &name) {
  if (kept_.size() > 6000) kept_.clear();
  constexpr double edge = 3; // px around the letters
  const QFont font = p.font();
  const double descent = QFontMetricsF(font).descent();
  const QPixmap &stamp = symbol("name " + name, p, where.size() + QSizeF(2 * edge, 2 * edge), [&](QPainter &q) {
    const QPointF base(-where.width() / 2, where.height() / 2 - descent);
    q.setFont(font);
    // The letters themselves all around: stroking their outlines takes ten times as long.
    q.setPen(QColor(255, 255, 255, 200));
    for (const QPointF off : {QPointF(1.7, 0), QPointF(-1.7, 0), QPointF(0, 1.7), QPointF(0, -1.7), QPointF(1.2, 1.2),
                              QPointF(-1.2, 1.2), QPointF(1.2, -1.2), QPointF(-1.2, -1.2)})
      q.drawText(base + off, name);
    q.setPen(ink::text);
    q.drawText(base, name);
  });
  // On whole pixels, so that letters stay sharp.
  p.drawPixmap(QPointF(std::round(where.left() - edge), std::round(where.top() - edge)), stamp);
}

} // namespace ampletie::app
