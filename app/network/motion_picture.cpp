#include "app/network/motion_picture.h"
#include "app/widgets/numbers.h"
#include "app/widgets/painting.h"
#include <algorithm>
#include <cmath>

namespace ampletie::app {
namespace {
constexpr const char *axes[] = {"East", "North", "Up"};
constexpr double within95 = 1.960;

/// Years between marks of the axis so that their figures have room.
double year_step(double span, double wide) {
  for (double step : {0.25, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0})
    if (wide * step / span > 44) return step;
  return 50;
}
} // namespace

MotionPicture::MotionPicture(QWidget *parent) : QWidget(parent) {
  setAccessibleName("Mark over the years");
  setObjectName("motion picture");
  setMinimumSize(300, 260);
}

void MotionPicture::set(const MarkMotion *mark, const QString &words) {
  mark_ = mark ? *mark : MarkMotion();
  words_ = words;
  setAccessibleDescription(mark ? QString("%1 at %2 times").arg(text(mark_.name)).arg(mark_.times) : words);
  update();
}

void MotionPicture::draw_strip(QPainter &p, const QRectF &a, int axis) const {
  double low = 0, high = 0, first = mark_.series.front().year, last = mark_.series.back().year;
  for (const MarkMotion::Time &t : mark_.series) {
    const double bar = within95 * std::sqrt(std::max(0.0, t.cov(axis, axis)));
    low = std::min(low, t.at[axis] - bar), high = std::max(high, t.at[axis] + bar);
  }
  const double room = 0.08 * (high - low) + 1e-5, margin = 0.06 * (last - first) + 0.02;
  low -= room, high += room, first -= margin, last += margin;
  const auto x = [&](double year) { return a.left() + a.width() * (year - first) / (last - first); };
  const auto y = [&](double m) { return a.bottom() - a.height() * (m - low) / (high - low); };
  p.setFont(sized(8));
  const double step = year_step(last - first, a.width());
  for (double year = std::ceil(first / step) * step; year <= last; year += step) {
    p.setPen(QPen(faint, 1));
    p.drawLine(QPointF(x(year), a.top()), QPointF(x(year), a.bottom()));
    if (axis < 2) continue;
    p.setPen(ink::unused);
    p.drawText(QRectF(x(year) - 30, a.bottom() + 3, 60, 14), Qt::AlignCenter, QString::number(year, 'g', 7));
  }
  p.setPen(QPen(ink::hairline, 1, Qt::DashLine));
  p.drawLine(QPointF(a.left(), y(0)), QPointF(a.right(), y(0)));
  const QColor colour = mark_.stands ? ink::accepted : ink::failed;
  const auto line = [&](double year) {
    const MarkMotion::Time &t = mark_.series.front();
    return t.at[axis] - t.residual[axis] + mark_.velocity[axis] * (year - t.year);
  };
  p.setPen(QPen(colour, 1.4));
  p.setClipRect(a);
  p.drawLine(QPointF(x(first), y(line(first))), QPointF(x(last), y(line(last))));
  p.setClipping(false);
  for (const MarkMotion::Time &t : mark_.series) {
    const double bar = within95 * std::sqrt(std::max(0.0, t.cov(axis, axis)));
    p.setPen(QPen(ink::text, 1.2));
    p.drawLine(QPointF(x(t.year), y(t.at[axis] - bar)), QPointF(x(t.year), y(t.at[axis] + bar)));
    p.setBrush(ink::panel);
    p.drawEllipse(QPointF(x(t.year), y(t.at[axis])), 3.5, 3.5);
  }
  p.setPen(ink::text);
  p.setFont(sized(8.5, true));
  p.drawText(QPointF(a.left(), a.top() - 4), axes[axis]);
  p.setFont(sized(8.5));
  p.setPen(colour);
  p.drawText(QRectF(a.left() + 44, a.top() - 18, a.width() - 44, 16), Qt::AlignRight | Qt::AlignVCenter,
             QString("%1 ± %2 mm/yr")
                 .arg(signed_mm(mark_.velocity[axis], 1))
                 .arg(1000 * std::sqrt(std::max(0.0, mark_.cov(axis, axis))), 0, 'f', 1));
  // How tall the strip is.
  p.setPen(ink::unused);
  p.setFont(sized(7.5));
  p.drawText(QRectF(2, a.top() - 1, a.left() - 6, 12), Qt::AlignRight, signed_mm(high, 0));
  p.drawText(QRectF(2, a.bottom() - 11, a.left() - 6, 12), Qt::AlignRight, signed_mm(low, 0));
}

void MotionPicture::paintEvent(QPaintEvent *) {
  QPainter p(this);
  draw_card(p, rect());
  if (mark_.series.empty()) {
    p.setPen(ink::unused);
    p.drawText(QRectF(rect()).adjusted(20, 10, -20, -10), Qt::AlignCenter | Qt::TextWordWrap, words_);
    return;
  }
  p.setPen(ink::text);
  p.setFont(sized(9, true));
  p.drawText(QPointF(12, 18), text(mark_.name));
  p.setPen(ink::unused);
  p.setFont(sized(8));
  p.drawText(QRectF(40, 6, width() - 52, 16), Qt::AlignRight | Qt::AlignVCenter, "mm, bars 95 %");
  const double high = (height() - 48.0 - 18) / 3;
  for (int axis = 0; axis < 3; ++axis) draw_strip(p, QRectF(46, 46 + axis * high, width() - 62, high - 26), axis);
}

} // namespace ampletie::app
