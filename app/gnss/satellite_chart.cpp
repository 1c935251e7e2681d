#include "app/gnss/satellite_chart.h"
#include "app/widgets/painting.h"
#include "app/widgets/refreshing.h"
#include <QApplication>
#include <QMouseEvent>
#include <QPainterPath>
#include <QPointer>
#include <QScrollBar>
#include <QThreadPool>
#include <set>

namespace ampletie::app {
namespace {
constexpr double least_row = 14;

/// Half the height of a row stands for this much; above the two steps a cell is washed with a pattern.
struct Scale {
  double half, first_step, second_step;
  const char *unit, *words;
};
Scale scale_of(SatelliteChart::Show s) {
  switch (s) {
  case SatelliteChart::Show::strength:
    return {15, 0, 0, "dB-Hz", "signal strength from 25 to 55 dB-Hz; ▨ below 35, ▩ below 30"};
  case SatelliteChart::Show::multipath:
    return {2.5, 1.0, 2.0, "m", "code multipath at the second receiver, ±2.5 m; ▨ above 1 m, ▩ above 2 m"};
  default:
    return {12, 10, 20, "mm", "phase residuals, band ±10 mm; ▨ above 10 mm, ▩ above 20 mm"};
  }
}
} // namespace

std::optional<Charted> charted_vector(const Workspace &w) {
  const VectorResult *v = w.selected_vector();
  if (!v) return {};
  return Charted{v->id,
                 v->fingerprint,
                 v->from + " → " + v->to,
                 v->error,
                 v->from_occupation + "," + v->to_occupation,
                 v->to_occupation,
                 v->solved->first,
                 v->solved->last,
                 &v->solved->arcs,
                 &v->solved->residuals};
}

SatelliteChart::SatelliteChart(Workspace &w, What what, QString none, QWidget *parent)
    : QWidget(parent), w_(w), what_(std::move(what)), none_(std::move(none)),
      scroll_(new QScrollBar(Qt::Vertical, this)) {
  setAccessibleName("Satellites over time");
  setObjectName("residual chart");
  setMinimumHeight(120);
  scroll_->setAccessibleName("Scroll satellites");
  connect(scroll_, &QScrollBar::valueChanged, this, qOverload<>(&QWidget::update));
  refresh_when_seen(this, w_, [this] { refresh(); });
  connect(&w_, &Workspace::selection_changed, this, [this] { rebuild(); });
}

void SatelliteChart::refresh() {
  built_for_.clear();
  rebuild();
}

void SatelliteChart::show_as(Show what) {
  show_ = what;
  refresh();
}

void SatelliteChart::set_scope(int satellites, const QString &carrier, bool every_vector) {
  scope_ = satellites;
  every_ = every_vector;
  if (carrier_ != carrier) {
    carrier_ = carrier;
    refresh();
  }
}

void SatelliteChart::highlight(std::optional<SatId> sat) {
  highlighted_ = sat;
  update();
}

std::vector<QString> SatelliteChart::carriers() const {
  std::set<QString> out;
  if (const auto v = what_())
    for (const CarrierArc &a : *v->arcs) out.insert(text(a.signal.substr(0, 2)));
  return {out.begin(), out.end()};
}

void SatelliteChart::rebuild() {
  const std::optional<Charted> v = what_();
  const std::string key = v ? v->id + v->fingerprint : "";
  if (key == built_for_ && !key.empty()) return;
  built_for_ = key;
  waiting_.clear();
  std::vector<Sample> samples;
  if (v && v->error.empty()) {
    if (show_ == Show::residuals)
      samples = residuals(*v);
    else
      ask_for_quality(*v);
  }
  take(samples);
}

/// Residuals of one carrier of the chosen ones, or the mean of all that are there.
std::vector<SatelliteChart::Sample> SatelliteChart::residuals(const Charted &v) const {
  std::vector<Sample> out;
  std::map<SatId, std::set<int>> bands;
  for (const CarrierArc &a : *v.arcs)
    if (carrier_.isEmpty() || text(a.signal.substr(0, 2)) == carrier_) bands[a.sat].insert(a.band);
  for (const ResidualSample &r : *v.residuals) {
    double sum = 0;
    int n = 0;
    for (int b : bands[r.sat])
      if (const float x = r.residual[static_cast<std::size_t>(b)]; std::isfinite(x)) sum += static_cast<double>(x), ++n;
    if (n) out.push_back({r.sat, r.time, sum / n * 1000});
  }
  return out;
}

/// Strength and multipath come from the second receiver's file, which another thread reads.
void SatelliteChart::ask_for_quality(const Charted &v) {
  const Occupation *o = w_.occupation(v.rover_occupation);
  if (!o) return;
  waiting_ = "Reading " + text(o->source_name) + " …";
  const double interval = std::max(1.0, std::round(std::max(o->interval, (v.last - v.first) / 400)));
  QThreadPool::globalInstance()->start([chart = QPointer(this), key = built_for_, show = show_, file = o->file,
                                        first = v.first, last = v.last, interval] {
    std::vector<QualitySample> quality;
    QString why;
    try {
      SignalQuality reading(first, last, interval);
      file->each_block([&](const ObservationFile &block) { reading.take(block); });
      quality = reading.finish();
    } catch (const std::exception &e) {
      why = QString::fromUtf8(e.what());
    }
    QMetaObject::invokeMethod(qApp, [chart, key, show, quality = std::move(quality), why] {
      if (!chart || chart->built_for_ != key || chart->show_ != show) return;
      chart->waiting_ = why;
      chart->take_quality(quality);
    });
  });
}

void SatelliteChart::take_quality(const std::vector<QualitySample> &quality) {
  const std::optional<Charted> v = what_();
  if (!v) return;
  std::set<SatId> used;
  for (const ResidualSample &r : *v->residuals) used.insert(r.sat);
  std::vector<Sample> samples;
  for (const QualitySample &q : quality) {
    if (!used.count(q.sat)) continue;
    if (show_ == Show::strength && q.strength > 0) samples.push_back({q.sat, q.time, static_cast<double>(q.strength)});
    if (show_ == Show::multipath && std::isfinite(q.multipath))
      samples.push_back({q.sat, q.time, static_cast<double>(q.multipath)});
  }
  take(samples);
}

void SatelliteChart::take(const std::vector<Sample> &samples) {
  std::map<SatId, Series> by_sat;
  for (const Sample &x : samples) {
    Series &s = by_sat[x.sat];
    s.sat = x.sat;
    s.values.emplace_back(x.time, x.value);
    s.rms += x.value * x.value;
  }
  series_.clear();
  for (auto &[sat, s] : by_sat) {
    s.rms = std::sqrt(s.rms / static_cast<double>(s.values.size()));
    series_.push_back(std::move(s));
  }
  setAccessibleDescription(in_words());
  const int hidden = static_cast<int>(series_.size()) - visible_rows();
  scroll_->setRange(0, std::max(0, hidden));
  scroll_->setPageStep(visible_rows());
  scroll_->setVisible(hidden > 0);
  update();
}

/// For those who do not see it.
QString SatelliteChart::in_words() const {
  if (!waiting_.isEmpty()) return waiting_;
  if (series_.empty()) return "nothing to draw";
  const auto worst =
      std::max_element(series_.begin(), series_.end(), [](const Series &a, const Series &b) { return a.rms < b.rms; });
  const Scale scale = scale_of(show_);
  return QString("%1 satellites; largest rms %2 %3, %4")
      .arg(series_.size())
      .arg(worst->rms, 0, 'f', 1)
      .arg(scale.unit, text(worst->sat.name()));
}

QRectF SatelliteChart::area() const { return QRectF(52, 28, width() - 132, height() - 50); }

int SatelliteChart::visible_rows() const {
  return std::max(1, std::min(static_cast<int>(series_.size()), static_cast<int>(area().height() / least_row)));
}

double SatelliteChart::row_height() const { return area().height() / visible_rows(); }

void SatelliteChart::resizeEvent(QResizeEvent *) {
  scroll_->setGeometry(width() - 14, 28, 10, height() - 50);
  const int hidden = static_cast<int>(series_.size()) - visible_rows();
  scroll_->setRange(0, std::max(0, hidden));
  scroll_->setVisible(hidden > 0);
}

void SatelliteChart::wheelEvent(QWheelEvent *e) {
  scroll_->setValue(scroll_->value() - (e->angleDelta().y() > 0 ? 2 : -2));
}

void SatelliteChart::paintEvent(QPaintEvent *) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const std::optional<Charted> v = what_();
  if (!v || series_.empty()) {
    p.setPen(ink::unused);
    p.drawText(rect(), Qt::AlignCenter,
               v && !v->error.empty()     ? text(v->error)
               : v && !waiting_.isEmpty() ? waiting_
               : v                        ? "The file holds nothing to draw here"
                                          : none_);
    return;
  }
  const Scale scale = scale_of(show_);
  p.setPen(ink::text);
  p.setFont(sized(9, true));
  const QString title = text(v->title);
  p.drawText(QPointF(10, 17), title);
  const double title_width = QFontMetricsF(p.font()).horizontalAdvance(title);
  p.setFont(sized(8.5));
  p.setPen(ink::unused);
  const QString what = QString("%1%2; drag to leave out").arg(carrier_.isEmpty() ? "" : carrier_ + " ", scale.words);
  p.drawText(QRectF(20 + title_width, 4, width() - title_width - 40, 18), Qt::AlignLeft | Qt::AlignVCenter,
             QFontMetricsF(p.font()).elidedText(what, Qt::ElideRight, width() - title_width - 44));
  const QRectF a = area();
  const double span = std::max(1.0, v->last - v->first);
  draw_time_axis(p, a, v->first, span, w_.times());
  const double h = row_height();
  for (int k = 0; k < visible_rows(); ++k) {
    const auto i = static_cast<std::size_t>(k + scroll_->value());
    if (i < series_.size()) draw_row(p, *v, series_[i], a.top() + h * (k + 0.5), h);
  }
  draw_left_out(p, *v);
  if (drag_row_ >= 0) {
    p.setPen(QPen(ink::attention, 1.5, Qt::DashLine));
    p.setBrush(QColor(184, 115, 17, 40));
    const double top = scope_ == 2 ? a.top() : a.top() + h * (drag_row_ - scroll_->value());
    p.drawRoundedRect(
        QRectF(std::min(drag_from_, drag_to_), top, std::abs(drag_to_ - drag_from_), scope_ == 2 ? a.height() : h), 3,
        3);
  }
}

void SatelliteChart::draw_row(QPainter &p, const Charted &v, const Series &s, double y, double h) const {
  const QRectF a = area();
  const Scale scale = scale_of(show_);
  const double span = std::max(1.0, v.last - v.first), px = h * 0.46 / scale.half;
  auto x = [&](GpsTime t) { return a.left() + a.width() * (t - v.first) / span; };
  const double middle = show_ == Show::strength ? 40 : 0;
  if (highlighted_ && *highlighted_ == s.sat) p.fillRect(QRectF(4, y - h / 2, width() - 22, h), ink::wash);
  p.setPen(Qt::NoPen);
  p.setBrush(QColor("#F1EEE6"));
  const double from = x(s.values.front().first), to = x(s.values.back().first);
  p.drawRect(QRectF(from, y - h * 0.40, to - from, h * 0.80));
  // Cells of a fortieth of the span: the size of what is in them as colour and as texture.
  std::map<int, std::pair<double, int>> cells;
  for (const auto &[t, value] : s.values) {
    auto &c = cells[static_cast<int>(40 * (t - v.first) / (span + 1))];
    c.first += show_ == Show::strength ? value : value * value;
    ++c.second;
  }
  for (const auto &[k, c] : cells) {
    int level = 0;
    if (show_ == Show::strength) {
      const double mean = c.first / c.second;
      level = mean < 30 ? 2 : mean < 35 ? 1 : 0;
    } else {
      const double rms = std::sqrt(c.first / c.second);
      level = rms > scale.second_step ? 2 : rms > scale.first_step ? 1 : 0;
    }
    if (!level) continue;
    const double left = a.left() + a.width() * k / 40, right = std::min(a.left() + a.width() * (k + 1) / 40, to);
    QColor colour = level == 2 ? ink::failed : ink::attention;
    colour.setAlpha(150);
    p.fillRect(QRectF(left, y - h * 0.40, std::max(2.0, right - left), h * 0.80),
               QBrush(colour, level == 2 ? Qt::Dense5Pattern : Qt::BDiagPattern));
  }
  QPainterPath path;
  GpsTime last{};
  bool first = true;
  const double gap = std::max(130.0, span / 60);
  for (const auto &[t, value] : s.values) {
    const QPointF at(x(t), y - std::clamp((value - middle) * px, -h * 0.5, h * 0.5));
    if (first || t - last > gap)
      path.moveTo(at);
    else
      path.lineTo(at);
    last = t;
    first = false;
  }
  const bool noisy = show_ != Show::strength && s.rms > scale.first_step;
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(noisy ? ink::failed : ink::accepted, noisy ? 1.9 : 1.1));
  p.drawPath(path);
  for (const CarrierArc &arc : *v.arcs)
    if (arc.sat == s.sat && arc.first - s.values.front().first > 60 &&
        (carrier_.isEmpty() || text(arc.signal.substr(0, 2)) == carrier_)) {
      p.setPen(QPen(ink::text, 1.3));
      p.drawLine(QPointF(x(arc.first), y - h * 0.45), QPointF(x(arc.first), y + h * 0.45));
    }
  p.setPen(ink::text);
  p.setFont(sized(8, true));
  p.drawText(QRectF(8, y - 9, 38, 18), Qt::AlignRight | Qt::AlignVCenter, text(s.sat.name()));
  p.setFont(sized(8));
  p.setPen(noisy ? ink::failed : ink::unused);
  double shown = s.rms;
  if (show_ == Show::strength) {
    shown = 0;
    for (const auto &[t, value] : s.values) shown += value / static_cast<double>(s.values.size());
  }
  p.drawText(QRectF(a.right() + 2, y - 9, 60, 18), Qt::AlignRight | Qt::AlignVCenter,
             QString("%1 %2")
                 .arg(shown, 0, 'f',
                      show_ == Show::multipath  ? 2
                      : show_ == Show::strength ? 0
                                                : 1)
                 .arg(show_ == Show::strength ? "dB" : scale.unit));
}

void SatelliteChart::draw_left_out(QPainter &p, const Charted &v) const {
  const QRectF a = area();
  const double span = std::max(1.0, v.last - v.first), h = row_height();
  auto x = [&](GpsTime t) { return std::clamp(a.left() + a.width() * (t - v.first) / span, a.left(), a.right()); };
  for (const LeftOutSpan &s : left_out_spans(w_.job().state(), v.id, v.occupations))
    for (int k = 0; k < visible_rows(); ++k) {
      const auto i = static_cast<std::size_t>(k + scroll_->value());
      if (i >= series_.size()) break;
      if (!s.covers(series_[i].sat, s.signal, s.from) || s.to < v.first || s.from > v.last) continue;
      // One carrier of several: only half the row.
      p.fillRect(QRectF(x(s.from), a.top() + h * k + (s.signal.empty() ? 0 : h / 2), std::max(2.0, x(s.to) - x(s.from)),
                        s.signal.empty() ? h : h / 2),
                 QBrush(ink::unused, Qt::BDiagPattern));
    }
}

void SatelliteChart::mousePressEvent(QMouseEvent *e) {
  const std::optional<Charted> v = what_();
  if (!v || series_.empty() || !area().adjusted(-48, 0, 60, 0).contains(e->position())) return;
  const int row = static_cast<int>((e->position().y() - area().top()) / row_height()) + scroll_->value();
  if (row < 0 || row >= static_cast<int>(series_.size())) return;
  highlighted_ = series_[static_cast<std::size_t>(row)].sat;
  Q_EMIT satellite_chosen(highlighted_);
  update();
  if (!area().contains(e->position())) return;
  drag_row_ = row;
  drag_from_ = drag_to_ = e->position().x();
}

void SatelliteChart::mouseMoveEvent(QMouseEvent *e) {
  if (drag_row_ < 0) return;
  drag_to_ = std::clamp(e->position().x(), area().left(), area().right());
  update();
}

void SatelliteChart::mouseReleaseEvent(QMouseEvent *) {
  const std::optional<Charted> v = what_();
  const int row = std::exchange(drag_row_, -1);
  if (!v || row < 0 || std::abs(drag_to_ - drag_from_) < 6) {
    update();
    return;
  }
  const SatId sat = series_[static_cast<std::size_t>(row)].sat;
  const QRectF a = area();
  const double span = v->last - v->first;
  auto at = [&](double px) { return v->first + std::round((px - a.left()) / a.width() * span); };
  const GpsTime t0 = at(std::min(drag_from_, drag_to_)), t1 = at(std::max(drag_from_, drag_to_));
  std::string what = scope_ == 0 ? sat.name() : scope_ == 1 ? std::string(1, sat.system) : "all";
  if (!carrier_.isEmpty()) what += "." + carrier_.toStdString();
  w_.decide("leave-out", (every_ ? "" : v->id + ":") + what + "@" + iso(t0) + "/" + iso(t1), nlohmann::json::object(),
            "span left out on the time chart");
}

} // namespace ampletie::app
