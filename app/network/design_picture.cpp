#include "app/network/design_picture.h"
#include "adjustment/statistics.h"
#include "app/widgets/painting.h"
#include <algorithm>
#include <utility>

namespace ampletie::app {
namespace {
/// A round number not larger than `v`.
double round_below(double v) {
  const double decade = std::pow(10, std::floor(std::log10(v)));
  for (double step : {5.0, 2.0, 1.0})
    if (decade * step <= v) return decade * step;
  return decade;
}

struct Extent {
  double e0 = HUGE_VAL, e1 = -HUGE_VAL, n0 = HUGE_VAL, n1 = -HUGE_VAL;
  void add(const DesignPicture::Mark &m) {
    e0 = std::min(e0, m.east), e1 = std::max(e1, m.east);
    n0 = std::min(n0, m.north), n1 = std::max(n1, m.north);
  }
  double size() const { return std::max(e1 - e0, n1 - n0); }
};
} // namespace

DesignPicture::DesignPicture(QWidget *parent) : Picture(parent) {
  setAccessibleName("Plan of what is to be measured");
  setObjectName("design picture");
  setMinimumSize(300, 240);
  setToolTip("Drag a planned mark to where it shall be; a double click proposes a new one");
}

void DesignPicture::set(std::vector<Mark> marks, std::vector<Line> lines) {
  marks_ = std::move(marks), lines_ = std::move(lines);
  const auto planned = std::count_if(marks_.begin(), marks_.end(), [](const Mark &m) { return m.planned; });
  setAccessibleDescription(QString("%1 marks, %2 of them planned").arg(marks_.size()).arg(planned));
  update();
}

DesignPicture::View DesignPicture::view() const {
  if (dragging_) return *dragging_;
  View v;
  Extent all, planned;
  for (const Mark &m : marks_) {
    all.add(m);
    const bool ends_a_line = std::any_of(
        lines_.begin(), lines_.end(), [&](const Line &l) { return l.planned && (l.from == m.name || l.to == m.name); });
    if (m.planned || ends_a_line) planned.add(m);
  }
  // What is planned fills the picture where it would be a spot in the job.
  const auto [e0, e1, n0, n1] = planned.size() > 0 && planned.size() < all.size() / 2 ? planned : all;
  const QRectF f = QRectF(rect()).adjusted(46, 40, -46, -46);
  v.scale = std::min(f.width() / std::max(10.0, e1 - e0), f.height() / std::max(10.0, n1 - n0));
  v.east = (e0 + e1) / 2, v.north = (n0 + n1) / 2, v.centre = f.center();
  return v;
}

QPointF DesignPicture::place(const std::string &mark) const {
  const View v = view();
  for (const Mark &m : marks_)
    if (m.name == mark) return v.at(m.east, m.north);
  return {};
}

std::pair<double, double> DesignPicture::ground(const QPointF &at) const {
  const View v = view();
  return {v.east + (at.x() - v.centre.x()) / v.scale, v.north - (at.y() - v.centre.y()) / v.scale};
}

std::string DesignPicture::thing_at(const QPointF &at) const {
  const View v = view();
  const Mark *m = nearest(marks_, at, [&](const Mark &x) { return v.at(x.east, x.north); });
  return m ? m->name : std::string();
}

void DesignPicture::mousePressEvent(QMouseEvent *e) {
  Picture::mousePressEvent(e);
  const std::string id = thing_at(e->position());
  for (const Mark &m : marks_)
    if (m.name == id && m.planned) dragged_ = id, pressed_ = e->position();
}

void DesignPicture::mouseMoveEvent(QMouseEvent *e) {
  if (dragged_.empty() || (!dragging_ && (e->position() - pressed_).manhattanLength() < 5)) return;
  if (!dragging_) dragging_ = view();
  const auto [east, north] = ground(e->position());
  for (Mark &m : marks_)
    if (m.name == dragged_) m.east = east, m.north = north, m.cov_en.reset();
  update();
}

void DesignPicture::mouseReleaseEvent(QMouseEvent *e) {
  const std::string mark = std::exchange(dragged_, {});
  if (!dragging_) return; // a click is no movement
  const auto [east, north] = ground(e->position());
  dragging_.reset();
  update();
  Q_EMIT moved(mark, east, north);
}

void DesignPicture::mouseDoubleClickEvent(QMouseEvent *e) {
  if (!thing_at(e->position()).empty() || marks_.empty()) return;
  const auto [east, north] = ground(e->position());
  Q_EMIT wanted(east, north);
}

void DesignPicture::draw_lines(QPainter &p, const View &v) const {
  const auto find = [&](const std::string &name) {
    return std::find_if(marks_.begin(), marks_.end(), [&](const Mark &m) { return m.name == name; });
  };
  for (const Line &l : lines_) {
    const auto a = find(l.from), b = find(l.to);
    if (a == marks_.end() || b == marks_.end()) continue;
    p.setPen(l.planned ? QPen(ink::accepted, 1.3, Qt::DashLine) : QPen(ink::hairline, 1.3));
    p.drawLine(v.at(a->east, a->north), v.at(b->east, b->north));
  }
}

void DesignPicture::draw_mark(QPainter &p, const View &v, const Mark &m, double exaggeration) const {
  const QPointF at = v.at(m.east, m.north);
  const QColor colour = m.fails ? ink::failed : m.planned ? ink::accepted : ink::text;
  if (m.cov_en && !m.held) {
    const Ellipse e = ellipse(*m.cov_en);
    const double k = factor95(2) * exaggeration;
    p.save();
    p.translate(at);
    p.rotate(e.azimuth * 180 / M_PI - 90); // its major axis from the picture's right
    p.setPen(QPen(colour, 1.2, m.planned ? Qt::DashLine : Qt::SolidLine));
    p.setBrush(Qt::NoBrush);
    p.drawEllipse(QPointF(0, 0), k * e.major, k * e.minor);
    p.restore();
  }
  const bool chosen = m.name == selected_;
  p.setPen(QPen(colour, chosen ? 2.4 : 1.4, m.planned ? Qt::DotLine : Qt::SolidLine));
  p.setBrush(m.held ? ink::text : ink::panel);
  if (m.held)
    p.drawPolygon(QPolygonF({at + QPointF(0, -5.5), at + QPointF(5, 4), at + QPointF(-5, 4)}));
  else
    p.drawEllipse(at, 4.5, 4.5);
  p.setPen(colour);
  p.setFont(sized(8.5, chosen));
  p.drawText(at + QPointF(8, -6), text(m.name));
}

void DesignPicture::paintEvent(QPaintEvent *) {
  QPainter p(this);
  draw_card(p, rect());
  if (marks_.empty()) {
    p.setPen(ink::unused);
    p.drawText(QRectF(rect()).adjusted(20, 10, -20, -10), Qt::AlignCenter | Qt::TextWordWrap,
               "Marks with a place appear here; what is planned is drawn dashed.");
    return;
  }
  const View v = view();
  // The largest ellipse takes a twelfth of the picture.
  double largest = 0;
  for (const Mark &m : marks_)
    if (m.cov_en && !m.held) largest = std::max(largest, factor95(2) * ellipse(*m.cov_en).major);
  const double exaggeration = largest > 0 ? std::min(width(), height()) / 12.0 / largest : 0;
  draw_lines(p, v);
  for (const Mark &m : marks_) draw_mark(p, v, m, exaggeration);
  p.setFont(sized(7.5));
  p.setPen(QPen(ink::text, 1.4));
  const double metres = round_below(90 / v.scale), wide = metres * v.scale;
  const double y = height() - 14;
  p.drawLine(QPointF(12, y), QPointF(12 + wide, y));
  p.setPen(ink::unused);
  p.drawText(QPointF(18 + wide, y + 4),
             metres >= 1000 ? QString("%1 km").arg(metres / 1000) : QString("%1 m").arg(metres));
  if (exaggeration > 0) {
    const double mm = round_below(60 / exaggeration * 1000), long_ = mm / 1000 * exaggeration;
    const double x = width() - 150;
    p.setPen(QPen(ink::accepted, 1.4, Qt::DashLine));
    p.drawLine(QPointF(x, y), QPointF(x + long_, y));
    p.setPen(ink::unused);
    p.drawText(QPointF(x + long_ + 6, y + 4), QString("%1 mm, 95 %").arg(mm, 0, 'g', 3));
  }
  p.setPen(ink::text);
  p.setFont(sized(8, true));
  p.drawText(QPointF(width() - 22, 20), "N");
  p.drawLine(QPointF(width() - 18, 26), QPointF(width() - 18, 44));
  p.drawLine(QPointF(width() - 18, 26), QPointF(width() - 22, 32));
  p.drawLine(QPointF(width() - 18, 26), QPointF(width() - 14, 32));
}

} // namespace ampletie::app
