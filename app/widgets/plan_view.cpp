#include "app/widgets/plan_view.h"
#include "adjustment/statistics.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/theme.h"
#include "results/measured.h"
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QTimer>
#include <QWheelEvent>
#include <cmath>
#include <set>

namespace ampletie::app {
namespace {
/// Marks beyond which a plan is drawn after the tables beside it, whose rows say what was decided.
constexpr std::size_t large_plan = 100;

/// The next of 1, 2, 5 × 10ⁿ at or below a value.
double round_step(double x) {
  const double base = std::pow(10, std::floor(std::log10(x)));
  return x / base >= 5 ? 5 * base : x / base >= 2 ? 2 * base : base;
}
QString metres(double m) {
  return m >= 1000 ? QString("%1 km").arg(m / 1000) : m >= 1 ? QString("%1 m").arg(m) : QString("%1 mm").arg(m * 1000);
}
double distance_to_segment(QPointF p, QPointF a, QPointF b) {
  const QPointF d = b - a;
  const double len = QPointF::dotProduct(d, d);
  const double t = len > 0 ? std::clamp(QPointF::dotProduct(p - a, d) / len, 0.0, 1.0) : 0;
  const QPointF q = p - (a + t * d);
  return std::hypot(q.x(), q.y());
}
/// The symbol of a code, some 8 px.
void add_symbol(QPainterPath &shape, const std::string &symbol, QPointF c) {
  if (symbol == "dot")
    shape.addRect(c.x() - 2, c.y() - 2, 4, 4);
  else if (symbol == "circle")
    shape.addEllipse(c, 4, 4);
  else if (symbol == "square")
    shape.addRect(c.x() - 3.5, c.y() - 3.5, 7, 7);
  else if (symbol == "triangle" || symbol == "diamond") {
    shape.moveTo(c + QPointF(0, -4.5));
    shape.lineTo(c + QPointF(4.5, symbol == "diamond" ? 0 : 3.5));
    shape.lineTo(c + (symbol == "diamond" ? QPointF(0, 4.5) : QPointF(-4.5, 3.5)));
    if (symbol == "diamond") shape.lineTo(c + QPointF(-4.5, 0));
    shape.closeSubpath();
  } else if (symbol == "cross")
    for (int side : {-1, 1}) {
      shape.moveTo(c + QPointF(-4, -4 * side));
      shape.lineTo(c + QPointF(4, 4 * side));
    }
}
} // namespace

PlanView::PlanView(Workspace &w, bool ellipses, QWidget *parent)
    : QWidget(parent), w_(w), layers_(new PlanLayers(this)), ellipses_(ellipses) {
  setObjectName("plan");
  setAccessibleName("Plan");
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(false);
  setMinimumSize(200, 110);
  refresh_when_seen(this, w_, [this] { reload(); });
  connect(&w_, &Workspace::selection_changed, this, &PlanView::redraw);
  connect(layers_, &PlanLayers::changed, this, &PlanView::redraw);
  reload();
}

void PlanView::reload() {
  const std::size_t before = marks_.size();
  marks_ = w_.plan_marks();
  if (!sights_) std::erase_if(marks_, [](const PlanMark &m) { return m.provisional; });
  index_.clear();
  for (std::size_t i = 0; i < marks_.size(); ++i) index_[marks_[i].name] = i;
  const bool others = load_tracks();
  load_linework();
  offer_layers();
  if (!fitted_ || marks_.size() != before || others)
    fit();
  else if (marks_.size() > large_plan && drawing_.size() == size() * devicePixelRatioF())
    redraw_soon();
  else
    redraw();
}

void PlanView::redraw_soon() {
  if (std::exchange(drawn_soon_, true)) return;
  QTimer::singleShot(2, this, [this] { // of nought it would be done at once
    drawn_soon_ = false;
    redraw();
  });
}

void PlanView::fit() {
  if (marks_.empty() || width() < 20) return;
  double e0 = 1e99, e1 = -1e99, n0 = 1e99, n1 = -1e99;
  const bool some = std::any_of(marks_.begin(), marks_.end(), [&](const auto &m) { return around_.count(m.name) > 0; });
  for (const auto &m : marks_)
    if (!some || around_.count(m.name))
      e0 = std::min(e0, m.east), e1 = std::max(e1, m.east), n0 = std::min(n0, m.north), n1 = std::max(n1, m.north);
  for (const Way &way : ways_)
    if (const PlanMark *base = some ? nullptr : base_of(way))
      for (std::size_t i = 0; i < way.at.size(); ++i) {
        if (way.states[i] == TrackState::none) continue;
        const double e = base->east + way.at[i].x(), n = base->north + way.at[i].y();
        e0 = std::min(e0, e), e1 = std::max(e1, e), n0 = std::min(n0, n), n1 = std::max(n1, n);
      }
  centre_e_ = (e0 + e1) / 2;
  centre_n_ = (n0 + n1) / 2;
  const double w = std::max(e1 - e0, 100.0), h = std::max(n1 - n0, 100.0);
  scale_ = std::min((width() - 120) / w, (height() - 100) / h);
  scale_ = std::max(scale_, 1e-6);
  fitted_ = true;
  redraw();
}

void PlanView::fit_to(std::set<std::string> marks) {
  if (marks == around_) return;
  around_ = std::move(marks);
  fit();
}

QPointF PlanView::to_screen(double e, double n) const {
  return {width() / 2.0 + (e - centre_e_) * scale_, height() / 2.0 - (n - centre_n_) * scale_};
}

QPointF PlanView::place(const std::string &mark) const {
  const auto it = index_.find(mark);
  return it == index_.end() ? QPointF() : to_screen(marks_[it->second].east, marks_[it->second].north);
}

void PlanView::draw_grid(QPainter &p) const {
  const double step = round_step(110 / scale_);
  if (!layers_->shows("grid")) return;
  p.setPen(QPen(QColor("#EEEAE0"), 1));
  const double e0 = centre_e_ - width() / 2.0 / scale_, n0 = centre_n_ - height() / 2.0 / scale_;
  for (double e = std::ceil(e0 / step) * step; e < e0 + width() / scale_; e += step)
    p.drawLine(QPointF(to_screen(e, 0).x(), 0), QPointF(to_screen(e, 0).x(), height()));
  for (double n = std::ceil(n0 / step) * step; n < n0 + height() / scale_; n += step)
    p.drawLine(QPointF(0, to_screen(0, n).y()), QPointF(width(), to_screen(0, n).y()));
}

namespace {
/// How a vector is drawn; the selected one is heavier.
QPen vector_pen(const VectorResult &v, bool selected) {
  if (!v.used) return QPen(ink::unused, selected ? 2.6 : 1.2, Qt::DotLine);
  if (!v.error.empty()) return QPen(ink::failed, selected ? 3 : 1.4, Qt::DashDotLine);
  if (!v.independent) return QPen(selected ? ink::accepted : QColor("#C9D8D8"), selected ? 2 : 0.8);
  if (v.solved->solution != Solution::fixed) return QPen(ink::attention, selected ? 2.2 : 1.4, Qt::DashLine);
  if (v.stale) return QPen(ink::unused, selected ? 2.6 : 1.4, Qt::DashDotDotLine);
  return QPen(ink::accepted, selected ? 3 : 1.4);
}
} // namespace

void PlanView::draw_vectors(QPainter &p) const {
  if (!w_.has_job() || sights_) return; // a traverse's plan shows what was sighted
  // Lines of one pen together, unused ones first, so that what counts lies on top.
  struct Lines {
    QPen pen;
    QVector<QLineF> lines;
  };
  std::vector<Lines> under, over;
  const QRectF seen = QRectF(rect()).adjusted(-4, -4, 4, 4);
  for (const VectorResult &v : w_.job().vectors()) {
    const auto a = index_.find(v.from), b = index_.find(v.to);
    if (a == index_.end() || b == index_.end() || !shows(v)) continue;
    const QPointF from = to_screen(marks_[a->second].east, marks_[a->second].north),
                  to = to_screen(marks_[b->second].east, marks_[b->second].north);
    if (!QRectF(from, to).normalized().adjusted(-1, -1, 1, 1).intersects(seen)) continue;
    const bool active = v.used && v.independent && v.error.empty();
    const QPen pen = vector_pen(v, w_.selection().kind == "vector" && w_.selection().id == v.id);
    std::vector<Lines> &layer = active ? over : under;
    auto same = std::find_if(layer.begin(), layer.end(), [&](const Lines &l) { return l.pen == pen; });
    if (same == layer.end()) same = layer.insert(layer.end(), {pen, {}});
    if (v.used && v.error.empty() && v.solved->solution != Solution::fixed) {
      // Double dashed: the convention for what is not settled.
      const QPointF d = to - from;
      const double len = std::hypot(d.x(), d.y());
      const QPointF side = len > 0 ? QPointF(-d.y(), d.x()) / len * 2.0 : QPointF();
      same->lines << QLineF(from + side, to + side) << QLineF(from - side, to - side);
    } else
      same->lines << QLineF(from, to);
  }
  // What others measured: dash and dot; dots where it is not used.
  for (const MeasuredVector &v : w_.job().snapshot()->get(measured_result())) {
    const auto a = index_.find(v.from), b = index_.find(v.to);
    if (a == index_.end() || b == index_.end() || !shows(v)) continue;
    const bool chosen = w_.selection().kind == "measured" && w_.selection().id == v.id;
    const QPen pen = v.in_network() ? QPen(ink::accepted, chosen ? 2.6 : 1.2, Qt::DashDotLine)
                                    : QPen(ink::unused, chosen ? 2.2 : 1, Qt::DotLine);
    std::vector<Lines> &layer = v.in_network() ? over : under;
    auto same = std::find_if(layer.begin(), layer.end(), [&](const Lines &l) { return l.pen == pen; });
    if (same == layer.end()) same = layer.insert(layer.end(), {pen, {}});
    same->lines << QLineF(to_screen(marks_[a->second].east, marks_[a->second].north),
                          to_screen(marks_[b->second].east, marks_[b->second].north));
  }
  for (const auto *layer : {&under, &over})
    for (const Lines &l : *layer) {
      p.setPen(l.pen);
      p.drawLines(l.lines);
    }
}

void PlanView::draw_sights(QPainter &p) const {
  if (!w_.has_job()) return;
  const TraverseReport &r = w_.job().snapshot()->traverses();
  const auto line = [&](const std::string &from, const std::string &to, const QPen &pen) {
    const auto a = index_.find(from), b = index_.find(to);
    if (a == index_.end() || b == index_.end()) return;
    p.setPen(pen);
    p.drawLine(to_screen(marks_[a->second].east, marks_[a->second].north),
               to_screen(marks_[b->second].east, marks_[b->second].north));
  };
  for (const auto &s : r.field.setups) {
    if (!s->used || !layers_->shows("sights")) continue;
    const bool selected = w_.selection().kind == "station" && w_.selection().id == s->setup.id;
    for (const TargetSight &t : s->sights)
      line(s->setup.mark, t.mean.target,
           selected ? QPen(ink::accepted, 1.6, Qt::DashLine)
                    : QPen(QColor("#C9CDCB"), 0.9, t.mean.kind == PointingKind::detail ? Qt::DotLine : Qt::SolidLine));
  }
  for (const TraverseLine &l : r.lines) {
    if (!layers_->shows("legs")) break;
    const bool selected = w_.selection().kind == "traverse" && w_.selection().id == l.id;
    for (std::size_t i = 0; i + 1 < l.marks.size(); ++i)
      line(l.marks[i], l.marks[i + 1],
           !l.used       ? QPen(ink::unused, selected ? 3 : 2, Qt::DotLine)
           : !l.closes() ? QPen(ink::failed, selected ? 3.4 : 2.2, Qt::DashDotLine)
                         : QPen(ink::text, selected ? 3.4 : 2.2));
  }
}

/// Points of a code that is drawn as a line, joined in the order in which the field took them.
void PlanView::draw_code_lines(QPainter &p) const {
  if (!w_.has_job()) return;
  std::map<std::string, std::vector<std::size_t>> lines;
  for (const auto &s : w_.job().snapshot()->traverses().field.setups) {
    if (!s->used) continue;
    for (const TargetSight &t : s->sights) {
      const auto m = index_.find(t.mean.target);
      if (m == index_.end() || !marks_[m->second].provisional || !marks_[m->second].style.line) continue;
      auto &line = lines[marks_[m->second].code];
      if (std::find(line.begin(), line.end(), m->second) == line.end()) line.push_back(m->second);
    }
  }
  p.setPen(QPen(ink::text, 1.3));
  for (const auto &[code, members] : lines) {
    if (!shows_code(code)) continue;
    for (std::size_t i = 0; i + 1 < members.size(); ++i)
      p.drawLine(to_screen(marks_[members[i]].east, marks_[members[i]].north),
                 to_screen(marks_[members[i + 1]].east, marks_[members[i + 1]].north));
  }
}

void PlanView::draw_ellipses(QPainter &p) const {
  if (!layers_->shows("ellipses")) return;
  double largest = 0;
  for (const auto &m : marks_)
    if (m.cov_en) largest = std::max(largest, ellipse(*m.cov_en).major * factor95(2));
  if (largest <= 0) return;
  // Their own scale: the largest takes some 24 px; stated on the plan.
  const double px = 24 / largest, unit = round_step(largest);
  p.setPen(QPen(ink::attention, 1.2));
  p.setBrush(QColor(184, 115, 17, 22));
  for (const auto &m : marks_) {
    if (!m.cov_en || !rect().adjusted(-40, -40, 40, 40).contains(to_screen(m.east, m.north).toPoint())) continue;
    const Ellipse e = ellipse(*m.cov_en);
    const double k = factor95(2) * px;
    p.save();
    p.translate(to_screen(m.east, m.north));
    p.rotate(e.azimuth * 180 / M_PI - 90);
    p.drawEllipse(QPointF(0, 0), e.major * k, e.minor * k);
    p.restore();
  }
  p.setPen(ink::unused);
  p.setFont(sized(8));
  p.setBrush(Qt::NoBrush);
  // Above the scale where there is no room beside it.
  p.drawText(QRectF(0, height() - (width() < 320 ? 44 : 22), width() - 10, 16), Qt::AlignRight,
             QString("ellipses 95 %, %1 = %2 px").arg(metres(unit)).arg(std::lround(unit * px)));
}

void PlanView::draw_velocities(QPainter &p) const {
  if (!layers_->shows("velocities")) return;
  double largest = 0;
  for (const auto &m : marks_)
    if (m.velocity) largest = std::max(largest, m.velocity->norm());
  if (largest < 1e-5) return; // a hundredth of a millimetre a year
  const double px = 46 / largest, unit = round_step(largest);
  p.setBrush(Qt::NoBrush);
  for (const auto &m : marks_) {
    if (!m.velocity || !rect().adjusted(-60, -60, 60, 60).contains(to_screen(m.east, m.north).toPoint())) continue;
    const QPointF at = to_screen(m.east, m.north), d(m.velocity->x() * px, -m.velocity->y() * px);
    p.setPen(QPen(ink::accepted, 1.6));
    p.drawLine(at, at + d);
    if (const double n = std::hypot(d.x(), d.y()); n > 6) {
      const QPointF u = d / n, v(-u.y(), u.x());
      p.drawLine(at + d, at + d - 6 * u + 3 * v);
      p.drawLine(at + d, at + d - 6 * u - 3 * v);
    }
  }
  p.setPen(ink::unused);
  p.setFont(sized(8));
  p.drawText(QRectF(0, height() - 22, width() - 10, 16), Qt::AlignRight,
             QString("velocities, %1 mm/yr = %2 px").arg(1000 * unit, 0, 'g', 3).arg(std::lround(unit * px)));
}

namespace {
/// Draws a mark around the origin: what it is held in tells its shape, a side shot is small.
void draw_symbol(QPainter &p, const PlanMark &m) {
  const QPointF c(0, 0);
  p.setPen(QPen(ink::text, 1.8));
  p.setBrush(ink::panel);
  QPainterPath shape;
  switch (m.hold) {
  case Hold::full:
  case Hold::plan:
  case Hold::weighted:
    shape.moveTo(c + QPointF(0, -8));
    shape.lineTo(c + QPointF(7.5, 5.5));
    shape.lineTo(c + QPointF(-7.5, 5.5));
    shape.closeSubpath();
    if (m.hold != Hold::weighted) p.setBrush(ink::text); // weighted: an open triangle
    break;
  case Hold::height:
    shape.addRect(c.x() - 5.5, c.y() - 5.5, 11, 11);
    p.setBrush(ink::text);
    break;
  case Hold::check:
    shape.moveTo(c + QPointF(0, -7));
    shape.lineTo(c + QPointF(7, 0));
    shape.lineTo(c + QPointF(0, 7));
    shape.lineTo(c + QPointF(-7, 0));
    shape.closeSubpath();
    break;
  case Hold::none:
    if (m.side)
      add_symbol(shape, m.style.symbol, c);
    else
      shape.addEllipse(c, 5.2, 5.2);
    break;
  }
  p.drawPath(shape);
}
} // namespace

void PlanView::draw_marks(QPainter &p) const {
  constexpr std::size_t crowd = 40; // more marks than this in view: a name waits until the zoom makes room for it
  constexpr QSizeF stamp(22, 22);
  const QRectF seen = QRectF(rect()).adjusted(-10, -10, 10, 10);
  std::vector<std::pair<const PlanMark *, QPointF>> visible;
  TakenPlaces taken(size());
  if (layers_->isVisibleTo(this)) taken.take(layers_->geometry());
  for (const auto &m : marks_) {
    if (m.side && !shows_code(m.code)) continue;
    const QPointF c = to_screen(m.east, m.north);
    if (!seen.contains(c)) continue;
    visible.emplace_back(&m, c);
    taken.take({c.x() - 8, c.y() - 8, 16, 16});
  }
  const auto selected = [&](const PlanMark &m) { return w_.selection().kind == "mark" && w_.selection().id == m.name; };
  for (const auto &[m, c] : visible) {
    if (selected(*m)) {
      p.setPen(Qt::NoPen);
      p.setBrush(QColor(11, 110, 117, 50));
      p.drawEllipse(c, 13, 13);
    }
    const QString key =
        QString("symbol %1 %2").arg(static_cast<int>(m->hold)).arg(m->side ? text(m->style.symbol) : "");
    const QPixmap &picture = stamps_.symbol(key, p, stamp, [&](QPainter &q) { draw_symbol(q, *m); });
    p.drawPixmap(c - QPointF(stamp.width() / 2, stamp.height() / 2), picture);
  }
  // Names of what holds the job first.
  std::stable_sort(visible.begin(), visible.end(), [&](const auto &a, const auto &b) {
    const auto rank = [&](const PlanMark &m) { return selected(m) ? 0 : m.hold != Hold::none ? 1 : m.side ? 3 : 2; };
    return rank(*a.first) < rank(*b.first);
  });
  p.setFont(sized(8.5, true));
  const QFontMetricsF fm(p.font());
  const double height = fm.height();
  for (const auto &[m, c] : visible) {
    if ((m->side && !m->style.label) || (!layers_->shows("names") && !selected(*m))) continue;
    const QString name =
        text(m->name) +
        (m->side && m->style.height && m->height ? QString("  %1").arg(*m->height, 0, 'f', 2) : QString());
    double &width = name_widths_[name];
    if (width == 0) width = fm.horizontalAdvance(name) + 2;
    const auto room = room_for_name(c, {width, height}, size(), taken);
    if (!room && !selected(*m) && (m->side || visible.size() > crowd)) continue;
    const QRectF where = room.value_or(QRectF(c + QPointF(10, -height - 2), QSizeF(width, height)));
    taken.take(where);
    const QPointF nearest(std::clamp(c.x(), where.left(), where.right()),
                          std::clamp(c.y(), where.top(), where.bottom()));
    if (QLineF(c, nearest).length() > 16) {
      const QPointF edge = c + 7 * (nearest - c) / QLineF(c, nearest).length();
      p.setPen(QPen(ink::unused, 0.8));
      p.drawLine(edge, nearest);
    }
    stamps_.draw_name(p, where, name);
  }
}

void PlanView::draw_frame(QPainter &p) const {
  // North arrow.
  const QPointF n(width() - 24, 34);
  QPainterPath arrow;
  arrow.moveTo(n + QPointF(0, -20));
  arrow.lineTo(n + QPointF(6, 0));
  arrow.lineTo(n + QPointF(0, -4));
  arrow.lineTo(n + QPointF(-6, 0));
  arrow.closeSubpath();
  p.setPen(Qt::NoPen);
  p.setBrush(ink::text);
  p.drawPath(arrow);
  p.setPen(ink::text);
  p.setFont(sized(8.5, true));
  p.drawText(QRectF(n.x() - 12, n.y() + 1, 24, 14), Qt::AlignCenter, "N");
  // Scale bar.
  const double length = round_step(110 / scale_);
  const double y = height() - 14;
  p.setPen(QPen(ink::text, 2));
  p.drawLine(QPointF(14, y), QPointF(14 + length * scale_, y));
  p.setFont(sized(8));
  p.drawText(QPointF(14, y - 5), metres(length));
}

void PlanView::redraw() {
  drawing_ = {};
  update();
}

void PlanView::paintEvent(QPaintEvent *) {
  // Neighbours that appear or grow have the whole window painted again: thousands of lines are drawn once.
  const double ratio = devicePixelRatioF();
  const QSize pixels = size() * ratio;
  if (std::exchange(just_shown_, false) && drawing_.size() != pixels && marks_.size() > large_plan) {
    QTimer::singleShot(2, this, qOverload<>(&QWidget::update)); // of nought it would be done at once
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(ink::hairline);
    p.setBrush(ink::panel);
    p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6);
    return;
  }
  if (drawing_.size() != pixels || drawn_with_focus_ != hasFocus()) {
    drawing_ = QPixmap(pixels);
    drawing_.setDevicePixelRatio(ratio);
    drawing_.fill(Qt::transparent);
    drawn_with_focus_ = hasFocus();
    QPainter p(&drawing_);
    p.setFont(font());
    draw(p);
  }
  QPainter(this).drawPixmap(0, 0, drawing_);
}

void PlanView::draw(QPainter &p) const {
  p.setRenderHint(QPainter::Antialiasing);
  QPainterPath card;
  card.addRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6);
  p.fillPath(card, ink::panel);
  p.setClipPath(card);
  if (marks_.empty()) {
    p.setPen(ink::unused);
    p.drawText(rect(), Qt::AlignCenter, "No marks with a place yet");
  } else {
    draw_grid(p);
    draw_linework(p);
    draw_tracks(p);
    draw_vectors(p);
    if (sights_) draw_sights(p), draw_code_lines(p);
    if (ellipses_) draw_ellipses(p);
    if (velocities_) draw_velocities(p);
    draw_marks(p);
    draw_frame(p);
  }
  p.setClipping(false);
  p.setPen(QPen(hasFocus() ? ink::accepted : ink::hairline, 1));
  p.setBrush(Qt::NoBrush);
  p.drawPath(card);
}

void PlanView::showEvent(QShowEvent *) {
  just_shown_ = true;
  if (layers_->remember()) redraw();
}

void PlanView::wheelEvent(QWheelEvent *e) {
  const double factor = std::pow(1.2, e->angleDelta().y() / 120.0);
  const QPointF at = e->position();
  const double east = centre_e_ + (at.x() - width() / 2.0) / scale_,
               north = centre_n_ - (at.y() - height() / 2.0) / scale_;
  scale_ = std::clamp(scale_ * factor, 1e-6, 1e4);
  centre_e_ = east - (at.x() - width() / 2.0) / scale_;
  centre_n_ = north + (at.y() - height() / 2.0) / scale_;
  redraw();
}

void PlanView::mousePressEvent(QMouseEvent *e) {
  press_ = last_ = e->position();
  dragging_ = false;
  setFocus();
}

void PlanView::mouseMoveEvent(QMouseEvent *e) {
  if (!(e->buttons() & Qt::LeftButton)) return;
  if ((e->position() - press_).manhattanLength() > 4) dragging_ = true;
  if (dragging_) {
    const QPointF d = e->position() - last_;
    centre_e_ -= d.x() / scale_;
    centre_n_ += d.y() / scale_;
    redraw();
  }
  last_ = e->position();
}

std::string PlanView::mark_at(QPointF where) const {
  for (const auto &m : marks_)
    if ((to_screen(m.east, m.north) - where).manhattanLength() < 12 && !(m.side && !shows_code(m.code))) return m.name;
  return {};
}

std::string PlanView::vector_at(QPointF where) const {
  std::string best;
  double nearest = 5;
  if (w_.has_job())
    for (const VectorResult &v : w_.job().vectors()) {
      const auto a = index_.find(v.from), b = index_.find(v.to);
      if (a == index_.end() || b == index_.end() || !shows(v)) continue;
      const double d = distance_to_segment(where, to_screen(marks_[a->second].east, marks_[a->second].north),
                                           to_screen(marks_[b->second].east, marks_[b->second].north)) +
                       (v.used && v.independent ? 0 : 2);
      if (d < nearest) nearest = d, best = v.id;
    }
  if (w_.has_job())
    for (const MeasuredVector &v : w_.job().snapshot()->get(measured_result())) {
      const auto a = index_.find(v.from), b = index_.find(v.to);
      if (a == index_.end() || b == index_.end() || !shows(v)) continue;
      const double d = distance_to_segment(where, to_screen(marks_[a->second].east, marks_[a->second].north),
                                           to_screen(marks_[b->second].east, marks_[b->second].north)) +
                       (v.in_network() ? 0 : 2);
      if (d < nearest) nearest = d, best = v.id;
    }
  return best;
}

void PlanView::mouseReleaseEvent(QMouseEvent *e) {
  if (dragging_) return;
  if (const auto m = mark_at(e->position()); !m.empty()) {
    Q_EMIT mark_clicked(m);
    w_.select("mark", m);
  } else if (const auto v = vector_at(e->position()); !v.empty())
    w_.select(words(thing_by_id(v).kind), v);
}

void PlanView::keyPressEvent(QKeyEvent *e) {
  if (e->key() == Qt::Key_F)
    fit();
  else
    QWidget::keyPressEvent(e);
}

void PlanView::resizeEvent(QResizeEvent *) { fit(); }

} // namespace ampletie::app
