#include "app/network/pattern_strip.h"
#include "app/widgets/numbers.h"
#include "app/widgets/painting.h"
#include "base/angle.h"
#include <QPainterPath>

namespace ampletie::app {
namespace {
constexpr int least_width = 168, gap = 8;

QString of_axis(PatternAxis a, double x) {
  switch (a) {
  case PatternAxis::bearing:
    return QString::number(degrees(x), 'f', 0) + "°";
  case PatternAxis::hours:
    return x >= 48 ? QString::number(x / 24, 'f', 0) + " d" : QString::number(x, 'f', 1) + " h";
  default:
    return std::abs(x) >= 10000  ? QString::number(x / 1000, 'f', 0) + " km"
           : std::abs(x) >= 1000 ? QString::number(x / 1000, 'f', 1) + " km"
                                 : QString::number(x, 'f', 0) + " m";
  }
}
} // namespace

PatternStrip::PatternStrip(QWidget *parent) : Picture(parent) {
  setAccessibleName("Residuals against length, height, bearing and time");
  setObjectName("residual patterns");
  setMinimumHeight(100);
  setMouseTracking(false);
}

void PatternStrip::set(std::vector<ResidualPattern> patterns) {
  all_ = std::move(patterns);
  QString words;
  for (const ResidualPattern &p : all_)
    if (p.shows()) words += QString("%1 %2. ").arg(text(p.kind), text(p.words()));
  setAccessibleDescription(words.isEmpty() ? "No residuals follow length, height difference, bearing or time" : words);
  setToolTip(words);
  update();
}

int PatternStrip::shown() const {
  return std::min(static_cast<int>(all_.size()), std::max(1, (width() + gap) / (least_width + gap)));
}

QPointF PatternStrip::Scale::at(const ResidualPattern::Point &p) const {
  return {area.left() + area.width() * (p.x - x0) / (x1 - x0), area.center().y() - area.height() / 2 * p.v / v};
}

PatternStrip::Scale PatternStrip::scale(int picture) const {
  const ResidualPattern &p = all_[static_cast<std::size_t>(picture)];
  const double w = (width() - gap * (shown() - 1)) / static_cast<double>(shown());
  Scale s;
  s.area = QRectF(picture * (w + gap) + 12, 34, w - 24, height() - 34 - 20);
  s.x0 = s.x1 = p.points.front().x, s.v = 1e-4;
  for (const auto &q : p.points)
    s.x0 = std::min(s.x0, q.x), s.x1 = std::max(s.x1, q.x), s.v = std::max(s.v, 1.1 * std::abs(q.v));
  if (p.against == PatternAxis::bearing) s.x0 = 0, s.x1 = 2 * pi;
  if (s.x1 - s.x0 < 1e-9) s.x1 = s.x0 + 1;
  return s;
}

QPointF PatternStrip::place(int picture, std::size_t point) const {
  return scale(picture).at(all_[static_cast<std::size_t>(picture)].points[point]);
}

void PatternStrip::paintEvent(QPaintEvent *) {
  QPainter p(this);
  if (all_.empty()) {
    draw_card(p, rect());
    p.setFont(sized(8.5));
    p.setPen(ink::unused);
    p.drawText(rect().adjusted(12, 8, -12, -8), Qt::AlignCenter | Qt::TextWordWrap,
               "With eight observations of a kind their residuals stand here against length, height difference, "
               "bearing and time.");
    return;
  }
  for (int i = 0; i < shown(); ++i) draw(p, i);
}

void PatternStrip::draw(QPainter &p, int picture) const {
  const ResidualPattern &pattern = all_[static_cast<std::size_t>(picture)];
  const Scale s = scale(picture);
  draw_card(p, s.area.adjusted(-12, -34, 12, 20).toAlignedRect().adjusted(0, 0, -1, 0));
  p.setFont(sized(8.5, true));
  p.setPen(ink::text);
  p.drawText(QPointF(s.area.left() - 3, 14), text(pattern.kind));
  p.setFont(sized(8));
  p.setPen(pattern.shows() ? ink::attention : ink::unused);
  p.drawText(QPointF(s.area.left() - 3, 27), pattern.shows() ? text("follow the " + axis_name(pattern.against))
                                                             : text("by " + axis_name(pattern.against)));
  p.setPen(QPen(ink::hairline, 1));
  p.drawLine(QPointF(s.area.left(), s.area.center().y()), QPointF(s.area.right(), s.area.center().y()));
  p.setPen(Qt::NoPen);
  const double r = pattern.points.size() > 200 ? 1.4 : 2.1;
  for (const auto &q : pattern.points) {
    p.setBrush(q.id == selected_ ? ink::attention : QColor(11, 110, 117, 150));
    p.drawEllipse(s.at(q), q.id == selected_ ? r + 2 : r, q.id == selected_ ? r + 2 : r);
  }
  if (pattern.shows()) {
    double x0 = 0;
    for (const auto &q : pattern.points) x0 += q.x / static_cast<double>(pattern.points.size());
    QPainterPath line;
    for (int k = 0; k <= 40; ++k) {
      const double x = s.x0 + (s.x1 - s.x0) * k / 40;
      const double v = pattern.against == PatternAxis::bearing
                           ? pattern.mean + pattern.slope * std::cos(x - pattern.phase)
                           : pattern.mean + pattern.slope * (x - x0);
      const QPointF at = s.at({x, std::clamp(v, -s.v, s.v), {}});
      k ? line.lineTo(at) : line.moveTo(at);
    }
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(ink::attention, 1.8));
    p.drawPath(line);
  }
  p.setFont(sized(7.5));
  p.setPen(ink::unused);
  const QRectF foot(s.area.left() - 3, s.area.bottom() + 3, s.area.width() + 6, 14);
  p.drawText(foot, Qt::AlignLeft, of_axis(pattern.against, s.x0));
  p.drawText(foot, Qt::AlignRight, of_axis(pattern.against, s.x1));
  p.drawText(foot, Qt::AlignHCenter, QString("± %1 mm").arg(1000 * s.v, 0, 'f', s.v < 0.01 ? 1 : 0));
}

std::string PatternStrip::thing_at(const QPointF &at) const {
  std::string out;
  double within = 7;
  for (int i = 0; i < (all_.empty() ? 0 : shown()); ++i) {
    const Scale s = scale(i);
    for (const auto &q : all_[static_cast<std::size_t>(i)].points) {
      const QPointF d = s.at(q) - at;
      if (const double away = std::hypot(d.x(), d.y()); away < within) within = away, out = q.id;
    }
  }
  return out;
}

} // namespace ampletie::app
