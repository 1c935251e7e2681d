#pragma once
#include "app/gnss/track_drawing.h"
#include "app/widgets/picture.h"

namespace ampletie::app {

/// A track from above: its line by state, its base, its stops; the same pens as the ribbon. Wheel zooms, a drag moves,
/// a double click shows all of it.
class TrackMap : public Picture {
  Q_OBJECT
public:
  explicit TrackMap(QWidget *parent = nullptr);
  /// As of the ribbon.
  void set(const TrackResult *t, ShownTrack shown, const QString &words);
  void point_at(std::optional<std::size_t> epoch);

protected:
  void paintEvent(QPaintEvent *) override;
  void wheelEvent(QWheelEvent *e) override;
  void mousePressEvent(QMouseEvent *e) override;
  void mouseMoveEvent(QMouseEvent *e) override;
  void mouseDoubleClickEvent(QMouseEvent *) override;
  std::string thing_at(const QPointF &at) const override;

private:
  void fit();
  QPointF on_screen(const Eigen::Vector2d &en) const;
  void draw_line(QPainter &p) const;
  void draw_stops(QPainter &p) const;
  void draw_scale(QPainter &p) const;
  Eigen::Vector2d place(std::size_t i) const {
    return {static_cast<double>(shown_.drawing->east[i]), static_cast<double>(shown_.drawing->north[i])};
  }
  ShownTrack shown_;
  std::vector<TrackStop> stops_;
  std::vector<Eigen::Vector2d> at_stops_;
  std::string id_, base_;
  QString words_;
  std::optional<std::size_t> at_;
  double scale_ = 1; ///< pixels per metre
  Eigen::Vector2d middle_{0, 0};
  std::optional<QPointF> pan_;
  bool fitted_ = false;
};

} // namespace ampletie::app
