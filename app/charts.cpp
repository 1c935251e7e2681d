#include "app/charts.h"
#include "app/theme.h"
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <set>

namespace ampletie::app {
namespace {

void card(QPainter &p, const QRect &r) {
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(ink::hairline, 1));
  p.setBrush(ink::panel);
  p.drawRoundedRect(QRectF(r).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6);
}

QString clock(GpsTime t, bool day) {
  return QString::fromStdString(day ? iso(t).substr(5, 11).replace(5, 1, " ") : iso(t).substr(11, 5));
}

double nice_step(double seconds) {
  for (double s : {60.0, 120.0, 300.0, 600.0, 900.0, 1800.0, 3600.0, 7200.0, 10800.0, 21600.0, 43200.0, 86400.0})
    if (s >= seconds) return s;
  return 604800;
}

} // namespace

OccupationChart::OccupationChart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  setAccessibleName("Time chart of occupations");
  setObjectName("occupation chart");
  setMinimumHeight(130);
  connect(&w_, &Workspace::changed, this, qOverload<>(&QWidget::update));
  connect(&w_, &Workspace::selection_changed, this, qOverload<>(&QWidget::update));
}

std::vector<OccupationChart::Bar> OccupationChart::layout_bars(std::vector<std::pair<double, QString>> *ticks) const {
  std::vector<Bar> out;
  if (!w_.has_job() || w_.job().snapshot()->occupations.empty()) return out;
  const auto &all = w_.job().snapshot()->occupations;
  GpsTime t0 = all.front().start, t1 = all.front().stop;
  std::map<std::string, int> rows;
  for (const Occupation &o : all) t0 = std::min(t0, o.start), t1 = std::max(t1, o.stop), rows.emplace(o.mark, 0);
  int n = 0;
  for (auto &[mark, row] : rows) row = n++;
  const double left = 70, right = width() - 20, top = 34, bottom = height() - 26, span = std::max(60.0, t1 - t0);
  const double h = std::min(26.0, (bottom - top) / std::max(1, n));
  auto x = [&](GpsTime t) { return left + (right - left) * (t - t0) / span; };
  for (const Occupation &o : all)
    out.push_back(
        {QRectF(x(o.start), top + h * rows[o.mark] + h * 0.18, std::max(3.0, x(o.stop) - x(o.start)), h * 0.64), o.id});
  if (ticks) {
    const double step = nice_step(span * 80 / (right - left));
    for (double s = std::ceil(t0.time_of_week() / step) * step - t0.time_of_week(); s <= span; s += step)
      ticks->emplace_back(x(t0 + s), clock(t0 + s, span > 86400));
    for (const auto &[mark, row] : rows) ticks->emplace_back(-(top + h * row + h / 2), text(mark));
  }
  return out;
}

void OccupationChart::paintEvent(QPaintEvent *) {
  QPainter p(this);
  card(p, rect());
  std::vector<std::pair<double, QString>> ticks;
  const auto bars = layout_bars(&ticks);
  p.setPen(ink::text);
  p.setFont(sized(9, true));
  const QString heading = "When the receivers logged";
  p.drawText(QPointF(14, 20), heading);
  const double after = 28 + QFontMetricsF(p.font()).horizontalAdvance(heading);
  p.setFont(sized(8.5));
  p.setPen(ink::unused);
  p.drawText(QPointF(after, 20), bars.empty() ? "" : "GPS time; bars above each other overlap and give vectors");
  if (bars.empty()) {
    p.drawText(rect(), Qt::AlignCenter, "Drop observation files anywhere on the window");
    return;
  }
  for (const auto &[at, label] : ticks) {
    if (at >= 0) {
      p.setPen(QPen(QColor("#EEEAE0"), 1));
      p.drawLine(QPointF(at, 30), QPointF(at, height() - 24));
      p.setPen(ink::unused);
      p.drawText(QRectF(at - 50, height() - 22, 100, 16), Qt::AlignCenter, label);
    } else {
      p.setPen(ink::text);
      p.drawText(QRectF(8, -at - 9, 56, 18), Qt::AlignRight | Qt::AlignVCenter, label);
    }
  }
  for (const Bar &b : bars) {
    const Occupation *o = w_.occupation(b.id);
    const bool selected = w_.selection().kind == "occupation" && w_.selection().id == b.id;
    p.setPen(selected ? QPen(ink::text, 2) : QPen(Qt::NoPen));
    if (!o->used)
      p.setBrush(QBrush(ink::unused, Qt::BDiagPattern));
    else
      p.setBrush(o->calibration && o->antenna_height ? ink::accepted : ink::attention);
    p.drawRoundedRect(b.box, 3, 3);
  }
}

void OccupationChart::mousePressEvent(QMouseEvent *e) {
  for (const Bar &b : layout_bars(nullptr))
    if (b.box.adjusted(-2, -3, 2, 3).contains(e->position())) w_.select("occupation", b.id);
}

ResidualChart::ResidualChart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  setAccessibleName("Residuals by satellite");
  setObjectName("residual chart");
  setMinimumHeight(180);
  connect(&w_, &Workspace::changed, this, qOverload<>(&QWidget::update));
  connect(&w_, &Workspace::selection_changed, this, qOverload<>(&QWidget::update));
}

const VectorResult *ResidualChart::shown() const {
  if (w_.selection().kind == "vector") return w_.vector(w_.selection().id);
  return nullptr;
}

std::vector<SatId> ResidualChart::satellites(const VectorResult &v) const {
  std::set<SatId> s;
  for (const auto &r : v.solved.residuals) s.insert(r.sat);
  return {s.begin(), s.end()};
}

QRectF ResidualChart::area() const { return QRectF(56, 34, width() - 132, height() - 60); }

void ResidualChart::paintEvent(QPaintEvent *) {
  QPainter p(this);
  card(p, rect());
  const VectorResult *v = shown();
  if (!v || v->solved.residuals.empty()) {
    p.setPen(ink::unused);
    p.drawText(rect(), Qt::AlignCenter,
               v && !v->error.empty() ? text(v->error)
               : w_.has_job() && !w_.job().vectors().empty()
                   ? "Choose a vector to see its residuals, satellite by satellite"
                   : "Residuals appear here once vectors are solved");
    return;
  }
  p.setPen(ink::text);
  p.setFont(sized(9, true));
  const QString title = text(v->from) + " → " + text(v->to);
  p.drawText(QPointF(14, 20), title);
  const double title_width = QFontMetricsF(p.font()).horizontalAdvance(title);
  p.setFont(sized(8.5));
  p.setPen(ink::unused);
  p.drawText(QPointF(26 + title_width, 20),
             QString("phase residuals, %1; band ±10 mm; drag over a span to leave it out").arg(text(v->session)));
  const auto sats = satellites(*v);
  const QRectF a = area();
  const double h = a.height() / static_cast<double>(sats.size());
  const double span = std::max(1.0, v->solved.last - v->solved.first);
  auto x = [&](GpsTime t) { return a.left() + a.width() * (t - v->solved.first) / span; };
  const double step = nice_step(span * 80 / a.width());
  for (double s = std::ceil(v->solved.first.time_of_week() / step) * step - v->solved.first.time_of_week();
       s <= span + 1; s += step) {
    const double at = a.left() + a.width() * s / span;
    p.setPen(QPen(QColor("#EEEAE0"), 1));
    p.drawLine(QPointF(at, a.top()), QPointF(at, a.bottom()));
    p.setPen(ink::unused);
    p.drawText(QRectF(at - 40, a.bottom() + 4, 80, 16), Qt::AlignCenter, clock(v->solved.first + s, false));
  }
  const double mm_px = h * 0.42 / 0.010;
  for (std::size_t k = 0; k < sats.size(); ++k) {
    const double y = a.top() + h * (static_cast<double>(k) + 0.5);
    GpsTime from = v->solved.last, to = v->solved.first;
    double square = 0;
    int n = 0;
    QPainterPath path;
    GpsTime last{};
    for (const auto &r : v->solved.residuals) {
      if (!(r.sat == sats[k])) continue;
      from = std::min(from, r.time), to = std::max(to, r.time);
      const double mean = 0.5 * static_cast<double>(r.residual[0] + r.residual[1]);
      square += mean * mean;
      const QPointF at(x(r.time), y - std::clamp(mean, -0.012, 0.012) * mm_px);
      if (n++ == 0 || r.time - last > 130)
        path.moveTo(at);
      else
        path.lineTo(at);
      last = r.time;
    }
    const double rms = n ? std::sqrt(square / n) : 0;
    const bool noisy = rms > 0.010;
    p.setPen(Qt::NoPen);
    p.setBrush(QColor("#E9E5DA"));
    p.drawRect(QRectF(x(from), y - 0.010 * mm_px, x(to) - x(from), 0.020 * mm_px));
    p.setBrush(Qt::NoBrush);
    // Large residuals differ in width as well as in colour.
    p.setPen(QPen(noisy ? ink::failed : ink::accepted, noisy ? 2.2 : 1.2));
    p.drawPath(path);
    p.setPen(ink::text);
    p.setFont(sized(8, true));
    p.drawText(QRectF(8, y - 9, 42, 18), Qt::AlignRight | Qt::AlignVCenter, text(sats[k].name()));
    p.setFont(sized(8));
    p.setPen(noisy ? ink::failed : ink::unused);
    p.drawText(QRectF(a.right() + 6, y - 9, 62, 18), Qt::AlignRight | Qt::AlignVCenter,
               QString("%1 mm").arg(rms * 1000, 0, 'f', 1));
    for (const CarrierArc &arc : v->solved.arcs)
      if (arc.sat == sats[k] && arc.band == 0 && arc.first - v->solved.first > 60) {
        p.setPen(QPen(ink::text, 1.2));
        p.drawLine(QPointF(x(arc.first), y - h * 0.4), QPointF(x(arc.first), y + h * 0.4));
      }
  }
  // Spans left out: hatched over the row.
  for (const auto &[item, why] : w_.job().state().left_out) {
    const auto at = item.find('@'), colon = item.find(':');
    if (at == std::string::npos || colon == std::string::npos || colon > at || item.substr(0, colon) != v->id) continue;
    const auto sat = parse_sat(item.substr(colon + 1, at - colon - 1));
    const auto slash = item.find('/', at);
    const auto t0 = parse_iso(item.substr(at + 1, slash - at - 1)), t1 = parse_iso(item.substr(slash + 1));
    if (!sat || !t0 || !t1) continue;
    for (std::size_t k = 0; k < sats.size(); ++k)
      if (sats[k] == *sat)
        p.fillRect(QRectF(x(*t0), a.top() + h * static_cast<double>(k), x(*t1) - x(*t0), h),
                   QBrush(ink::unused, Qt::BDiagPattern));
  }
  if (drag_row_ >= 0 && drag_row_ < static_cast<int>(sats.size())) {
    p.setPen(QPen(ink::attention, 1.5, Qt::DashLine));
    p.setBrush(QColor(184, 115, 17, 40));
    p.drawRoundedRect(
        QRectF(std::min(drag_from_, drag_to_), a.top() + h * drag_row_, std::abs(drag_to_ - drag_from_), h), 3, 3);
  }
}

void ResidualChart::mousePressEvent(QMouseEvent *e) {
  const VectorResult *v = shown();
  if (!v || v->solved.residuals.empty() || !area().contains(e->position())) return;
  const QRectF a = area();
  drag_row_ =
      static_cast<int>((e->position().y() - a.top()) / (a.height() / static_cast<double>(satellites(*v).size())));
  drag_from_ = drag_to_ = e->position().x();
}

void ResidualChart::mouseMoveEvent(QMouseEvent *e) {
  if (drag_row_ < 0) return;
  drag_to_ = std::clamp(e->position().x(), area().left(), area().right());
  update();
}

void ResidualChart::mouseReleaseEvent(QMouseEvent *) {
  const VectorResult *v = shown();
  const int row = std::exchange(drag_row_, -1);
  if (!v || row < 0 || std::abs(drag_to_ - drag_from_) < 6) {
    update();
    return;
  }
  const auto sats = satellites(*v);
  const QRectF a = area();
  const double span = v->solved.last - v->solved.first;
  auto at = [&](double px) { return v->solved.first + std::round((px - a.left()) / a.width() * span); };
  const GpsTime t0 = at(std::min(drag_from_, drag_to_)), t1 = at(std::max(drag_from_, drag_to_));
  w_.decide("leave-out", v->id + ":" + sats[static_cast<std::size_t>(row)].name() + "@" + iso(t0) + "/" + iso(t1),
            nlohmann::json::object(), "span left out on the time chart");
}

} // namespace ampletie::app
