#include "app/gnss/track_map.h"
#include "app/widgets/painting.h"
#include "app/widgets/plan_labels.h"
#include "app/widgets/track_pen.h"
#include "geodesy/ellipsoid.h"
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

namespace ampletie::app {
namespace {
double round_length(double most) {
  double out = 0.01;
  for (double f = 0.01; f < 1e6; f *= 10)
    for (double k : {1.0, 2.0, 5.0})
      if (k * f <= most) out = k * f;
  return out;
}
} // namespace

TrackMap::TrackMap(QWidget *parent) : Picture(parent) {
  setAccessibleName("Track from above");
  setObjectName("track map");
  setMinimumSize(240, 180);
  setToolTip("Wheel: zoom · drag: move · double click: all of it");
}

void TrackMap::set(const TrackResult *t, ShownTrack shown, const QString &words) {
  const bool same = t && shown_.drawing && t->id == id_;
  stops_.clear(), at_stops_.clear();
  words_ = words, id_ = t ? t->id : "", base_ = t ? t->base : "";
  shown_ = std::move(shown);
  if (!t || (shown_.drawing && !shown_.drawing->epochs())) shown_.drawing = nullptr;
  if (t) {
    const Mat3 axes = local_axes(to_geodetic(t->base_xyz));
    stops_ = t->stops;
    for (const TrackStop &s : stops_) at_stops_.push_back((axes * s.d).head<2>());
  }
  if (!same) fitted_ = false;
  setAccessibleDescription(t ? QString("%1 stops from above").arg(stops_.size()) : words);
  update();
}

void TrackMap::point_at(std::optional<std::size_t> epoch) {
  at_ = epoch;
  update();
}

void TrackMap::fit() {
  Eigen::Vector2d low(1e18, 1e18), high(-1e18, -1e18);
  for (std::size_t i = 0; i < shown_.drawing->epochs(); ++i) {
    if (!shown_.placed(i) || shown_.state(i) == TrackState::code) continue;
    low = low.cwiseMin(place(i)), high = high.cwiseMax(place(i));
  }
  if (low.x() > high.x()) return;
  middle_ = (low + high) / 2;
  const Eigen::Vector2d span = (high - low).cwiseMax(0.5);
  scale_ = std::min((width() - 60) / span.x(), (height() - 70) / span.y());
  fitted_ = true;
}

QPointF TrackMap::on_screen(const Eigen::Vector2d &en) const {
  return {width() / 2.0 + scale_ * (en.x() - middle_.x()), height() / 2.0 - scale_ * (en.y() - middle_.y())};
}

std::string TrackMap::thing_at(const QPointF &at) const {
  double within = 14;
  std::string out;
  for (std::size_t i = 0; i < stops_.size(); ++i) {
    const QPointF d = on_screen(at_stops_[i]) - at;
    if (const double away = std::hypot(d.x(), d.y()); away < within) within = away, out = stops_[i].id;
  }
  return out;
}

void TrackMap::draw_line(QPainter &p) const {
  const QRect seen = rect().adjusted(-50, -50, 50, 50);
  QPolygonF line;
  TrackState drawn = TrackState::none;
  // Patterns need lines, not single strokes.
  const auto end_part = [&](bool joined) {
    p.setPen(track_pen(drawn));
    if (line.size() > 1) p.drawPolyline(line);
    line = joined && !line.isEmpty() ? QPolygonF{line.back()} : QPolygonF();
  };
  for (std::size_t i = 0; i < shown_.drawing->epochs(); ++i) {
    if (!shown_.placed(i)) {
      if (!line.isEmpty()) end_part(false);
      continue;
    }
    const QPointF now = on_screen(place(i));
    if (shown_.state(i) != drawn) end_part(true), drawn = shown_.state(i);
    if (!line.isEmpty()) {
      const QPointF d = now - line.back();
      if (std::abs(d.x()) < 1 && std::abs(d.y()) < 1 && line.size() > 1) continue; // one pixel is drawn once
      if (!seen.contains(now.toPoint()) && !seen.contains(line.back().toPoint())) {
        end_part(false);
        line << now;
        continue;
      }
    }
    line << now;
  }
  end_part(false);
}

void TrackMap::draw_stops(QPainter &p) const {
  p.setFont(sized(8.5));
  std::vector<std::size_t> order; // the chosen one's name first
  for (std::size_t i = 0; i < stops_.size(); ++i)
    if (rect().contains(on_screen(at_stops_[i]).toPoint()))
      order.insert(stops_[i].id == selected_ ? order.begin() : order.end(), i);
  TakenPlaces taken(size());
  for (const std::size_t i : order) {
    const TrackStop &s = stops_[i];
    const QPointF at = on_screen(at_stops_[i]);
    const bool chosen = s.id == selected_;
    const QColor c = !s.used ? ink::unused : s.solution != TrackState::fixed ? ink::attention : ink::accepted;
    p.setPen(QPen(c, chosen ? 2.2 : 1.4));
    p.setBrush(chosen ? ink::wash : ink::panel);
    p.drawLine(at, at + QPointF(0, -13));
    p.drawPolygon(QPolygonF{at + QPointF(0, -13), at + QPointF(9, -10), at + QPointF(0, -6)});
    p.drawEllipse(at, 2.2, 2.2);
    taken.take(QRectF(at + QPointF(-2, -13), at + QPointF(10, 2)));
  }
  p.setPen(ink::text);
  for (const std::size_t i : order) {
    const QString name = text(stops_[i].name);
    const QSizeF wide(p.fontMetrics().horizontalAdvance(name) + 4.0, 13);
    // Beside the flag rather than beside the point.
    const QPointF flag = on_screen(at_stops_[i]) + QPointF(2, -7);
    const auto box = room_for_name(flag, wide, size(), taken);
    if (!box) continue;
    taken.take(*box);
    if (!box->adjusted(-14, -14, 14, 14).contains(flag)) {
      // Further away, on a line of its own.
      p.setPen(QPen(ink::unused, 0.7));
      p.drawLine(flag,
                 {std::clamp(flag.x(), box->left(), box->right()), std::clamp(flag.y(), box->top(), box->bottom())});
      p.setPen(ink::text);
    }
    p.drawText(*box, Qt::AlignLeft | Qt::AlignVCenter, name);
  }
}

void TrackMap::draw_scale(QPainter &p) const {
  const double metres = round_length(90 / scale_), wide = metres * scale_;
  const QPointF a(14, height() - 14);
  p.setPen(QPen(ink::text, 1.4));
  p.drawLine(a, a + QPointF(wide, 0));
  p.drawLine(a, a + QPointF(0, -4));
  p.drawLine(a + QPointF(wide, 0), a + QPointF(wide, -4));
  p.setFont(sized(8));
  p.drawText(QRectF(a.x() + wide + 6, a.y() - 9, 90, 12), Qt::AlignLeft | Qt::AlignVCenter,
             metres >= 1000 ? QString("%1 km").arg(metres / 1000) : QString("%1 m").arg(metres));
  // North.
  const QPointF n(width() - 18, 34);
  p.setBrush(ink::text);
  p.setPen(Qt::NoPen);
  p.drawPolygon(QPolygonF{n + QPointF(0, -12), n + QPointF(5, 6), n + QPointF(0, 2), n + QPointF(-5, 6)});
  p.setPen(ink::text);
  p.drawText(QRectF(n.x() - 8, n.y() + 6, 16, 12), Qt::AlignCenter, "N");
}

void TrackMap::paintEvent(QPaintEvent *) {
  QPainter p(this);
  draw_card(p, rect());
  if (!shown_.drawing) {
    p.setPen(ink::unused);
    p.drawText(QRectF(rect()).adjusted(20, 10, -20, -10), Qt::AlignCenter | Qt::TextWordWrap, words_);
    return;
  }
  if (!fitted_) fit();
  p.setClipRect(rect().adjusted(1, 1, -1, -1));
  draw_line(p);
  const QPointF base = on_screen({0, 0});
  p.setPen(QPen(ink::text, 1.4));
  p.setFont(sized(8.5, true));
  if (rect().adjusted(10, 10, -10, -10).contains(base.toPoint())) {
    p.setBrush(ink::text);
    p.drawPolygon(QPolygonF{base + QPointF(0, -7), base + QPointF(6.5, 5), base + QPointF(-6.5, 5)});
    p.drawText(base + QPointF(10, 4), text(base_));
  } else {
    // Where it lies, when it is outside.
    const QPointF middle(width() / 2.0, height() / 2.0), way = base - middle;
    const double far = std::hypot(way.x(), way.y());
    const double k = std::min((width() / 2.0 - 26) / std::max(1.0, std::abs(way.x())),
                              (height() / 2.0 - 22) / std::max(1.0, std::abs(way.y())));
    const QPointF at = middle + way * k;
    const QPointF tip = at + way / far * 9, side(-way.y() / far * 4, way.x() / far * 4);
    p.setBrush(ink::text);
    p.drawPolygon(QPolygonF{tip, at + side, at - side});
    const QString name = QString("%1, %2 km").arg(text(base_)).arg(far / scale_ / 1000, 0, 'f', 1);
    const double wide = p.fontMetrics().horizontalAdvance(name) + 6.0;
    const double x = std::clamp(at.x() - wide / 2, 6.0, width() - wide - 30),
                 y0 = at.y() < 40 ? at.y() + 6 : at.y() - 20;
    p.drawText(QRectF(x, y0, wide, 14), Qt::AlignCenter, name);
  }
  draw_stops(p);
  if (at_ && *at_ < shown_.drawing->epochs() && shown_.placed(*at_)) {
    p.setPen(QPen(ink::text, 1.4));
    p.setBrush(Qt::NoBrush);
    p.drawEllipse(on_screen(place(*at_)), 6, 6);
  }
  draw_scale(p);
}

void TrackMap::wheelEvent(QWheelEvent *e) {
  const double k = std::pow(1.2, e->angleDelta().y() / 120.0);
  const Eigen::Vector2d under =
      middle_ + Eigen::Vector2d(e->position().x() - width() / 2.0, height() / 2.0 - e->position().y()) / scale_;
  scale_ = std::clamp(scale_ * k, 1e-3, 1e5);
  middle_ = under - Eigen::Vector2d(e->position().x() - width() / 2.0, height() / 2.0 - e->position().y()) / scale_;
  update();
}

void TrackMap::mousePressEvent(QMouseEvent *e) {
  Picture::mousePressEvent(e);
  pan_ = e->position();
}

void TrackMap::mouseMoveEvent(QMouseEvent *e) {
  if (!pan_ || !(e->buttons() & Qt::LeftButton)) return;
  const QPointF d = e->position() - *pan_;
  middle_ -= Eigen::Vector2d(d.x(), -d.y()) / scale_;
  pan_ = e->position();
  update();
}

void TrackMap::mouseDoubleClickEvent(QMouseEvent *) {
  fitted_ = false;
  update();
}

} // namespace ampletie::app
