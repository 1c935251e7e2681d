#include "app/widgets/year_strip.h"
#include "app/widgets/numbers.h"
#include "app/widgets/painting.h"
#include <cmath>

namespace ampletie::app {
namespace {
/// Years between marks of the axis so that their figures have room.
double year_step(double span, double wide) {
  for (double step : {0.25, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0})
    if (wide * step / span > 44) return step;
  return 50;
}
} // namespace

QRectF YearStrip::area_of(const QRect &picture, int axis) {
  const double high = (picture.height() - 48.0 - 18) / 3;
  return QRectF(46, 46 + axis * high, picture.width() - 62, high - 26);
}

void YearStrip::draw_axes(QPainter &p, int axis) const {
  p.setFont(sized(8));
  const double step = year_step(last - first, area.width());
  for (double year = std::ceil(first / step) * step; year <= last; year += step) {
    p.setPen(QPen(faint, 1));
    p.drawLine(QPointF(x(year), area.top()), QPointF(x(year), area.bottom()));
    if (axis < 2) continue;
    p.setPen(ink::unused);
    p.drawText(QRectF(x(year) - 30, area.bottom() + 3, 60, 14), Qt::AlignCenter, QString::number(year, 'g', 7));
  }
  if (low < 0 && high > 0) {
    p.setPen(QPen(ink::hairline, 1, Qt::DashLine));
    p.drawLine(QPointF(area.left(), y(0)), QPointF(area.right(), y(0)));
  }
  p.setPen(ink::text);
  p.setFont(sized(8.5, true));
  p.drawText(QPointF(area.left(), area.top() - 4), names[static_cast<std::size_t>(axis)]);
  p.setPen(ink::unused);
  p.setFont(sized(7.5));
  p.drawText(QRectF(2, area.top() - 1, area.left() - 6, 12), Qt::AlignRight, signed_mm(high, 0));
  p.drawText(QRectF(2, area.bottom() - 11, area.left() - 6, 12), Qt::AlignRight, signed_mm(low, 0));
}

void YearStrip::draw_rate(QPainter &p, double rate, double sd, const QColor &colour) const {
  p.setFont(sized(8.5));
  p.setPen(colour);
  p.drawText(QRectF(area.left() + 44, area.top() - 18, area.width() - 44, 16), Qt::AlignRight | Qt::AlignVCenter,
             QString("%1 ± %2 mm/yr").arg(signed_mm(rate, 1)).arg(1000 * sd, 0, 'f', 1));
}

} // namespace ampletie::app
