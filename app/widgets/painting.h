#pragma once
#include "app/widgets/theme.h"
#include "time/shown_time.h"
#include <QPainter>

namespace ampletie::app {

/// What the hand-drawn pictures share.
inline void draw_card(QPainter &p, const QRect &r) {
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(ink::hairline, 1));
  p.setBrush(ink::panel);
  p.drawRoundedRect(QRectF(r).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6);
}
/// A round step of a time axis that is not smaller than the seconds given.
inline double nice_step(double seconds) {
  for (double s : {60.0, 120.0, 300.0, 600.0, 900.0, 1800.0, 3600.0, 7200.0, 10800.0, 21600.0, 43200.0, 86400.0})
    if (s >= seconds) return s;
  return 604800;
}
/// Seconds from `first` to the first round instant at or after it.
inline double first_tick(GpsTime first, double step) {
  return std::ceil(first.time_of_week() / step) * step - first.time_of_week();
}
/// Colour of grid lines inside pictures.
inline const QColor faint{"#EEEAE0"};
/// Upright lines at round times with their hours below, and which time it is at the right end.
inline void draw_time_axis(QPainter &p, const QRectF &a, GpsTime first, double span, const TimeStyle &times) {
  const double step = nice_step(span * 80 / a.width());
  for (double s = first_tick(first, step); s <= span + 1; s += step) {
    const double at = a.left() + a.width() * s / span;
    p.setPen(QPen(faint, 1));
    p.drawLine(QPointF(at, a.top()), QPointF(at, a.bottom()));
    p.setPen(ink::unused);
    p.drawText(QRectF(at - 40, a.bottom() + 2, 80, 16), Qt::AlignCenter,
               QString::fromStdString(shown_clock(first + s, times)));
  }
  if (times.kind != TimeStyle::Kind::gps) {
    const std::string day =
        times.kind == TimeStyle::Kind::day_of_year ? ", day " + shown_day_clock(first, times).substr(0, 3) : "";
    p.drawText(QRectF(a.right() - 200, a.top() - 15, 198, 14), Qt::AlignRight,
               QString::fromStdString(time_scale_name(times) + day));
  }
}

} // namespace ampletie::app
