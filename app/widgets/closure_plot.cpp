#include "app/widgets/closure_plot.h"
#include "app/widgets/closure_mark.h"
#include "app/widgets/painting.h"
#include <QMouseEvent>
#include <cmath>

namespace ampletie::app {
namespace {
constexpr double beyond = 1.45; ///< times the limit: where larger ones are cut off
constexpr double height_strip = 54;
} // namespace

ClosurePlot::ClosurePlot(QWidget *parent) : Picture(parent) {
  setAccessibleName("Closure plot");
  setObjectName("closure plot");
  setMinimumSize(220, 200);
}

void ClosurePlot::set(std::vector<PlottedClosure> closures) {
  all_ = std::move(closures);
  update();
}

double ClosurePlot::radius() const {
  return std::max(20.0, std::min(width() - height_strip - 40.0, height() - 72.0) / 2 / beyond);
}
QPointF ClosurePlot::middle() const { return {14 + radius() * beyond, 16 + height() / 2.0}; }

QPointF ClosurePlot::head(const PlottedClosure &c) const {
  QPointF v(c.east / c.limit, -c.north / c.limit);
  if (const double size = std::hypot(v.x(), v.y()); size > beyond) v *= beyond / size;
  return middle() + radius() * v;
}
QPointF ClosurePlot::head(const std::string &id) const {
  for (const auto &c : all_)
    if (c.id == id) return head(c);
  return {};
}

void ClosurePlot::paintEvent(QPaintEvent *) {
  QPainter p(this);
  draw_card(p, rect());
  p.setFont(sized(9, true));
  p.setPen(ink::text);
  p.drawText(QPointF(12, 20), "Closures against their limits");
  p.setFont(sized(8));
  if (all_.empty()) {
    p.setPen(ink::unused);
    p.drawText(rect().adjusted(16, 30, -16, -16), Qt::AlignCenter | Qt::TextWordWrap,
               "Nothing closes yet: loops and repeated vectors appear here.");
    return;
  }
  const QPointF m = middle();
  const double r = radius(), full = r * beyond;
  p.setBrush(QColor("#FBFAF7"));
  p.setPen(Qt::NoPen);
  p.drawEllipse(m, r, r);
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(faint, 1));
  p.drawEllipse(m, r / 2, r / 2);
  p.drawLine(QPointF(m.x() - full, m.y()), QPointF(m.x() + full, m.y()));
  p.drawLine(QPointF(m.x(), m.y() - full), QPointF(m.x(), m.y() + full));
  p.setPen(QPen(ink::attention, 1.2, Qt::DashLine));
  p.drawEllipse(m, r, r);
  p.setPen(ink::unused);
  p.drawText(QPointF(m.x() + 3, m.y() - r - 3), "limit");
  p.drawText(QRectF(m.x() - 8, m.y() - full - 12, 16, 12), Qt::AlignCenter, "N");
  p.drawText(QRectF(m.x() + full, m.y() - 7, 12, 14), Qt::AlignCenter, "E");
  // The strip of heights.
  const double x = m.x() + full + 36;
  p.drawText(QRectF(x - 24, m.y() - full - 14, 48, 12), Qt::AlignCenter, "height");
  p.setPen(QPen(ink::hairline, 1));
  p.drawLine(QPointF(x, m.y() - full), QPointF(x, m.y() + full));
  for (double at : {-1.0, 0.0, 1.0}) {
    p.setPen(at == 0 ? QPen(ink::hairline, 1) : QPen(ink::attention, 1.2, Qt::DashLine));
    p.drawLine(QPointF(x - 16, m.y() - r * at), QPointF(x + 16, m.y() - r * at));
  }
  const PlottedClosure *chosen = nullptr;
  for (const bool top : {false, true})
    for (const PlottedClosure &c : all_) {
      if ((c.id == selected_) != top) continue;
      if (top) chosen = &c;
      const QColor colour = !c.closes ? ink::failed : c.checks ? ink::accepted : ink::unused;
      p.setPen(QPen(colour, top ? 2.6 : 1.3, c.checks ? Qt::SolidLine : Qt::DotLine));
      const QPointF h = head(c);
      p.drawLine(m, h);
      p.setBrush(top ? colour : ink::panel);
      p.setPen(QPen(colour, 1.4));
      const double up = std::clamp(c.up / c.limit, -beyond, beyond);
      const QPointF at(x, m.y() - r * up);
      for (const QPointF &q : {h, at}) draw_closure_mark(p, q, c.closes, 3.2, 4);
    }
  p.setPen(ink::text);
  const QString line = chosen ? QString("%1: E %2  N %3  up %4 mm, limit %5 mm")
                                    .arg(chosen->name)
                                    .arg(chosen->east * 1000, 0, 'f', 1)
                                    .arg(chosen->north * 1000, 0, 'f', 1)
                                    .arg(chosen->up * 1000, 0, 'f', 1)
                                    .arg(chosen->limit * 1000, 0, 'f', 1)
                              : "dotted: could not have shown a wrong set-up";
  if (!chosen) p.setPen(ink::unused);
  p.drawText(QRectF(12, height() - 22, width() - 24, 16), Qt::AlignLeft | Qt::AlignVCenter,
             QFontMetricsF(p.font()).elidedText(line, Qt::ElideMiddle, width() - 24));
}

std::string ClosurePlot::thing_at(const QPointF &at) const {
  const auto *c = nearest(all_, at, [&](const PlottedClosure &x) { return head(x); });
  return c ? c->id : std::string();
}

} // namespace ampletie::app
