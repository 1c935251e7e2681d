#include "app/gnss/track_ribbon.h"
#include "app/widgets/painting.h"
#include "app/widgets/track_pen.h"
#include "geodesy/ellipsoid.h"
#include <QPainterPath>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

namespace ampletie::app {
namespace {
constexpr double left = 58, right = 14, top = 52, bottom = 58; ///< room around the heights
} // namespace

TrackRibbon::TrackRibbon(QWidget *parent) : QWidget(parent) {
  setAccessibleName("Track over time");
  setObjectName("track ribbon");
  setMinimumSize(400, 200);
  setMouseTracking(true);
  setToolTip("Wheel: zoom · right button: move · drag: leave a span out · double click: all of it");
}

void TrackRibbon::set(const TrackResult *t, ShownTrack shown, const TimeStyle &times, const QString &words) {
  const bool same = t && shown_.drawing && t->id == track_.id && t->fingerprint == track_.fingerprint;
  shown_ = std::move(shown);
  if (!t || (shown_.drawing && !shown_.drawing->epochs())) shown_.drawing = nullptr;
  track_ = t ? *t : TrackResult();
  times_ = times, words_ = words;
  if (shown_.drawing) {
    const auto &epochs = track_.solved->epochs;
    if (!same) from_ = epochs.front().time, to_ = epochs.back().time;
    const double share = 100.0 *
                         static_cast<double>(shown_.drawing->count[static_cast<std::size_t>(TrackState::fixed)]) /
                         static_cast<double>(epochs.size());
    setAccessibleDescription(QString("%1: %2 epochs, %3 % fixed, %4 stops")
                                 .arg(text(track_.rover))
                                 .arg(epochs.size())
                                 .arg(QString::number(share, 'f', 1))
                                 .arg(track_.stops.size()));
  } else
    setAccessibleDescription(words);
  update();
}

void TrackRibbon::select_stop(const std::string &id) {
  stop_ = id;
  update();
}

void TrackRibbon::point_at(std::optional<std::size_t> epoch) {
  if (epoch == at_) return;
  at_ = epoch;
  update();
}

QRectF TrackRibbon::area() const {
  return QRectF(left, top, std::max(10.0, width() - left - right), std::max(10.0, height() - top - bottom));
}
double TrackRibbon::x_of(GpsTime t) const {
  const QRectF a = area();
  return a.left() + a.width() * (t - from_) / std::max(1e-3, to_ - from_);
}
GpsTime TrackRibbon::time_at(double x) const {
  const QRectF a = area();
  return from_ + (to_ - from_) * std::clamp((x - a.left()) / a.width(), 0.0, 1.0);
}
double TrackRibbon::x_of(double seconds) const {
  const QRectF a = area();
  const double before = track_.solved->epochs.front().time - from_;
  return a.left() + a.width() * (seconds + before) / std::max(1e-3, to_ - from_);
}
std::pair<std::size_t, std::size_t> TrackRibbon::seen() const {
  const auto &s = shown_.drawing->seconds;
  const GpsTime start = track_.solved->epochs.front().time;
  const auto a = std::lower_bound(s.begin(), s.end(), from_ - start - 1e-6),
             b = std::upper_bound(s.begin(), s.end(), to_ - start + 1e-6);
  return {static_cast<std::size_t>(a - s.begin()), static_cast<std::size_t>(b - s.begin())};
}

/// Base and moving receiver as bars on the same axis: gaps are seen before anything is read.
void TrackRibbon::draw_bars(QPainter &p, const QRectF &a) const {
  const TrackDrawing &d = *shown_.drawing;
  const double left_edge = x_of(0.0), per_second = x_of(1.0) - left_edge;
  p.setFont(sized(8));
  const auto bar = [&](double y, const QString &name, const QColor &c, auto &&has) {
    p.setPen(ink::text);
    p.drawText(QRectF(2, y - 3, left - 8, 12), Qt::AlignRight | Qt::AlignVCenter,
               p.fontMetrics().elidedText(name, Qt::ElideRight, static_cast<int>(left) - 8));
    p.setPen(Qt::NoPen);
    p.setBrush(c);
    double begun = NAN, last = NAN;
    for (auto [i, end] = seen(); i < end; ++i) {
      const bool on = has(i);
      const double x = left_edge + per_second * d.seconds[i];
      if (on && (std::isnan(begun) || x - last > 3)) {
        if (!std::isnan(begun)) p.drawRect(QRectF(begun, y, std::max(1.0, last - begun), 6));
        begun = x;
      }
      if (on) last = x;
      if (!on && !std::isnan(begun)) p.drawRect(QRectF(begun, y, std::max(1.0, last - begun), 6)), begun = NAN;
    }
    if (!std::isnan(begun)) p.drawRect(QRectF(begun, y, std::max(1.0, last - begun), 6));
  };
  bar(a.top(), text(track_.base), ink::unused, [&](std::size_t i) { return d.bracketed[i] != 0; });
  bar(a.top() + 11, text(track_.rover), ink::accepted, [&](std::size_t i) { return d.satellites[i] > 0; });
}

/// Lines at round heights with their figures.
void TrackRibbon::draw_height_lines(QPainter &p, const QRectF &a, double low, double high) const {
  const auto y = [&](double v) { return a.bottom() - a.height() * (v - low) / (high - low); };
  double step = 0.001;
  for (double f = 1e-3; a.height() * step / (high - low) < 26; f *= 10)
    for (double k : {1.0, 2.0, 5.0})
      if (step = k * f; a.height() * step / (high - low) >= 26) break;
  p.setFont(sized(8));
  const int digits = step < 0.01 ? 3 : step < 0.1 ? 2 : step < 1 ? 1 : 0;
  for (double v = std::ceil((low + shown_.drawing->lowest) / step) * step; v < high + shown_.drawing->lowest;
       v += step) {
    p.setPen(QPen(faint, 1));
    p.drawLine(QPointF(a.left(), y(v - shown_.drawing->lowest)), QPointF(a.right(), y(v - shown_.drawing->lowest)));
    p.setPen(ink::unused);
    p.drawText(QRectF(2, y(v - shown_.drawing->lowest) - 7, left - 8, 14), Qt::AlignRight | Qt::AlignVCenter,
               QString::number(v, 'f', digits));
  }
}

void TrackRibbon::draw_heights(QPainter &p, const QRectF &a) const {
  const TrackDrawing &d = *shown_.drawing;
  const double left_edge = x_of(0.0), per_second = x_of(1.0) - left_edge, usual = 3 * track_.solved->interval + 0.01;
  const auto column = [&](std::size_t k) { return std::floor(left_edge + per_second * d.seconds[k]); };
  const auto [first, end] = seen();
  double low = 1e18, high = -1e18;
  for (std::size_t i = first; i < end; ++i) {
    if (shown_.state(i) < TrackState::floating && !d.bridged[i]) continue;
    const double band = std::min(1.0, static_cast<double>(d.half[i]));
    low = std::min(low, static_cast<double>(d.height[i]) - band),
    high = std::max(high, static_cast<double>(d.height[i]) + band);
  }
  if (low > high) low = 0, high = 1;
  const double room = 0.08 * (high - low) + 0.01;
  low -= room, high += room;
  const auto y = [&](double v) { return a.bottom() - a.height() * (v - low) / (high - low); };
  draw_height_lines(p, a, low, high);
  p.save();
  p.setClipRect(a.adjusted(-1, -1, 1, 1));
  // By pixel: the range of the band and the mean of the line, broken where the state changes.
  std::size_t i = first > 0 ? first - 1 : 0;
  QPolygonF line, upper_edge, lower_edge;
  TrackState drawn = TrackState::none;
  bool bridged = false;
  const auto end_part = [&] {
    QColor band = bridged ? ink::unused : track_pen(drawn).color();
    band.setAlpha(bridged ? 36 : 60);
    QPolygonF ribbon = upper_edge;
    for (auto q = lower_edge.rbegin(); q != lower_edge.rend(); ++q) ribbon << *q;
    p.setPen(Qt::NoPen);
    p.setBrush(band);
    if (upper_edge.size() > 1) p.drawPolygon(ribbon);
    p.setBrush(Qt::NoBrush);
    p.setPen(bridged ? QPen(ink::unused, 1, Qt::DotLine) : track_pen(drawn));
    if (line.size() > 1)
      p.drawPolyline(line);
    else if (!bridged && !line.isEmpty())
      p.drawPoint(line.front());
    line.clear(), upper_edge.clear(), lower_edge.clear();
  };
  double last = 0;
  const std::size_t beyond = std::min(d.epochs(), end + 2);
  while (i < beyond) {
    const TrackState s = shown_.state(i);
    const bool b = d.bridged[i];
    if (!shown_.placed(i)) {
      if (!line.isEmpty()) end_part();
      ++i;
      continue;
    }
    const QPointF before = line.isEmpty() ? QPointF() : line.back();
    const bool joins = !line.isEmpty() && d.seconds[i] - last <= usual;
    if (!line.isEmpty() && (s != drawn || b != bridged || !joins)) {
      end_part();
      // Neighbours of another kind are joined, so that the line has no holes where it has none.
      if (joins && !b && !bridged) line << before;
    }
    drawn = s, bridged = b;
    const double x = column(i);
    double upper = -1e18, lower = 1e18, sum = 0;
    int n = 0;
    for (; i < d.epochs() && column(i) == x && shown_.state(i) == s && (d.bridged[i] != 0) == b; ++i) {
      const auto h = static_cast<double>(d.height[i]), w = static_cast<double>(d.half[i]);
      upper = std::max(upper, h + w), lower = std::min(lower, h - w), sum += h, ++n;
      last = d.seconds[i];
    }
    line << QPointF(x, y(sum / n));
    upper_edge << QPointF(x, y(upper)), lower_edge << QPointF(x, y(lower));
  }
  end_part();
  draw_ways(p, a, low, high);
  p.restore();
}

/// What each direction of time found by itself: two thin lines that must lie in the ribbon.
void TrackRibbon::draw_ways(QPainter &p, const QRectF &a, double low, double high) const {
  const auto &epochs = track_.solved->epochs;
  const auto y = [&](double v) { return a.bottom() - a.height() * (v - low) / (high - low); };
  for (const bool forward : {true, false}) {
    QPainterPath path;
    bool open = false;
    std::size_t last = 0;
    const std::size_t far = 4 * std::max<std::size_t>(1, epochs.size() / 500);
    for (const TwoWays &w : track_.solved->ways) {
      if (w.epoch - last > far) open = false;
      last = w.epoch;
      const Vec3 &v = forward ? w.forward : w.backward;
      if (w.epoch >= epochs.size() || !v.allFinite() || shown_.state(w.epoch) < TrackState::floating ||
          epochs[w.epoch].time < from_ || epochs[w.epoch].time > to_) {
        open = false;
        continue;
      }
      const QPointF at(x_of(epochs[w.epoch].time), y(to_geodetic(v).h - shown_.drawing->lowest));
      if (open)
        path.lineTo(at);
      else
        path.moveTo(at);
      open = true;
    }
    p.setPen(QPen(ink::text, 0.6, forward ? Qt::SolidLine : Qt::DashLine));
    p.setBrush(Qt::NoBrush);
    p.drawPath(path);
  }
}

void TrackRibbon::draw_satellites(QPainter &p, const QRectF &a) const {
  const TrackDrawing &d = *shown_.drawing;
  const double left_edge = x_of(0.0), per_second = x_of(1.0) - left_edge;
  const auto column = [&](std::size_t k) { return std::floor(left_edge + per_second * d.seconds[k]); };
  const double most = 40;
  p.setFont(sized(8));
  p.setPen(ink::unused);
  p.drawText(QRectF(2, a.top() - 2, left - 8, a.height() + 4), Qt::AlignRight | Qt::AlignVCenter, "satellites");
  // The least of each pixel; what lies between two epochs counts for the first.
  const auto [first, end] = seen();
  for (std::size_t i = first; i < end;) {
    const double x = column(i);
    int least = 1000;
    for (; i < end && column(i) == x; ++i) least = std::min(least, static_cast<int>(d.satellites[i]));
    double next = i < end ? column(i) : x + 1;
    if (i < end && d.seconds[i] - d.seconds[i - 1] > 3 * track_.solved->interval + 0.01) next = x + 1;
    const double h = a.height() * std::min(1.0, least / most);
    p.fillRect(QRectF(x, a.bottom() - h, std::max(1.0, next - x), h), least < 5 ? ink::attention : ink::hairline);
  }
}

void TrackRibbon::draw_stops(QPainter &p, const QRectF &a) const {
  p.setFont(sized(8));
  double free_from = -1;
  for (const TrackStop &s : track_.stops) {
    if (s.stop < from_ || s.start > to_) continue;
    const double x0 = std::max(a.left(), x_of(s.start)), x1 = std::min(a.right(), x_of(s.stop));
    const bool chosen = s.id == stop_;
    QColor wash = chosen ? ink::accepted : ink::unused;
    wash.setAlpha(chosen ? 60 : 28);
    p.fillRect(QRectF(x0, a.top(), std::max(2.0, x1 - x0), a.height()), wash);
    p.setPen(QPen(chosen ? ink::accepted : ink::text, chosen ? 1.4 : 0.8));
    p.drawLine(QPointF(x0, a.top() - 12), QPointF(x0, a.bottom()));
    const QString name = text(s.name);
    const double wide = p.fontMetrics().horizontalAdvance(name) + 8;
    // The last one's name ends at the edge.
    const double left = std::min(x0, width() - 3 - wide);
    if (left < free_from && !chosen) continue; // names do not overlap
    p.setBrush(chosen ? ink::wash : ink::panel);
    p.drawRect(QRectF(left, a.top() - 14, wide, 13));
    p.drawText(QRectF(left, a.top() - 14, wide, 13), Qt::AlignCenter, name);
    free_from = left + wide + 3;
  }
}

void TrackRibbon::paintEvent(QPaintEvent *) {
  QPainter p(this);
  draw_card(p, rect());
  if (!shown_.drawing) {
    p.setPen(ink::unused);
    p.drawText(QRectF(rect()).adjusted(20, 10, -20, -10), Qt::AlignCenter | Qt::TextWordWrap, words_);
    return;
  }
  const QRectF a = area();
  p.setFont(sized(8));
  draw_time_axis(p, QRectF(a.left(), a.top(), a.width(), a.height() + 24), from_, std::max(1e-3, to_ - from_), times_);
  draw_bars(p, QRectF(a.left(), 12, a.width(), 20));
  draw_heights(p, a);
  draw_satellites(p, QRectF(a.left(), a.bottom() + 5, a.width(), 17));
  draw_stops(p, a);
  if (drag_) {
    QColor c = ink::attention;
    c.setAlpha(50);
    p.fillRect(QRectF(QPointF(*drag_, a.top()), QPointF(drag_end_, a.bottom())).normalized(), c);
  }
  if (at_ && *at_ < track_.solved->epochs.size()) {
    const TrackEpoch &e = track_.solved->epochs[*at_];
    const double x = x_of(e.time);
    p.setPen(QPen(ink::text, 0.8, Qt::DashLine));
    p.drawLine(QPointF(x, a.top()), QPointF(x, a.bottom()));
    QString words = QString("%1 · %2 · %3 satellites")
                        .arg(text(shown_clock(e.time, times_)), e.bridged ? "led over" : text(state_name(e.state)))
                        .arg(e.satellites);
    if (shown_.placed(*at_))
      words += QString(" · %1 m ± %2 mm")
                   .arg(to_geodetic(e.position).h, 0, 'f', 3)
                   .arg(1000 * static_cast<double>(shown_.drawing->half[*at_]), 0, 'f', 0);
    p.setPen(ink::text);
    p.drawText(QRectF(a.left(), height() - 18, a.width(), 14), Qt::AlignRight, words);
  }
  p.setPen(ink::unused);
  p.setFont(sized(8));
  p.drawText(QRectF(6, height() - 18, a.width() * 0.55, 14), Qt::AlignLeft,
             "height m, ribbon 95 % · thin: forward —, backward - -");
}

void TrackRibbon::wheelEvent(QWheelEvent *e) {
  if (!shown_.drawing) return;
  const auto &epochs = track_.solved->epochs;
  const GpsTime under = time_at(e->position().x());
  const double k = std::pow(0.85, e->angleDelta().y() / 120.0);
  const double all = epochs.back().time - epochs.front().time;
  const double span = std::clamp((to_ - from_) * k, std::min(all, 5 * track_.solved->interval), all);
  const double u = (under - from_) / std::max(1e-3, to_ - from_);
  from_ = std::max(epochs.front().time, under + -u * span);
  to_ = std::min(epochs.back().time, from_ + span);
  from_ = std::max(epochs.front().time, to_ + -span);
  update();
}

void TrackRibbon::mousePressEvent(QMouseEvent *e) {
  if (!shown_.drawing) return;
  if (e->button() == Qt::RightButton)
    pan_ = e->position().x();
  else if (e->button() == Qt::LeftButton)
    drag_ = drag_end_ = e->position().x();
}

void TrackRibbon::mouseMoveEvent(QMouseEvent *e) {
  if (!shown_.drawing) return;
  const auto &epochs = track_.solved->epochs;
  if (pan_) {
    const double shift = (*pan_ - e->position().x()) / area().width() * (to_ - from_), span = to_ - from_;
    from_ = std::clamp(from_ + shift, epochs.front().time, epochs.back().time + -span);
    to_ = from_ + span;
    pan_ = e->position().x();
    update();
    return;
  }
  if (drag_) {
    drag_end_ = e->position().x();
    update();
    return;
  }
  const GpsTime t = time_at(e->position().x());
  const auto it =
      std::lower_bound(epochs.begin(), epochs.end(), t, [](const TrackEpoch &x, GpsTime y) { return x.time < y; });
  if (it == epochs.end()) return;
  point_at(static_cast<std::size_t>(it - epochs.begin()));
  Q_EMIT pointed(*at_);
}

void TrackRibbon::mouseReleaseEvent(QMouseEvent *e) {
  pan_.reset();
  if (!drag_) return;
  const double a = std::min(*drag_, e->position().x()), b = std::max(*drag_, e->position().x());
  drag_.reset();
  update();
  if (b - a > 5) {
    Q_EMIT span_chosen(time_at(a), time_at(b));
    return;
  }
  for (const TrackStop &s : track_.stops)
    if (x_of(s.start) - 4 <= a && a <= x_of(s.stop) + 4) {
      select_stop(s.id);
      Q_EMIT stop_chosen(s.id);
      return;
    }
}

void TrackRibbon::mouseDoubleClickEvent(QMouseEvent *) {
  if (!shown_.drawing) return;
  from_ = track_.solved->epochs.front().time, to_ = track_.solved->epochs.back().time;
  drag_.reset();
  update();
}

} // namespace ampletie::app
