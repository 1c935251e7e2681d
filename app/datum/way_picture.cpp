#include "app/datum/way_picture.h"
#include "app/widgets/painting.h"
#include "base/size_words.h"
#include <algorithm>

namespace ampletie::app {
namespace {
constexpr double top = 34, line_x = 30, tallest = 66;

/// "± 3 mm", or what is said in place of a number.
QString accuracy_of(const WayStation &w) {
  if (w.accuracy_m) return "± " + text(length_words(*w.accuracy_m, *w.accuracy_m < 0.01 ? 1 : 0));
  return text(w.accuracy);
}

QColor colour_of(const WayStation &w) {
  return !w.problem.empty() ? ink::failed : w.kind == WayStation::Kind::held ? ink::text : ink::accepted;
}
} // namespace

WayPicture::WayPicture(QWidget *parent) : Picture(parent) {
  setAccessibleName("Way of the datum");
  setObjectName("way picture");
  setMinimumSize(400, 300);
}

void WayPicture::set(std::vector<WayStation> stations) {
  stations_ = std::move(stations);
  QString words;
  for (const WayStation &w : stations_)
    words += text(w.title) + ": " + text(w.problem.empty() ? w.detail : w.problem) + ". " + text(w.moves) + " " +
             accuracy_of(w) + "\n";
  setAccessibleDescription(words);
  update();
}

void WayPicture::draw_station(QPainter &p, const WayStation &w, double y, double height) const {
  const double left = line_x + 26, wide = width() - left - 16, moves_at = left + wide * 0.5,
               accuracy_at = left + wide * 0.79;
  const QColor c = colour_of(w);
  p.setPen(QPen(c, 2));
  p.setBrush(w.problem.empty() ? ink::panel : QColor(ink::warm));
  if (w.kind == WayStation::Kind::held)
    p.drawPolygon(QPolygonF({QPointF(line_x, y - 7), QPointF(line_x + 7, y + 5), QPointF(line_x - 7, y + 5)}));
  else if (w.kind == WayStation::Kind::issued)
    p.drawRect(QRectF(line_x - 6, y - 6, 12, 12));
  else
    p.drawEllipse(QPointF(line_x, y), 6, 6);
  p.setFont(sized(9.5, true));
  p.setPen(w.problem.empty() ? ink::text : ink::failed);
  const double from = y - 12;
  p.drawText(QRectF(left, from, moves_at - left - 12, 18), Qt::AlignLeft | Qt::AlignVCenter,
             p.fontMetrics().elidedText(text(w.title), Qt::ElideRight, static_cast<int>(moves_at - left - 12)));
  p.setFont(sized(8.5));
  p.setPen(w.problem.empty() ? ink::unused : ink::failed);
  const double over = w.problem.empty() ? moves_at - left - 12 : wide;
  p.drawText(QRectF(left, from + 18, over, height - 24), Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap,
             text(w.problem.empty() ? w.detail : w.problem));
  p.setPen(ink::text);
  p.setFont(sized(9));
  if (w.problem.empty()) {
    const QString moves = !w.moves.empty() ? text(w.moves)
                          : w.moves_m      ? text(length_words(*w.moves_m, 1))
                                           : QString("–");
    p.drawText(QRectF(moves_at, from, accuracy_at - moves_at - 12, height - 4),
               Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, moves);
    p.setFont(sized(9, w.accuracy_m.has_value()));
    p.drawText(QRectF(accuracy_at, from, left + wide - accuracy_at, height - 4),
               Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, accuracy_of(w));
  }
}

void WayPicture::paintEvent(QPaintEvent *) {
  QPainter p(this);
  draw_card(p, rect());
  if (stations_.empty()) {
    p.setPen(ink::unused);
    p.drawText(rect(), Qt::AlignCenter, "From the orbits to the issued figure: open a job");
    return;
  }
  const double left = line_x + 26, wide = width() - left - 16;
  p.setFont(sized(8.5));
  p.setPen(ink::unused);
  p.drawText(QPointF(left, 22), "From the orbits to the issued figure");
  p.drawText(QPointF(left + wide * 0.5, 22), "What it does here");
  p.drawText(QPointF(left + wide * 0.79, 22), "How well it is known");
  const double step = std::min(tallest, (height() - top - 20) / static_cast<double>(stations_.size()));
  const auto y = [&](std::size_t i) { return top + 18 + static_cast<double>(i) * step; };
  for (std::size_t i = 0; i + 1 < stations_.size(); ++i) {
    // The way goes on behind a station that is in order, and comes from one.
    const bool whole = stations_[i].problem.empty() && stations_[i + 1].problem.empty();
    p.setPen(QPen(whole ? ink::accepted : ink::unused, 2, whole ? Qt::SolidLine : Qt::DashLine));
    p.drawLine(QPointF(line_x, y(i) + 7), QPointF(line_x, y(i + 1) - 7));
  }
  for (std::size_t i = 0; i < stations_.size(); ++i) draw_station(p, stations_[i], y(i), step);
}

} // namespace ampletie::app
