#include "app/gnss/sky_plot.h"
#include "app/widgets/painting.h"
#include "gnss/quality/quality.h"
#include <QMouseEvent>
#include <QPainterPath>

namespace ampletie::app {

SkyPlot::SkyPlot(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  setAccessibleName("Sky plot");
  setObjectName("sky plot");
  setMinimumSize(120, 120);
  connect(&w_, &Workspace::changed, this, qOverload<>(&QWidget::update));
  connect(&w_, &Workspace::selection_changed, this, qOverload<>(&QWidget::update));
}

void SkyPlot::highlight(std::optional<SatId> sat) {
  highlighted_ = sat;
  update();
}

QPointF SkyPlot::place(double az, double el) const {
  const double r = (std::min(width(), height()) / 2.0 - 16) * (1 - el / (3.14159265358979 / 2));
  return {width() / 2.0 + r * std::sin(az), height() / 2.0 - r * std::cos(az)};
}

void SkyPlot::paintEvent(QPaintEvent *) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const QPointF middle(width() / 2.0, height() / 2.0);
  const double full = std::min(width(), height()) / 2.0 - 16;
  p.setFont(sized(7.5));
  for (int el : {0, 30, 60}) {
    const double r = full * (1 - el / 90.0);
    p.setPen(QPen(el == 0 ? ink::hairline : faint, el == 0 ? 1.4 : 1));
    p.setBrush(el == 0 ? QBrush(QColor("#FBFAF7")) : QBrush(Qt::NoBrush));
    p.drawEllipse(middle, r, r);
    p.setPen(ink::unused);
    if (el)
      p.drawText(QRectF(middle.x() + 2, middle.y() - r - 6, 30, 12), Qt::AlignLeft | Qt::AlignVCenter,
                 QString("%1°").arg(el));
  }
  p.setPen(QPen(faint, 1));
  p.drawLine(QPointF(middle.x() - full, middle.y()), QPointF(middle.x() + full, middle.y()));
  p.drawLine(QPointF(middle.x(), middle.y() - full), QPointF(middle.x(), middle.y() + full));
  p.setPen(ink::text);
  p.setFont(sized(8, true));
  for (auto [name, az] : {std::pair{"N", 0.0}, {"E", 1.5707963}, {"S", 3.1415927}, {"W", 4.712389}}) {
    const QPointF at(middle.x() + (full + 8) * std::sin(az), middle.y() - (full + 8) * std::cos(az));
    p.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), Qt::AlignCenter, name);
  }
  const VectorResult *v = w_.selected_vector();
  if (!v) return;
  struct Track {
    QPainterPath path, bad;
    QPointF last;
    GpsTime time{};
    bool was_bad = false;
  };
  std::map<SatId, Track> tracks;
  for (const ResidualSample &r : v->solved->residuals) {
    Track &t = tracks[r.sat];
    const QPointF at = place(static_cast<double>(r.azimuth), static_cast<double>(r.elevation));
    double worst = 0;
    for (float x : r.residual)
      if (std::isfinite(x)) worst = std::max(worst, std::abs(static_cast<double>(x)));
    const bool begins = t.time.ns == 0 || r.time - t.time > 600;
    if (begins)
      t.path.moveTo(at);
    else
      t.path.lineTo(at);
    if (worst > 0.020) {
      if (begins || !t.was_bad) t.bad.moveTo(begins ? at : t.last);
      t.bad.lineTo(at);
    }
    t.was_bad = worst > 0.020;
    t.last = at, t.time = r.time;
  }
  p.setBrush(Qt::NoBrush);
  for (const auto &[sat, t] : tracks) {
    const bool bold = highlighted_ && *highlighted_ == sat;
    p.setPen(QPen(bold ? ink::text : ink::accepted, bold ? 2.6 : 1.3));
    p.drawPath(t.path);
    if (!t.bad.isEmpty()) {
      p.setPen(QPen(ink::failed, 2.4, Qt::DotLine));
      p.drawPath(t.bad);
    }
  }
  // Names at the last place, kept off each other.
  std::vector<QRectF> taken;
  p.setFont(sized(7.5, true));
  for (const auto &[sat, t] : tracks) {
    p.setBrush(ink::accepted);
    p.setPen(Qt::NoPen);
    p.drawEllipse(t.last, 2.4, 2.4);
    for (const QPointF &shift : {QPointF(5, -12), QPointF(5, 2), QPointF(-27, -12), QPointF(-27, 2)}) {
      const QRectF box(t.last + shift, QSizeF(24, 11));
      if (std::any_of(taken.begin(), taken.end(), [&](const QRectF &o) { return o.intersects(box); })) continue;
      if (!QRectF(rect()).contains(box)) continue;
      taken.push_back(box);
      p.setPen(highlighted_ && *highlighted_ == sat ? ink::text : ink::unused);
      p.drawText(box, Qt::AlignCenter, text(sat.name()));
      break;
    }
  }
}

void SkyPlot::mousePressEvent(QMouseEvent *e) {
  const VectorResult *v = w_.selected_vector();
  if (!v) return;
  double nearest = 12;
  std::optional<SatId> found;
  for (const ResidualSample &r : v->solved->residuals) {
    const QPointF d = place(static_cast<double>(r.azimuth), static_cast<double>(r.elevation)) - e->position();
    const double away = std::hypot(d.x(), d.y());
    if (away < nearest) nearest = away, found = r.sat;
  }
  highlighted_ = found;
  Q_EMIT satellite_chosen(found);
  update();
}

CountChart::CountChart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  setAccessibleName("Satellites and dilution of precision");
  setObjectName("count chart");
  connect(&w_, &Workspace::changed, this, qOverload<>(&QWidget::update));
  connect(&w_, &Workspace::selection_changed, this, qOverload<>(&QWidget::update));
}

void CountChart::paintEvent(QPaintEvent *) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const VectorResult *v = w_.selected_vector();
  if (!v || v->solved->residuals.empty()) {
    p.setPen(ink::unused);
    p.drawText(rect(), Qt::AlignCenter, "Choose a solved vector");
    return;
  }
  std::map<GpsTime, std::vector<std::pair<double, double>>> epochs;
  for (const ResidualSample &r : v->solved->residuals)
    epochs[r.time].emplace_back(static_cast<double>(r.azimuth), static_cast<double>(r.elevation));
  std::size_t most = 0;
  double worst = 2;
  std::vector<std::tuple<GpsTime, std::size_t, std::optional<Dilution>>> points;
  for (const auto &[t, directions] : epochs) {
    points.emplace_back(t, directions.size(), dilution(directions));
    most = std::max(most, directions.size());
    if (std::get<2>(points.back())) worst = std::max(worst, std::min(10.0, std::get<2>(points.back())->position));
  }
  const QRectF a(52, 28, width() - 110, height() - 50);
  const double span = std::max(1.0, v->solved->last - v->solved->first);
  auto x = [&](GpsTime t) { return a.left() + a.width() * (t - v->solved->first) / span; };
  const double top_count = std::ceil((static_cast<double>(most) + 1) / 5) * 5, top_dop = std::ceil(worst * 1.1);
  p.setFont(sized(9, true));
  p.setPen(ink::text);
  const QString title = text(v->from) + " → " + text(v->to);
  p.drawText(QPointF(10, 17), title);
  const double w = QFontMetricsF(p.font()).horizontalAdvance(title);
  p.setFont(sized(8.5));
  p.setPen(ink::unused);
  p.drawText(QPointF(22 + w, 17),
             "satellites in the solution (area, left) and position dilution of precision (line, right)");
  draw_time_axis(p, a, v->solved->first, span, w_.times());
  for (int k = 0; k <= 4; ++k) {
    const double y = a.bottom() - a.height() * k / 4;
    p.setPen(QPen(faint, 1));
    p.drawLine(QPointF(a.left(), y), QPointF(a.right(), y));
    p.setPen(ink::unused);
    p.drawText(QRectF(8, y - 8, 38, 16), Qt::AlignRight | Qt::AlignVCenter, QString::number(top_count * k / 4, 'f', 0));
    p.drawText(QRectF(a.right() + 6, y - 8, 40, 16), Qt::AlignLeft | Qt::AlignVCenter,
               QString::number(top_dop * k / 4, 'f', 1));
  }
  QPainterPath area, line;
  area.moveTo(a.left(), a.bottom());
  bool open = false;
  for (const auto &[t, n, d] : points) {
    area.lineTo(x(t), a.bottom() - a.height() * static_cast<double>(n) / top_count);
    if (d) {
      const QPointF at(x(t), a.bottom() - a.height() * std::min(d->position, top_dop) / top_dop);
      if (open)
        line.lineTo(at);
      else
        line.moveTo(at);
    }
    open = d.has_value();
  }
  area.lineTo(x(std::get<0>(points.back())), a.bottom());
  QColor fill = ink::accepted;
  fill.setAlpha(38);
  p.setPen(Qt::NoPen);
  p.setBrush(fill);
  p.drawPath(area);
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(ink::attention, 1.8));
  p.drawPath(line);
}

} // namespace ampletie::app
