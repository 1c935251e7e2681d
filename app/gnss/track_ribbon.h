#pragma once
#include "results/tracks.h"
#include <QWidget>

namespace ampletie::app {

/// A track over time: whether the base covers it, its height with the 95 % band as a ribbon (line solid where fixed,
/// dashed float, dotted code, gap where nothing), the two directions as thin lines, satellites below, stops as flags.
/// Wheel zooms, right button moves, a drag chooses a span.
class TrackRibbon : public QWidget {
  Q_OBJECT
public:
  explicit TrackRibbon(QWidget *parent = nullptr);
  /// Null: nothing; then `words` say why. `base`: span of the base's data.
  void set(const TrackResult *t, std::pair<GpsTime, GpsTime> base, const TimeStyle &times, const QString &words);
  void select_stop(const std::string &id);
  /// The instant under the pointer is shown elsewhere too.
  void point_at(std::optional<std::size_t> epoch);

Q_SIGNALS:
  void stop_chosen(const std::string &id);
  void span_chosen(ampletie::GpsTime from, ampletie::GpsTime to);
  void pointed(std::size_t epoch);

protected:
  void paintEvent(QPaintEvent *) override;
  void wheelEvent(QWheelEvent *e) override;
  void mousePressEvent(QMouseEvent *e) override;
  void mouseMoveEvent(QMouseEvent *e) override;
  void mouseReleaseEvent(QMouseEvent *e) override;
  void mouseDoubleClickEvent(QMouseEvent *e) override;

private:
  struct Column; ///< what lies in one pixel
  QRectF area() const;
  double x_of(GpsTime t) const;
  GpsTime time_at(double x) const;
  std::size_t first_seen() const;
  void draw_bars(QPainter &p, const QRectF &a) const;
  void draw_height_lines(QPainter &p, const QRectF &a, double low, double high) const;
  void draw_heights(QPainter &p, const QRectF &a) const;
  void draw_ways(QPainter &p, const QRectF &a, double low, double high) const;
  void draw_satellites(QPainter &p, const QRectF &a) const;
  void draw_stops(QPainter &p, const QRectF &a) const;
  TrackResult track_;
  bool any_ = false;
  std::vector<float> height_, half_; ///< of each epoch, m above the lowest; half the 95 % band
  double lowest_ = 0;
  std::pair<GpsTime, GpsTime> base_;
  TimeStyle times_;
  QString words_;
  GpsTime from_, to_; ///< shown
  std::string stop_;
  std::optional<std::size_t> at_;
  std::optional<double> drag_, pan_;
  double drag_end_ = 0;
};

} // namespace ampletie::app
