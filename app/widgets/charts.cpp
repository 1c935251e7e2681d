#include "app/widgets/charts.h"
#include "app/widgets/painting.h"
#include <QMouseEvent>

namespace ampletie::app {
OccupationChart::OccupationChart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  setAccessibleName("Time chart of occupations");
  setObjectName("occupation chart");
  setMinimumHeight(130);
  connect(&w_, &Workspace::changed, this, qOverload<>(&QWidget::update));
  connect(&w_, &Workspace::selection_changed, this, qOverload<>(&QWidget::update));
}

std::vector<OccupationChart::Bar> OccupationChart::layout_bars(std::vector<std::pair<double, QString>> *ticks) const {
  std::vector<Bar> out;
  if (!w_.has_job() || w_.job().snapshot()->occupations().empty()) return out;
  const auto &all = w_.job().snapshot()->occupations();
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
    for (double s = first_tick(t0, step); s <= span; s += step)
      ticks->emplace_back(x(t0 + s), span > 86400 || w_.times().kind == TimeStyle::Kind::day_of_year
                                         ? w_.day_clock(t0 + s)
                                         : w_.clock(t0 + s));
    for (const auto &[mark, row] : rows) ticks->emplace_back(-(top + h * row + h / 2), text(mark));
  }
  return out;
}

void OccupationChart::paintEvent(QPaintEvent *) {
  QPainter p(this);
  draw_card(p, rect());
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
      p.setPen(QPen(faint, 1));
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

} // namespace ampletie::app
