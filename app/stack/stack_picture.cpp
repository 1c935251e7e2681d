#include "app/stack/stack_picture.h"
#include "app/widgets/numbers.h"
#include "app/widgets/painting.h"
#include <QHelpEvent>
#include <QToolTip>
#include <algorithm>

namespace ampletie::app {

StackPicture::StackPicture(QWidget *parent) : Picture(parent) {
  setAccessibleName("Mark over the days");
  setObjectName("stack picture");
  setMinimumSize(300, 260);
}

void StackPicture::set(std::shared_ptr<const Stacked> all, const StackedMark *mark, const QString &words) {
  all_ = std::move(all), mark_ = mark, words_ = words;
  setAccessibleDescription(
      mark ? QString("%1 on %2 days").arg(text(all_->files.input.marks[mark->mark])).arg(mark->series.size()) : words);
  update();
}

YearStrip StackPicture::strip(int axis) const {
  YearStrip s{YearStrip::area_of(rect(), axis), 1e9, -1e9, year(mark_->series.front()), year(mark_->series.back())};
  for (const StackedDay &d : mark_->series)
    if (!d.outlier) s.low = std::min(s.low, d.at[axis]), s.high = std::max(s.high, d.at[axis]);
  if (s.low > s.high) s.low = s.high = 0;
  const double room = 0.06 * (s.high - s.low) + 1e-3, margin = 0.03 * (s.last - s.first) + 0.02;
  s.low -= room, s.high += room, s.first -= margin, s.last += margin;
  return s;
}

void StackPicture::draw_strip(QPainter &p, int axis) const {
  const YearStrip s = strip(axis);
  s.draw_axes(p, axis);
  const auto upright = [&](double when, const QColor &colour, Qt::PenStyle style) {
    p.setPen(QPen(colour, 1.3, style));
    p.drawLine(QPointF(s.x(when), s.area.top()), QPointF(s.x(when), s.area.bottom()));
  };
  for (const auto &step : mark_->steps) upright(step.first, ink::attention, Qt::DashLine);
  if (all_->stack.jumped() == mark_) upright(all_->stack.suspected->year, ink::failed, Qt::DotLine);
  p.setClipRect(s.area.adjusted(-1, -1, 1, 1));
  const double size = mark_->series.size() > 400 ? 1.2 : 1.8;
  for (const StackedDay &d : mark_->series) {
    // What lies outside the strip stands at its edge.
    const QPointF at(s.x(year(d)), std::clamp(s.y(d.at[axis]), s.area.top() + 3, s.area.bottom() - 3));
    if (d.outlier) {
      p.setPen(QPen(ink::failed, 1.2));
      p.drawLine(at + QPointF(-3, -3), at + QPointF(3, 3));
      p.drawLine(at + QPointF(-3, 3), at + QPointF(3, -3));
    } else {
      p.setPen(Qt::NoPen);
      p.setBrush(ink::text);
      p.drawEllipse(at, size, size);
    }
    if (name(d) == selected_) {
      p.setPen(QPen(ink::accepted, 1.6));
      p.setBrush(Qt::NoBrush);
      p.drawEllipse(at, 5, 5);
    }
  }
  QPolygonF model;
  for (const StackedDay &d : mark_->series) model << QPointF(s.x(year(d)), s.y(d.at[axis] - d.residual[axis]));
  p.setPen(QPen(ink::accepted, 1.5));
  p.drawPolyline(model);
  p.setClipping(false);
  s.draw_rate(p, mark_->velocity[axis], mark_->velocity_sd[axis], ink::accepted);
}

void StackPicture::paintEvent(QPaintEvent *) {
  QPainter p(this);
  draw_card(p, rect());
  if (!mark_ || mark_->series.empty()) {
    p.setPen(ink::unused);
    p.drawText(QRectF(rect()).adjusted(20, 10, -20, -10), Qt::AlignCenter | Qt::TextWordWrap, words_);
    return;
  }
  p.setPen(ink::text);
  p.setFont(sized(9, true));
  p.drawText(QPointF(12, 18), text(all_->files.input.marks[mark_->mark]));
  p.setPen(ink::unused);
  p.setFont(sized(8));
  p.drawText(QRectF(60, 6, width() - 72, 16), Qt::AlignRight | Qt::AlignVCenter,
             QString("mm from its place at %1").arg(all_->stack.epoch, 0, 'f', 2));
  for (int axis = 0; axis < 3; ++axis) draw_strip(p, axis);
}

const StackedDay *StackPicture::day_at(const QPointF &at) const {
  if (!mark_ || mark_->series.empty()) return nullptr;
  const StackedDay *best = nullptr;
  double within = 8;
  for (int axis = 0; axis < 3; ++axis) {
    const YearStrip s = strip(axis);
    if (at.y() < s.area.top() - 4 || at.y() > s.area.bottom() + 4) continue;
    for (const StackedDay &d : mark_->series) {
      const double away = std::hypot(s.x(year(d)) - at.x(),
                                     std::clamp(s.y(d.at[axis]), s.area.top() + 3, s.area.bottom() - 3) - at.y());
      if (away < within) within = away, best = &d;
    }
  }
  return best;
}

std::string StackPicture::thing_at(const QPointF &at) const {
  const StackedDay *d = day_at(at);
  return d ? name(*d) : std::string();
}

bool StackPicture::event(QEvent *e) {
  if (e->type() != QEvent::ToolTip) return Picture::event(e);
  const auto *help = static_cast<QHelpEvent *>(e);
  if (const StackedDay *d = day_at(help->pos()))
    QToolTip::showText(help->globalPos(),
                       QString("%1, %2\noff the line: E %3, N %4, U %5 mm%6")
                           .arg(text(name(*d)))
                           .arg(year(*d), 0, 'f', 3)
                           .arg(signed_mm(d->residual.x(), 1), signed_mm(d->residual.y(), 1),
                                signed_mm(d->residual.z(), 1), d->outlier ? "\ndid not fit and was not used" : ""));
  else
    QToolTip::hideText();
  return true;
}

} // namespace ampletie::app
