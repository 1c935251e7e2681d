#include "app/datum/fit_picture.h"
#include "adjustment/statistics.h"
#include "app/widgets/painting.h"
#include "datum/fit/hull.h"
#include <algorithm>
#include <cmath>

namespace ampletie::app {
namespace {
constexpr double edge = 34, head = 30, foot = 40;

/// A round number of millimetres not larger than one of pixels.
double round_below(double v) {
  const double decade = std::pow(10, std::floor(std::log10(v)));
  for (double step : {5.0, 2.0, 1.0})
    if (decade * step <= v) return decade * step;
  return decade;
}
/// What a pair's verdict is drawn in.
QColor colour_of(const std::optional<PairVerdict::Predicted> &v) {
  return !v ? ink::unused : !v->passes ? ink::failed : v->counts ? ink::accepted : ink::unused;
}
/// Radius of the circle within which a difference in plan is nothing, m.
double circle_of(const PairVerdict::Predicted &v) { return circle95(ellipse(Eigen::Matrix2d(v.cov))); }
} // namespace

FitPicture::FitPicture(QWidget *parent) : Picture(parent) {
  setAccessibleName("Frame fit in plan");
  setObjectName("fit picture");
  setMinimumSize(300, 220);
}

void FitPicture::set(std::shared_ptr<const JobFit> fit) {
  fit_ = std::move(fit);
  update();
}

std::vector<FitPicture::Item> FitPicture::items() const {
  std::vector<Item> out;
  if (!fit_ || !fit_->problem.empty() || fit_->input.pairs.empty()) return out;
  double e0 = HUGE_VAL, e1 = -HUGE_VAL, n0 = HUGE_VAL, n1 = -HUGE_VAL;
  for (const FitPair &p : fit_->input.pairs) {
    e0 = std::min(e0, p.from.x()), e1 = std::max(e1, p.from.x());
    n0 = std::min(n0, p.from.y()), n1 = std::max(n1, p.from.y());
  }
  const QRectF f = QRectF(rect()).adjusted(edge, head + 10, -edge, -foot - 10);
  const double scale = std::min(f.width() / std::max(1.0, e1 - e0), f.height() / std::max(1.0, n1 - n0));
  for (std::size_t i = 0; i < fit_->input.pairs.size(); ++i) {
    const FitPair &p = fit_->input.pairs[i];
    out.push_back(
        {p.name,
         {f.center().x() + scale * (p.from.x() - (e0 + e1) / 2), f.center().y() - scale * (p.from.y() - (n0 + n1) / 2)},
         &p,
         &fit_->result.pairs[i]});
  }
  return out;
}

QPointF FitPicture::place(const std::string &mark) const {
  for (const Item &i : items())
    if (i.mark == mark) return i.at;
  return {};
}

std::string FitPicture::thing_at(const QPointF &at) const {
  const auto all = items();
  const Item *best = nearest(
      all, at, [](const Item &i) { return i.at; }, 20);
  return best ? best->mark : std::string();
}

void FitPicture::draw_scale(QPainter &p, double exaggeration) const {
  const double mm = round_below(70 / exaggeration * 1000), wide = mm / 1000 * exaggeration;
  const QPointF a(12, height() - 14);
  p.setPen(QPen(ink::text, 1.4));
  p.drawLine(a, a + QPointF(wide, 0));
  for (double x : {0.0, wide}) p.drawLine(a + QPointF(x, -3), a + QPointF(x, 3));
  p.setPen(ink::unused);
  p.setFont(sized(7.5));
  p.drawText(QPointF(a.x() + wide + 6, a.y() + 4), QString("%1 mm · circle: 95 % · bar: height").arg(mm, 0, 'g', 3));
}

void FitPicture::paintEvent(QPaintEvent *) {
  QPainter p(this);
  draw_card(p, rect());
  p.setFont(sized(9, true));
  p.setPen(ink::text);
  p.drawText(QPointF(12, 20), "What the others put each mark at");
  const auto all = items();
  if (all.empty()) {
    p.setFont(sized(8));
    p.setPen(ink::unused);
    p.drawText(rect().adjusted(16, 30, -16, -16), Qt::AlignCenter | Qt::TextWordWrap,
               fit_ && !fit_->given.empty() && fit_->problem.empty()
                   ? QString("The system is given: no marks are compared. Its coordinates are issued with the others.")
               : fit_ ? text(fit_->problem)
                      : QString("Marks that a list and the network have in common appear here, with what disagrees."));
    return;
  }
  // The largest difference or circle takes a quarter of the picture.
  double most = 1e-4;
  for (const Item &i : all) {
    if (i.verdict->plan)
      most = std::max({most, i.verdict->plan->difference.norm(), std::min(circle_of(*i.verdict->plan), 10 * most)});
    if (i.verdict->height) most = std::max(most, std::abs(i.verdict->height->difference[0]));
  }
  const double pixels = std::min(width(), height()) / 5.0, exaggeration = pixels / most;
  std::vector<Eigen::Vector2d> corners;
  for (const Item &i : all)
    if (i.pair->use == PairUse::both || i.pair->use == PairUse::plan) corners.emplace_back(i.at.x(), i.at.y());
  QPolygonF hull;
  for (const Eigen::Vector2d &c : convex_hull(corners)) hull << QPointF(c.x(), c.y());
  p.setPen(QPen(ink::hairline, 1, Qt::DashLine));
  p.setBrush(Qt::NoBrush);
  p.drawPolygon(hull);
  for (const Item &i : all) {
    const auto &plan = i.verdict->plan, &h = i.verdict->height;
    p.setBrush(Qt::NoBrush);
    if (plan) {
      const double r = circle_of(*plan) * exaggeration;
      p.setPen(QPen(colour_of(plan), 1, Qt::DotLine));
      p.drawEllipse(i.at, r, r);
      const QPointF d(plan->difference[0] * exaggeration, -plan->difference[1] * exaggeration);
      p.setPen(QPen(colour_of(plan), 2));
      p.drawLine(i.at, i.at + d);
      if (const double n = std::hypot(d.x(), d.y()); n > 5) {
        const QPointF u = d / n, v(-u.y(), u.x()), tip = i.at + d;
        p.drawLine(tip, tip - 6 * u + 3 * v);
        p.drawLine(tip, tip - 6 * u - 3 * v);
      }
    }
    if (h) {
      p.setPen(QPen(colour_of(h), 3));
      const QPointF foot_of(i.at.x() + 9, i.at.y());
      p.drawLine(foot_of, foot_of - QPointF(0, h->difference[0] * exaggeration));
    }
    p.setPen(QPen(i.mark == selected_ ? ink::text : ink::accepted, i.mark == selected_ ? 2 : 1.3));
    p.setBrush(ink::panel);
    if (i.pair->use == PairUse::check)
      p.drawPolygon(
          QPolygonF({i.at + QPointF(0, -5), i.at + QPointF(5, 0), i.at + QPointF(0, 5), i.at + QPointF(-5, 0)}));
    else
      p.drawEllipse(i.at, 4, 4);
    p.setFont(sized(8, i.mark == selected_));
    p.setPen(ink::text);
    p.drawText(i.at + QPointF(-8 - p.fontMetrics().horizontalAdvance(text(i.mark)), -4), text(i.mark));
  }
  draw_scale(p, exaggeration);
}

} // namespace ampletie::app
