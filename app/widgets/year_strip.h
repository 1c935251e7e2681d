#pragma once
#include <QPainter>
#include <array>

namespace ampletie::app {

/// One direction of a mark's way over the years, one of three strips of a picture: its axes, and what they mean.
struct YearStrip {
  static constexpr std::array names{"East", "North", "Up"};
  QRectF area;
  double low = 0, high = 0;   ///< m
  double first = 0, last = 0; ///< years
  double x(double year) const { return area.left() + area.width() * (year - first) / (last - first); }
  double y(double metres) const { return area.bottom() - area.height() * (metres - low) / (high - low); }
  /// Lines at round years, their figures below the third strip, the zero, the strip's name and how tall it is.
  void draw_axes(QPainter &p, int axis) const;
  /// "+3.1 ± 0.4 mm/yr" at the right end above the strip.
  void draw_rate(QPainter &p, double rate, double sd, const QColor &colour) const;
  /// The three areas of a picture with a line of words above them.
  static QRectF area_of(const QRect &picture, int axis);
};

} // namespace ampletie::app
