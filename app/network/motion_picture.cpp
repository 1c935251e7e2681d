#include "app/network/motion_picture.h"
#include "app/widgets/painting.h"
#include "app/widgets/year_strip.h"
#include <algorithm>
#include <cmath>

namespace ampletie::app {
namespace {
constexpr double within95 = 1.960;
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

void MotionPicture::draw_strip(QPainter &p, int axis) const {
  YearStrip s{YearStrip::area_of(rect(), axis), 0, 0, mark_.series.front().year, mark_.series.back().year};
  for (const MarkMotion::Time &t : mark_.series) {
    const double bar = within95 * std::sqrt(std::max(0.0, t.cov(axis, axis)));
    s.low = std::min(s.low, t.at[axis] - bar), s.high = std::max(s.high, t.at[axis] + bar);
  }
  const double room = 0.08 * (s.high - s.low) + 1e-5, margin = 0.06 * (s.last - s.first) + 0.02;
  s.low -= room, s.high += room, s.first -= margin, s.last += margin;
  s.draw_axes(p, axis);
  const QColor colour = mark_.stands ? ink::accepted : ink::failed;
  const auto line = [&](double year) {
    const MarkMotion::Time &t = mark_.series.front();
    return t.at[axis] - t.residual[axis] + mark_.velocity[axis] * (year - t.year);
  };
  p.setPen(QPen(colour, 1.4));
  p.setClipRect(s.area);
  p.drawLine(QPointF(s.x(s.first), s.y(line(s.first))), QPointF(s.x(s.last), s.y(line(s.last))));
  p.setClipping(false);
  for (const MarkMotion::Time &t : mark_.series) {
    const double bar = within95 * std::sqrt(std::max(0.0, t.cov(axis, axis)));
    p.setPen(QPen(ink::text, 1.2));
    p.drawLine(QPointF(s.x(t.year), s.y(t.at[axis] - bar)), QPointF(s.x(t.year), s.y(t.at[axis] + bar)));
    p.setBrush(ink::panel);
    p.drawEllipse(QPointF(s.x(t.year), s.y(t.at[axis])), 3.5, 3.5);
  }
  s.draw_rate(p, mark_.velocity[axis], std::sqrt(std::max(0.0, mark_.cov(axis, axis))), colour);
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
  for (int axis = 0; axis < 3; ++axis) draw_strip(p, axis);
}

} // namespace ampletie::app
