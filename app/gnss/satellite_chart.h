#pragma once
#include "app/workspace.h"
#include "gnss/quality/quality.h"
#include <QWidget>

class QScrollBar;

namespace ampletie::app {

/// What a chart of satellites shows: a vector, or a track.
struct Charted {
  std::string id, fingerprint, title, error;
  std::string occupations, rover_occupation; ///< both, comma between; the one whose signals are judged
  GpsTime first, last;
  const std::vector<CarrierArc> *arcs = nullptr;
  const std::vector<ResidualSample> *residuals = nullptr;
};
/// Of the vector that is chosen; nothing: none is.
std::optional<Charted> charted_vector(const Workspace &w);

/// A solution over time with satellites as rows: residuals, signal strength or code multipath; slips as strokes,
/// spans left out hatched, large values washed with a pattern. Dragging over a row leaves the span out.
class SatelliteChart : public QWidget {
  Q_OBJECT
public:
  enum class Show { residuals, strength, multipath };
  using What = std::function<std::optional<Charted>()>;
  /// `what` tells what is shown, whenever that may have changed; `none`: said where it is nothing.
  SatelliteChart(Workspace &w, What what, QString none, QWidget *parent = nullptr);
  /// It may have changed.
  void refresh();
  void show_as(Show what);
  /// What a drag leaves out: 0 the satellite, 1 its system, 2 every satellite; "" or a carrier ("L2"); for this
  /// solution or for all.
  void set_scope(int satellites, const QString &carrier, bool every_vector);
  void highlight(std::optional<SatId> sat);
  /// Carriers of what is shown, "L1", "L2", "L5".
  std::vector<QString> carriers() const;

Q_SIGNALS:
  void satellite_chosen(std::optional<ampletie::SatId> sat);

protected:
  void paintEvent(QPaintEvent *) override;
  void mousePressEvent(QMouseEvent *e) override;
  void mouseMoveEvent(QMouseEvent *e) override;
  void mouseReleaseEvent(QMouseEvent *e) override;
  void wheelEvent(QWheelEvent *e) override;
  void resizeEvent(QResizeEvent *e) override;

private:
  struct Series {
    SatId sat;
    std::vector<std::pair<GpsTime, double>> values; ///< mm, dB-Hz or m
    double rms = 0;
  };
  struct Sample {
    SatId sat;
    GpsTime time;
    double value;
  };
  void rebuild();
  std::vector<Sample> residuals(const Charted &v) const;
  void ask_for_quality(const Charted &v);
  void take_quality(const std::vector<QualitySample> &quality);
  void take(const std::vector<Sample> &samples);
  QString in_words() const;
  QRectF area() const;
  double row_height() const;
  int visible_rows() const;
  void draw_row(QPainter &p, const Charted &v, const Series &s, double y, double h) const;
  void draw_left_out(QPainter &p, const Charted &v) const;

  Workspace &w_;
  What what_;
  QString none_;
  QScrollBar *scroll_;
  Show show_ = Show::residuals;
  std::vector<Series> series_;
  std::string built_for_;
  QString waiting_; ///< for what, or why it does not come
  std::optional<SatId> highlighted_;
  int scope_ = 0;
  QString carrier_;
  bool every_ = false;
  int drag_row_ = -1;
  double drag_from_ = 0, drag_to_ = 0;
};

} // namespace ampletie::app
