#include "app/widgets/difference_picture.h"
#include "app/widgets/painting.h"
#include "datum/fit/hull.h"
#include <algorithm>
#include <cmath>

namespace ampletie::app {
namespace {
constexpr double edge = 52, head = 40, foot = 50;

/// A round number of millimetres not larger than one of pixels.
double round_below(double v) {
  const double decade = std::pow(10, std::floor(std::log10(v)));
  for (double step : {5.0, 2.0, 1.0})
    if (decade * step <= v) return decade * step;
  return decade;
}
QColor colour_of(const Difference::Part &p) { return !p.passes ? ink::failed : p.counts ? ink::accepted : ink::unused; }
} // namespace

DifferencePicture::DifferencePicture(const QString &name, const QString &title, QWidget *parent)
    : Picture(parent), title_(title) {
  setAccessibleName(name);
  setMinimumSize(300, 220);
}

void DifferencePicture::set(std::vector<Difference> all, const QString &words) {
  all_ = std::move(all), words_ = words;
  update();
}

std::vector<DifferencePicture::Item> DifferencePicture::items() const {
  std::vector<Item> out;
  double e0 = HUGE_VAL, e1 = -HUGE_VAL, n0 = HUGE_VAL, n1 = -HUGE_VAL;
  for (const Difference &d : all_) {
    e0 = std::min(e0, d.east), e1 = std::max(e1, d.east);
    n0 = std::min(n0, d.north), n1 = std::max(n1, d.north);
  }
  const QRectF f = QRectF(rect()).adjusted(edge, head + 10, -edge, -foot - 10);
  const double scale = std::min(f.width() / std::max(1.0, e1 - e0), f.height() / std::max(1.0, n1 - n0));
  for (const Difference &d : all_)
    out.push_back(
        {{f.center().x() + scale * (d.east - (e0 + e1) / 2), f.center().y() - scale * (d.north - (n0 + n1) / 2)}, &d});
  return out;
}

QPointF DifferencePicture::place(const std::string &mark) const {
  for (const Item &i : items())
    if (i.what->mark == mark) return i.at;
  return {};
}

std::string DifferencePicture::thing_at(const QPointF &at) const {
  const auto all = items();
  const Item *best = nearest(
      all, at, [](const Item &i) { return i.at; }, 20);
  return best ? best->what->mark : std::string();
}

void DifferencePicture::draw_scale(QPainter &p, double exaggeration) const {
  const double mm = round_below(70 / exaggeration * 1000), wide = mm / 1000 * exaggeration;
  const QPointF a(12, height() - 14);
  p.setPen(QPen(ink::text, 1.4));
  p.drawLine(a, a + QPointF(wide, 0));
  for (double x : {0.0, wide}) p.drawLine(a + QPointF(x, -3), a + QPointF(x, 3));
  p.setPen(ink::unused);
  p.setFont(sized(7.5));
  p.drawText(QPointF(a.x() + wide + 6, a.y() + 4), QString("%1 mm · circle: 95 % · bar: height").arg(mm, 0, 'g', 3));
}

void DifferencePicture::draw_outline(QPainter &p, const std::vector<Item> &all) const {
  std::vector<Eigen::Vector2d> corners;
  for (const Item &i : all)
    if (i.what->corner) corners.emplace_back(i.at.x(), i.at.y());
  QPolygonF hull;
  for (const Eigen::Vector2d &c : convex_hull(corners)) hull << QPointF(c.x(), c.y());
  p.setPen(QPen(ink::hairline, 1, Qt::DashLine));
  p.setBrush(Qt::NoBrush);
  p.drawPolygon(hull);
}

void DifferencePicture::draw_item(QPainter &p, const Item &i, double exaggeration) const {
  const Difference &m = *i.what;
  p.setBrush(Qt::NoBrush);
  if (m.plan) {
    const double r = m.plan->within * exaggeration;
    p.setPen(QPen(colour_of(*m.plan), 1, Qt::DotLine));
    p.drawEllipse(i.at, r, r);
    const QPointF d(m.plan->by.x() * exaggeration, -m.plan->by.y() * exaggeration);
    p.setPen(QPen(colour_of(*m.plan), 2));
    p.drawLine(i.at, i.at + d);
    if (const double n = std::hypot(d.x(), d.y()); n > 5) {
      const QPointF u = d / n, v(-u.y(), u.x()), tip = i.at + d;
      p.drawLine(tip, tip - 6 * u + 3 * v);
      p.drawLine(tip, tip - 6 * u - 3 * v);
    }
  }
  if (m.height) {
    p.setPen(QPen(colour_of(*m.height), 3));
    const QPointF foot_of(i.at.x() + 9, i.at.y());
    p.drawLine(foot_of, foot_of - QPointF(0, m.height->by.x() * exaggeration));
  }
  const bool chosen = m.mark == selected_;
  p.setPen(QPen(chosen ? ink::text : ink::accepted, chosen ? 2 : 1.3));
  p.setBrush(ink::panel);
  if (m.check)
    p.drawPolygon(
        QPolygonF({i.at + QPointF(0, -5), i.at + QPointF(5, 0), i.at + QPointF(0, 5), i.at + QPointF(-5, 0)}));
  else
    p.drawEllipse(i.at, 4, 4);
  p.setFont(sized(8, chosen));
  p.setPen(ink::text);
  const QString label = text(m.label.empty() ? m.mark : m.label);
  const double left = -8 - p.fontMetrics().horizontalAdvance(label);
  p.drawText(i.at + QPointF(i.at.x() + left < 4 ? 8 : left, -4), label);
}

void DifferencePicture::paintEvent(QPaintEvent *) {
  QPainter p(this);
  draw_card(p, rect());
  p.setClipRect(rect().adjusted(2, 2, -2, -2));
  p.setFont(sized(9, true));
  p.setPen(ink::text);
  p.drawText(QPointF(12, 20), title_);
  const auto all = items();
  if (all.empty()) {
    p.setFont(sized(8));
    p.setPen(ink::unused);
    p.drawText(rect().adjusted(16, 30, -16, -16), Qt::AlignCenter | Qt::TextWordWrap, words_);
    return;
  }
  // The largest difference or circle takes a quarter of the picture.
  double most = 1e-4;
  for (const Item &i : all) {
    if (i.what->plan) most = std::max({most, i.what->plan->by.norm(), std::min(i.what->plan->within, 10 * most)});
    if (i.what->height) most = std::max(most, std::abs(i.what->height->by.x()));
  }
  // Circles stay in the picture, wherever their marks lie.
  double circle = 1e-9;
  for (const Item &i : all)
    if (i.what->plan) circle = std::max(circle, std::min(i.what->plan->within, 10 * most));
  const double exaggeration = std::min(std::min(width(), height()) / 5.0 / most, (edge - 2) / circle);
  draw_outline(p, all);
  for (const Item &i : all) draw_item(p, i, exaggeration);
  draw_scale(p, exaggeration);
}

} // namespace ampletie::app
