#include "app/traverse/traverse_legs.h"
#include "app/widgets/numbers.h"
#include "app/widgets/painting.h"
#include "base/angle.h"
#include <QMouseEvent>

namespace ampletie::app {
namespace {

constexpr double legs_head = 34, leg_tall = 31;

/// A value inside its limit: a short rail with the limit at both ends and a mark where the value is.
void rail(QPainter &p, const QRectF &r, double value, double limit) {
  const bool good = std::abs(value) <= limit;
  p.setPen(QPen(ink::hairline, 1));
  const double y = r.center().y(), half = r.width() / 2 - 4;
  p.drawLine(QPointF(r.center().x() - half, y), QPointF(r.center().x() + half, y));
  for (int side : {-1, 1}) {
    const double x = r.center().x() + side * half * 0.66;
    p.drawLine(QPointF(x, y - 4), QPointF(x, y + 4));
  }
  const double x = r.center().x() + half * std::clamp(limit > 0 ? 0.66 * value / limit : 0.0, -1.0, 1.0);
  p.setPen(Qt::NoPen);
  p.setBrush(good ? ink::accepted : ink::failed);
  if (good)
    p.drawEllipse(QPointF(x, y), 3.2, 3.2);
  else // a cross: not by colour alone
    for (int side : {-1, 1}) {
      p.setPen(QPen(ink::failed, 1.8));
      p.drawLine(QPointF(x - 3.5, y - 3.5 * side), QPointF(x + 3.5, y + 3.5 * side));
    }
}

/// Left edges of the columns: mark, angle, strip, length, there and back, rise, there and back, drift.
using Columns = std::array<double, 8>;
Columns columns(double w) { return {14, 0.10 * w, 0.275 * w, 0.46 * w, 0.60 * w, 0.70 * w, 0.805 * w, 0.895 * w}; }

void draw_titles(QPainter &p, const Columns &at, double w) {
  p.setFont(sized(8));
  p.setPen(ink::unused);
  const char *titles[] = {"Mark", "Angle", "Sets", "Length m", "± mm", "Rise m", "± mm", "Drift"};
  for (std::size_t c = 0; c < 8; ++c) {
    const double right = c < 7 ? at[c + 1] : w - 10;
    const bool number = c == 1 || c == 3 || c == 5 || c == 7;
    p.drawText(QRectF(at[c], 8, right - at[c] - 8, 18),
               number   ? Qt::AlignRight
               : c == 0 ? Qt::AlignLeft
                        : Qt::AlignHCenter,
               titles[c]);
  }
  p.setPen(QPen(ink::hairline, 1));
  p.drawLine(QPointF(8, legs_head - 4), QPointF(w - 8, legs_head - 4));
}

/// The residuals of the sets of an angle's sights, in their limit.
void draw_strip(QPainter &p, const QRectF &strip, const ReducedSetup &r) {
  double limit = 0, most = 0;
  bool wide = false;
  for (const TargetSight &x : r.sights) {
    limit = std::max(limit, x.mean.direction_limit);
    wide = wide || x.mean.direction_spread > x.mean.direction_limit;
  }
  for (const FaceMean &f : r.reduced.faces)
    if (std::isfinite(f.residual)) most = std::max(most, std::abs(f.residual));
  if (limit > 0) {
    const double scale = strip.width() / 2 / std::max(limit, 1.1 * most);
    p.setPen(Qt::NoPen);
    p.setBrush(wide ? ink::warm : ink::wash);
    p.drawRect(QRectF(strip.center().x() - limit / 2 * scale, strip.top(), limit * scale, strip.height()));
    p.setPen(QPen(ink::hairline, 1));
    p.drawLine(QPointF(strip.center().x(), strip.top()), QPointF(strip.center().x(), strip.bottom()));
    for (const FaceMean &f : r.reduced.faces) {
      if (!std::isfinite(f.residual)) continue;
      const TargetMean *m = r.reduced.find(f.target);
      const bool bad = m && m->direction_spread > m->direction_limit;
      p.setPen(QPen(bad ? ink::failed : ink::accepted, 1.6));
      const double x = strip.center().x() + f.residual * scale;
      const double part = strip.height() / 4, mid = strip.top() + part * (1 + 2 * (f.set % 2));
      p.drawLine(QPointF(x, mid - part * 0.8), QPointF(x, mid + part * 0.8));
    }
  } else {
    p.setPen(ink::unused);
    p.setFont(sized(8));
    p.drawText(strip, Qt::AlignCenter, "one set");
  }
}

/// A leg between its stations: there against back.
void draw_leg(QPainter &p, const Columns &at, double mid, const TraverseLeg &g) {
  const auto number = [&](double left, double right, double v, int digits) {
    if (std::isfinite(v) && v != 0)
      p.drawText(QRectF(left, mid, right - left - 8, leg_tall), Qt::AlignVCenter | Qt::AlignRight,
                 QString::number(v, 'f', digits).replace('-', QChar(0x2212)));
  };
  p.setPen(ink::text);
  number(at[3], at[4], g.length, 3);
  number(at[5], at[6], g.rise, 3);
  if (std::isfinite(g.length_difference))
    rail(p, QRectF(at[4], mid, at[5] - at[4] - 8, leg_tall), g.length_difference, g.length_limit);
  if (std::isfinite(g.rise_sum)) rail(p, QRectF(at[6], mid, at[7] - at[6] - 8, leg_tall), g.rise_sum, g.rise_limit);
}
} // namespace

TraverseLegs::TraverseLegs(QWidget *parent) : Picture(parent) {
  setAccessibleName("Legs");
  setObjectName("legs");
  setToolTip(
      "Strip: each set's direction against the mean, inside the band it may spread in. Rails: there against back, "
      "between the marks of the limit.");
}

void TraverseLegs::set(std::shared_ptr<const TraverseReport> report, const std::string &line) {
  report_ = std::move(report);
  line_ = line;
  updateGeometry();
  update();
}

double TraverseLegs::top(std::size_t row) const { return legs_head + leg_tall * static_cast<double>(row); }

QSize TraverseLegs::sizeHint() const {
  const TraverseLine *l = report_ ? report_->line(line_) : nullptr;
  return {560, static_cast<int>(top(l ? l->marks.size() : 3) + 8)};
}

QPoint TraverseLegs::row_of(const std::string &setup) const {
  const TraverseLine *l = report_ ? report_->line(line_) : nullptr;
  if (l)
    for (std::size_t i = 0; i < l->setups.size(); ++i)
      if (l->setups[i] == setup) return {40, static_cast<int>(top(i) + leg_tall / 2)};
  return {};
}

void TraverseLegs::paintEvent(QPaintEvent *) {
  QPainter p(this);
  draw_card(p, rect());
  const TraverseLine *l = report_ ? report_->line(line_) : nullptr;
  if (!l) {
    p.setPen(ink::unused);
    p.drawText(rect(), Qt::AlignCenter, "Choose a traverse");
    return;
  }
  const double w = width();
  const Columns at = columns(w);
  draw_titles(p, at, w);
  // Drift: what the unbalanced route is away from the balanced one, as it builds up.
  std::vector<double> drift(l->marks.size(), 0);
  if (l->problem.empty())
    for (std::size_t i = 0; i < drift.size() && i < l->result.raw.size(); ++i) drift[i] = l->balanced().points[i].moved;
  const bool shared = l->problem.empty() && l->result.closure.has_linear && l->balance != Balance::none;
  for (std::size_t i = 0; i < l->setups.size(); ++i)
    if (l->setups[i] == selected_) {
      p.setPen(Qt::NoPen);
      p.setBrush(ink::wash);
      p.drawRoundedRect(QRectF(5, top(i) + 1, at[3] - 5, leg_tall - 2), 4, 4);
    }
  for (std::size_t i = 0; i < l->marks.size(); ++i) {
    const double y = top(i);
    const bool occupied = i < l->setups.size() || (l->loop && i + 1 == l->marks.size());
    const std::string setup = i < l->setups.size() ? l->setups[i] : std::string();
    p.setPen(ink::text);
    p.setFont(sized(9.5, true));
    p.drawText(QRectF(at[0], y, at[1] - at[0], leg_tall), Qt::AlignVCenter | Qt::AlignLeft, text(l->marks[i]));
    p.setFont(sized(9));
    const TraverseStation &s = l->input.stations[i];
    if (s.has_angle)
      p.drawText(QRectF(at[1], y, at[2] - at[1] - 10, leg_tall), Qt::AlignVCenter | Qt::AlignRight,
                 text(format_dms(degrees(s.angle), 1)));
    // The strip: set residuals of the sights of this angle.
    const ReducedSetup *r = occupied && !setup.empty() ? report_->field.find(setup) : nullptr;
    if (r) draw_strip(p, {at[2] + 4, y + 5, at[3] - at[2] - 16, leg_tall - 10}, *r);
    p.setFont(sized(9));
    p.setPen(ink::text);
    if (i < l->legs.size()) draw_leg(p, at, y + leg_tall / 2, l->legs[i]);
    if (shared) {
      p.setPen(ink::unused);
      p.setFont(sized(9));
      p.drawText(QRectF(at[7], y, w - 14 - at[7], leg_tall), Qt::AlignVCenter | Qt::AlignRight,
                 QString::number(1000 * drift[i], 'f', 1));
    }
  }
}

std::string TraverseLegs::thing_at(const QPointF &at) const {
  const TraverseLine *l = report_ ? report_->line(line_) : nullptr;
  const auto row = static_cast<std::ptrdiff_t>(std::floor((at.y() - legs_head) / leg_tall));
  return l && row >= 0 && row < static_cast<std::ptrdiff_t>(l->setups.size()) ? l->setups[static_cast<std::size_t>(row)]
                                                                              : std::string();
}

} // namespace ampletie::app
