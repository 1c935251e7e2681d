#include "app/traverse/pointing_strip.h"
#include "app/widgets/painting.h"
#include "base/angle.h"
#include <QMouseEvent>

namespace ampletie::app {
namespace {
constexpr double head = 30, tall = 24, names = 52;
} // namespace

PointingStrip::PointingStrip(QWidget *parent) : Picture(parent) {
  setObjectName("pointing strip");
  setAccessibleName("Pointings against their band");
  setToolTip(
      "Each pointing against the mean of its target, inside the band that it may spread in; face 1 above, face 2 "
      "below. Left-out ones are dotted. A click chooses one.");
}

void PointingStrip::set(std::shared_ptr<const ReducedSetup> setup) {
  setup_ = std::move(setup);
  compute();
  updateGeometry();
  update();
}

void PointingStrip::compute() {
  ticks_.clear();
  if (!setup_) return;
  const SetReduction &r = setup_->reduced;
  const double c = std::isfinite(r.collimation) ? r.collimation : 0, i = std::isfinite(r.index) ? r.index : 0;
  for (const Pointing &p : setup_->setup.pointings) {
    std::size_t target = 0;
    while (target < r.targets.size() && r.targets[target].target != p.target) ++target;
    if (target == r.targets.size()) continue;
    const TargetMean &t = r.targets[target];
    const bool two = p.face == 2;
    // Freed of the instrument's errors, so that both faces lie in one band.
    double off[3] = {NAN, NAN, NAN};
    for (const FaceMean &f : r.faces)
      if (f.set == p.set && f.target == p.target && std::isfinite(f.residual) && std::isfinite(p.circle))
        off[0] = small_angle(p.circle - (two ? pi + c : -c) - f.direction) + f.residual;
    if (std::isfinite(p.zenith) && std::isfinite(t.zenith))
      off[1] = (two ? 2 * pi - p.zenith - i : p.zenith + i) - t.zenith;
    if (std::isfinite(p.slope) && std::isfinite(t.slope)) off[2] = p.slope - t.slope;
    const double limit[3] = {t.direction_limit, t.zenith_limit, t.slope_limit},
                 spread[3] = {t.direction_spread, t.zenith_spread, t.slope_spread};
    for (int k = 0; k < 3; ++k)
      if (std::isfinite(off[k]) && limit[k] > 0)
        ticks_.push_back({p.id, target, k, two ? 2 : 1, 2 * off[k] / limit[k], spread[k] > limit[k], p.used});
  }
}

QRectF PointingStrip::lane(std::size_t target, int which) const {
  const double wide = (width() - names - 14) / 3.0;
  return {names + which * wide + 6, head + tall * static_cast<double>(target) + 4, wide - 10, tall - 8};
}

QLineF PointingStrip::line_of(const Tick &t) const {
  const QRectF r = lane(t.target, t.lane);
  // The band takes half of the lane; what lies far outside stands at its end.
  const double x = r.center().x() + std::clamp(t.off, -1.95, 1.95) * r.width() / 4;
  return t.face == 1 ? QLineF(x, r.top(), x, r.center().y() - 0.5) : QLineF(x, r.center().y() + 0.5, x, r.bottom());
}

QSize PointingStrip::sizeHint() const {
  const std::size_t n = setup_ ? setup_->reduced.targets.size() : 3;
  return {300, static_cast<int>(head + tall * static_cast<double>(n) + 8)};
}

QPointF PointingStrip::tick_of(const std::string &pointing) const {
  for (const Tick &t : ticks_)
    if (t.pointing == pointing && t.lane == 0) return line_of(t).center();
  return {};
}

void PointingStrip::paintEvent(QPaintEvent *) {
  QPainter p(this);
  draw_card(p, rect());
  if (!setup_) {
    p.setPen(ink::unused);
    p.drawText(rect(), Qt::AlignCenter, "Choose a set-up");
    return;
  }
  p.setFont(sized(8));
  p.setPen(ink::unused);
  const char *titles[] = {"Direction", "Zenith", "Distance"};
  for (int k = 0; k < 3; ++k) {
    const QRectF r = lane(0, k);
    p.drawText(QRectF(r.left(), 8, r.width(), 16), Qt::AlignHCenter, titles[k]);
  }
  for (std::size_t t = 0; t < setup_->reduced.targets.size(); ++t) {
    const TargetMean &m = setup_->reduced.targets[t];
    p.setFont(sized(9, true));
    p.setPen(m.within_limits() ? ink::text : ink::failed);
    p.drawText(QRectF(10, head + tall * static_cast<double>(t), names - 10, tall), Qt::AlignVCenter | Qt::AlignLeft,
               QFontMetricsF(p.font()).elidedText(text(m.target), Qt::ElideRight, names - 12));
    const double limit[3] = {m.direction_limit, m.zenith_limit, m.slope_limit},
                 spread[3] = {m.direction_spread, m.zenith_spread, m.slope_spread};
    for (int k = 0; k < 3; ++k) {
      const QRectF r = lane(t, k);
      if (!(limit[k] > 0)) {
        p.setPen(ink::unused);
        p.setFont(sized(8));
        p.drawText(r, Qt::AlignCenter, "–");
        continue;
      }
      p.setPen(Qt::NoPen);
      p.setBrush(spread[k] > limit[k] ? ink::warm : ink::wash);
      p.drawRect(QRectF(r.center().x() - r.width() / 4, r.top(), r.width() / 2, r.height()));
      p.setPen(QPen(ink::hairline, 1));
      p.drawLine(QPointF(r.left(), r.center().y()), QPointF(r.right(), r.center().y()));
    }
  }
  for (const Tick &t : ticks_) {
    const QLineF l = line_of(t);
    if (t.pointing == selected_) {
      p.setPen(Qt::NoPen);
      p.setBrush(QColor(11, 110, 117, 70));
      p.drawEllipse(l.center(), 7, 7);
    }
    // Outside the band also by its length, not by colour alone.
    p.setPen(QPen(!t.used    ? ink::unused
                  : t.beyond ? ink::failed
                             : ink::accepted,
                  t.beyond && std::abs(t.off) > 1 ? 2.6 : 1.5, t.used ? Qt::SolidLine : Qt::DotLine));
    p.drawLine(l);
  }
}

std::string PointingStrip::thing_at(const QPointF &at) const {
  const auto *t = nearest(
      ticks_, at, [&](const Tick &x) { return line_of(x).center(); }, 8);
  return t ? t->pointing : std::string();
}

} // namespace ampletie::app
