#pragma once
#include "app/gnss/track_drawing.h"
#include <QWidget>

namespace ampletie::app {

/// A track over time: whether the base covers it, its height with the 95 % band as a ribbon (line solid where fixed,
/// dashed float, dotted code, gap where nothing), the two directions as thin lines, satellites below, stops as flags.
/// Wheel zooms, right button moves, a drag chooses a span.
class TrackRibbon : public QWidget {
  Q_OBJECT
public:
  explicit TrackRibbon(QWidget *parent = nullptr);
  /// Null: nothing; then `words` say why. `hidden`: 1 for epochs that are not drawn, empty for none.
  void set(const TrackResult *t, ShownTrack shown, const TimeStyle &times, const QString &words);
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
  QRectF area() const;
  double x_of(GpsTime t) const;
  double x_of(double seconds) const; ///< since the first epoch
  GpsTime time_at(double x) const;
  /// Those that are seen, the second beyond the last.
  std::pair<std::size_t, std::size_t> seen() const;
  void draw_bars(QPainter &p, const QRectF &a) const;
  void draw_height_lines(QPainter &p, const QRectF &a, double low, double high) const;
  void draw_heights(QPainter &p, const QRectF &a) const;
  void draw_ways(QPainter &p, const QRectF &a, double low, double high) const;
  void draw_satellites(QPainter &p, const QRectF &a) const;
  void draw_stops(QPainter &p, const QRectF &a) const;
  TrackResult track_;
  ShownTrack shown_;
  TimeStyle times_;
  QString words_;
  GpsTime from_, to_; ///< shown
  std::string stop_;
  std::optional<std::size_t> at_;
  std::optional<double> drag_, pan_;
  double drag_end_ = 0;
};

} // namespace ampletie::app
