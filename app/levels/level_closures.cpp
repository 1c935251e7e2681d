#include "app/levels/level_closures.h"
#include "app/widgets/closure_mark.h"
#include "app/widgets/painting.h"
#include <QMouseEvent>
#include <QPainterPath>
#include <cmath>

namespace ampletie::app {
namespace {
/// A round step that divides a range into about `parts`.
double step_for(double range, int parts) {
  const double raw = range / parts, power = std::pow(10, std::floor(std::log10(raw)));
  for (double f : {1.0, 2.0, 5.0})
    if (raw <= f * power) return f * power;
  return 10 * power;
}
} // namespace

LevelClosures::LevelClosures(QWidget *parent) : Picture(parent) {
  setAccessibleName("Level closures");
  setObjectName("level closures");
  setMinimumSize(260, 200);
}

void LevelClosures::set(std::vector<PlottedLevelClosure> closures, double k) {
  all_ = std::move(closures);
  k_ = k;
  most_km_ = 0.1;
  for (const auto &c : all_) most_km_ = std::max(most_km_, c.km);
  most_km_ *= 1.08;
  // A gross mistake must not flatten the rest: far beyond the limit points sit at the edge.
  const double envelope = std::max(k_ * std::sqrt(most_km_), 0.1);
  most_mm_ = envelope * 1.3;
  for (const auto &c : all_) most_mm_ = std::max(most_mm_, std::min(1100 * std::abs(c.value), 2.4 * envelope));
  update();
}

QRectF LevelClosures::field() const { return QRectF(rect()).adjusted(48, 34, -14, -46); }

QPointF LevelClosures::at(double km, double mm) const {
  const QRectF f = field();
  return {f.left() + f.width() * km / most_km_, f.center().y() - f.height() / 2 * std::clamp(mm / most_mm_, -1.0, 1.0)};
}

QPointF LevelClosures::place(const PlottedLevelClosure &c) const { return at(c.km, 1000 * c.value); }

QPointF LevelClosures::place(const std::string &id) const {
  for (const auto &c : all_)
    if (c.id == id) return place(c);
  return {};
}

void LevelClosures::paintEvent(QPaintEvent *) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  draw_card(p, rect());
  p.setFont(sized(9, true));
  p.setPen(ink::text);
  p.drawText(QPointF(12, 20), "Misclosure against length");
  p.setFont(sized(8));
  if (all_.empty()) {
    p.setPen(ink::unused);
    p.drawText(rect().adjusted(16, 30, -16, -16), Qt::AlignCenter | Qt::TextWordWrap,
               "Nothing closes yet: lines between known heights, loops and sections run both ways appear here.");
    return;
  }
  const QRectF f = field();
  if (k_ > 0) {
    QPainterPath band;
    for (int side : {1, -1})
      for (int i = 0; i <= 60; ++i) {
        const double t = (side > 0 ? i : 60 - i) / 60.0, km = most_km_ * t * t; // steep at the start
        const QPointF q = at(km, side * k_ * std::sqrt(km));
        side > 0 && i == 0 ? band.moveTo(q) : band.lineTo(q);
      }
    p.setPen(QPen(ink::attention, 1.2, Qt::DashLine));
    p.setBrush(QColor("#FBFAF7"));
    p.drawPath(band);
  }
  p.setPen(QPen(ink::hairline, 1));
  p.drawLine(QPointF(f.left(), f.center().y()), QPointF(f.right(), f.center().y()));
  p.drawLine(f.topLeft(), f.bottomLeft());
  p.setPen(ink::unused);
  const double step = step_for(2 * most_mm_, 6);
  for (double mm = -std::floor(most_mm_ / step) * step; mm <= most_mm_; mm += step) {
    const QPointF q = at(0, mm);
    p.drawLine(q - QPointF(3, 0), q);
    p.drawText(QRectF(4, q.y() - 8, 38, 16), Qt::AlignRight | Qt::AlignVCenter,
               std::abs(mm) < step / 2 ? QString("0") : (mm < 0 ? "−" : "+") + QString::number(std::abs(mm)));
  }
  const double km_step = step_for(most_km_, 6);
  for (double km = 0; km <= most_km_; km += km_step) {
    const QPointF q(at(km, 0).x(), f.bottom());
    p.drawLine(q, q + QPointF(0, 3));
    p.drawText(QRectF(q.x() - 24, q.y() + 4, 48, 14), Qt::AlignCenter, QString::number(km));
  }
  p.drawText(QRectF(f.right() - 30, f.center().y() - 16, 30, 14), Qt::AlignRight, "km");
  p.drawText(QPointF(8, 32), "mm");
  if (k_ > 0)
    p.drawText(QRectF(f.right() - 150, at(most_km_, k_ * std::sqrt(most_km_)).y() - 17, 150, 14), Qt::AlignRight,
               QString("limit %1 mm/√km").arg(k_));
  const PlottedLevelClosure *chosen = nullptr;
  for (const bool top : {false, true})
    for (const PlottedLevelClosure &c : all_) {
      if ((c.id == selected_) != top) continue;
      if (top) chosen = &c;
      const QColor colour = !c.used ? ink::unused : c.closes() ? ink::accepted : ink::failed;
      const QPointF q = place(c);
      p.setPen(QPen(colour, top ? 2.4 : 1.5, c.used ? Qt::SolidLine : Qt::DotLine));
      p.setBrush(top ? colour : ink::panel);
      draw_closure_mark(p, q, c.closes() || !c.used, 4, 4.5);
    }
  p.setPen(chosen ? ink::text : ink::unused);
  const QString words = chosen ? QString("%1%2 mm over %3 km, limit %4 mm · %5")
                                     .arg(chosen->value < 0 ? "−" : "+")
                                     .arg(std::abs(chosen->value) * 1000, 0, 'f', 2)
                                     .arg(chosen->km, 0, 'f', 3)
                                     .arg(chosen->limit * 1000, 0, 'f', 2)
                                     .arg(chosen->name)
                               : QString("○ closes   ✕ misses   dotted: left out");
  p.drawText(QRectF(12, height() - 22, width() - 24, 16), Qt::AlignLeft | Qt::AlignVCenter,
             QFontMetricsF(p.font()).elidedText(words, Qt::ElideRight, width() - 24));
}

std::string LevelClosures::thing_at(const QPointF &at) const {
  const auto *c = nearest(all_, at, [&](const PlottedLevelClosure &x) { return place(x); });
  return c ? c->id : std::string();
}

} // namespace ampletie::app
