#include "app/levels/level_picture.h"
#include "app/widgets/painting.h"
#include <QMouseEvent>
#include <QPainterPath>
#include <cmath>

namespace ampletie::app {
namespace {
constexpr double row_height = 26;
} // namespace

LevelPicture::LevelPicture(Workspace &w, QWidget *parent) : Picture(parent), w_(w) {
  setAccessibleName("Level lines and profile");
  setObjectName("level picture");
  setMinimumHeight(220);
  connect(&w_, &Workspace::changed, this, qOverload<>(&QWidget::update));
}

std::vector<LevelPicture::Stroke> LevelPicture::strokes() const {
  std::vector<Stroke> out;
  if (!w_.has_job()) return out;
  std::map<std::string, double> at; // mark → place along the diagram
  std::vector<const LevelLine *> lines;
  for (const LevelLine &l : w_.job().snapshot()->levels().lines)
    if (!l.reduced.points.empty()) lines.push_back(&l);
  std::stable_sort(lines.begin(), lines.end(),
                   [](const auto *a, const auto *b) { return a->reduced.length > b->reduced.length; });
  int row = 0;
  for (const LevelLine *l : lines) {
    double start = 0;
    for (const LevelPoint &p : l->reduced.points)
      if (const auto it = at.find(p.mark); it != at.end() && p.turn && is_named(p.mark)) {
        start = it->second - p.distance;
        break;
      }
    for (const LevelPoint &p : l->reduced.points)
      if (p.turn && is_named(p.mark)) at.try_emplace(p.mark, start + p.distance);
    out.push_back({l->id, start, start + l->reduced.length, row++});
  }
  return out;
}

QRectF LevelPicture::diagram() const {
  const double rows = static_cast<double>(std::clamp<std::size_t>(strokes().size(), 1, 6));
  return {14, 30, width() - 28.0, std::min(rows * row_height + 8, height() * 0.55)};
}
QRectF LevelPicture::profile() const {
  const QRectF d = diagram();
  return {74, d.bottom() + 28, width() - 90.0, height() - d.bottom() - 56};
}

QPointF LevelPicture::place(const std::string &line) const {
  const auto all = strokes();
  double low = 1e18, high = -1e18;
  for (const Stroke &s : all) low = std::min(low, s.from), high = std::max(high, s.to);
  const QRectF d = diagram();
  for (const Stroke &s : all)
    if (s.line == line)
      return {d.left() + 20 + (d.width() - 40) * ((s.from + s.to) / 2 - low) / std::max(1.0, high - low),
              d.top() + row_height * (s.row + 0.5)};
  return {};
}

void LevelPicture::draw_diagram(QPainter &p, const std::vector<Stroke> &all) const {
  const QRectF d = diagram();
  double low = 1e18, high = -1e18;
  for (const Stroke &s : all) low = std::min(low, s.from), high = std::max(high, s.to);
  auto x = [&](double m) { return d.left() + 20 + (d.width() - 40) * (m - low) / std::max(1.0, high - low); };
  const LevelReport &r = w_.job().snapshot()->levels();
  // Where a mark stands on each row, so that junctions can be joined.
  std::map<std::string, std::vector<QPointF>> met;
  for (const Stroke &s : all)
    for (const LevelPoint &q : r.line(s.line)->reduced.points)
      if (q.turn && is_named(q.mark))
        met[q.mark].push_back({x(s.from + q.distance), d.top() + row_height * (s.row + 0.5)});
  p.setPen(QPen(ink::attention, 1, Qt::DashLine));
  for (const auto &[mark, places] : met)
    for (std::size_t i = 1; i < places.size(); ++i) p.drawLine(places[i - 1], places[i]);
  for (const Stroke &s : all) {
    const LevelLine &l = *r.line(s.line);
    const double y = d.top() + row_height * (s.row + 0.5);
    if (y > d.bottom() + 2) break;
    const bool bad = !l.problem.empty() || std::any_of(l.misclosures.begin(), l.misclosures.end(),
                                                       [](const Misclosure &m) { return !m.within_limit(); });
    const QColor colour = !l.used ? ink::unused : bad ? ink::failed : ink::accepted;
    p.setPen(QPen(colour, s.line == selected_ ? 3.4 : 1.8, l.used ? Qt::SolidLine : Qt::DotLine));
    p.drawLine(QPointF(x(s.from), y), QPointF(x(s.to), y));
    // Marks: known ones filled squares (held in height), junctions filled circles, others open.
    double free_from = -1e9;
    const auto &points = l.reduced.points;
    for (std::size_t i = 0; i < points.size(); ++i) {
      const LevelPoint &q = points[i];
      if (!is_named(q.mark)) continue;
      const QPointF at(x(s.from + q.distance), y);
      const bool known = l.known.count(q.mark) > 0, junction = met[q.mark].size() > 1 || !q.turn;
      p.setPen(QPen(colour, 1.4));
      p.setBrush(known || (junction && q.turn) ? colour : ink::panel);
      if (known)
        p.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8));
      else if (q.turn)
        p.drawEllipse(at, 3.6, 3.6);
      else
        p.drawEllipse(at + QPointF(0, 6), 2.4, 2.4);
      const double w = QFontMetricsF(p.font()).horizontalAdvance(text(q.mark));
      const double left = std::clamp(at.x() - w / 2, d.left(), d.right() - w);
      if (left < free_from + 4) continue;
      p.setPen(s.line == selected_ ? ink::text : ink::unused);
      p.drawText(QPointF(left, y - 6), text(q.mark));
      free_from = left + w;
    }
  }
}

void LevelPicture::draw_profile(QPainter &p, const LevelLine &l) const {
  const QRectF a = profile();
  if (a.height() < 40 || l.reduced.points.size() < 2) return;
  const double length = std::max(1.0, l.reduced.length);
  auto x = [&](double m) { return a.left() + a.width() * m / length; };
  // The ground, pale, on its own scale.
  double low = 1e18, high = -1e18;
  for (const LevelPoint &q : l.reduced.points) low = std::min(low, q.difference), high = std::max(high, q.difference);
  QPainterPath ground;
  ground.moveTo(a.bottomLeft());
  for (const LevelPoint &q : l.reduced.points)
    if (q.turn)
      ground.lineTo(x(q.distance), a.bottom() - 0.8 * a.height() * (q.difference - low) / std::max(1e-6, high - low));
  ground.lineTo(a.bottomRight());
  p.setPen(Qt::NoPen);
  p.setBrush(QColor("#EFEBE2"));
  p.drawPath(ground);
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(ink::hairline, 1));
  p.drawRect(a);
  p.setPen(ink::unused);
  const double step = nice_step(length / 5 / 1000 * 60) / 60; // round kilometres out of the round minutes
  for (double km = 0; km <= length / 1000 + 1e-9; km += std::max(0.1, step)) {
    p.drawText(QRectF(x(1000 * km) - 24, a.bottom() + 2, 48, 14), Qt::AlignCenter,
               km == 0 ? QString("0 km") : QString::number(km, 'f', step < 1 ? 1 : 0));
  }
  // Misclosures: from each known mark to the next, inside ± limit·√distance.
  double largest = 0;
  for (const Misclosure &m : l.misclosures) largest = std::max({largest, std::abs(m.value), m.limit});
  if (largest == 0) {
    p.drawText(
        a, Qt::AlignCenter | Qt::TextWordWrap,
        "No known height on the way and no return: nothing closes.\nHold a benchmark in height, or chain the line on.");
    return;
  }
  const double scale = a.height() / 2 / (1.15 * largest), middle = a.center().y();
  p.setPen(QPen(ink::hairline, 1));
  p.drawLine(QPointF(a.left(), middle), QPointF(a.right(), middle));
  for (const Misclosure &m : l.misclosures) {
    const LevelPoint *from = nullptr, *to = nullptr;
    for (const LevelPoint &q : l.reduced.points) {
      if (q.turn && q.mark == m.from && !(from && m.kind == Misclosure::Kind::loop)) from = &q;
      if (q.turn && q.mark == m.to) to = &q;
    }
    if (!from || !to) continue;
    const double start = std::max(0.0, to->distance - m.length);
    QPainterPath above, below;
    for (int k = 0; k <= 40; ++k) {
      const double u = k / 40.0, at = x(start + u * m.length), e = m.limit * std::sqrt(u) * scale;
      k ? above.lineTo(at, middle - e) : above.moveTo(at, middle - e);
      k ? below.lineTo(at, middle + e) : below.moveTo(at, middle + e);
    }
    p.setPen(QPen(ink::attention, 1.2, Qt::DashLine));
    p.drawPath(above);
    p.drawPath(below);
    const QColor colour = m.within_limit() ? ink::accepted : ink::failed;
    p.setPen(QPen(colour, 2));
    const QPointF end(x(start + m.length), middle - m.value * scale);
    p.drawLine(QPointF(x(start), middle), end);
    p.setBrush(colour);
    p.drawEllipse(end, 3.4, 3.4);
    const QString words = QString("%1%2 mm").arg(m.value >= 0 ? "+" : "−").arg(std::abs(m.value) * 1000, 0, 'f', 1);
    const double w = QFontMetricsF(p.font()).horizontalAdvance(words);
    p.drawText(
        QPointF(std::clamp(end.x() - w - 8, a.left() + 2, a.right() - w - 2), end.y() + (m.value >= 0 ? -5 : 13)),
        words);
  }
  p.setPen(ink::unused);
  p.drawText(QRectF(0, a.top() - 2, 70, 14), Qt::AlignRight, QString("+%1 mm").arg(largest * 1000, 0, 'f', 0));
  p.drawText(QRectF(0, middle - 7, 70, 14), Qt::AlignRight, "0");
  p.drawText(QRectF(0, a.bottom() - 12, 70, 14), Qt::AlignRight, QString("−%1 mm").arg(largest * 1000, 0, 'f', 0));
}

void LevelPicture::paintEvent(QPaintEvent *) {
  QPainter p(this);
  draw_card(p, rect());
  p.setFont(sized(9, true));
  p.setPen(ink::text);
  p.drawText(QPointF(12, 20), "Lines and where they meet");
  p.setFont(sized(8));
  const auto all = strokes();
  if (all.empty()) {
    p.setPen(ink::unused);
    p.drawText(rect().adjusted(16, 30, -16, -16), Qt::AlignCenter | Qt::TextWordWrap, "Level lines appear here.");
    return;
  }
  draw_diagram(p, all);
  const LevelLine *l = w_.job().snapshot()->levels().line(selected_);
  if (!l) return;
  p.setFont(sized(9, true));
  p.setPen(ink::text);
  p.drawText(QPointF(12, profile().top() - 10), "Misclosure along " + text(l->name));
  p.setFont(sized(8));
  draw_profile(p, *l);
}

std::string LevelPicture::thing_at(const QPointF &at) const {
  const QRectF d = diagram();
  const int row = static_cast<int>((at.y() - d.top()) / row_height);
  for (const Stroke &s : strokes())
    if (s.row == row && d.contains(at)) return s.line;
  return {};
}

} // namespace ampletie::app
