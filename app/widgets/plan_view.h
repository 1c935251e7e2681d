#pragma once
#include "app/widgets/plan_labels.h"
#include "app/widgets/plan_layers.h"
#include "app/workspace.h"
#include <QPixmap>
#include <QWidget>
#include <set>
#include <unordered_map>

namespace ampletie::app {

/// The plan: marks, vectors and 95 % ellipses in the job's grid; north arrow, scale bar, grid lines. Wheel zooms, drag
/// pans, F fits, a click selects.
class PlanView : public QWidget {
  Q_OBJECT
public:
  explicit PlanView(Workspace &w, bool ellipses, QWidget *parent = nullptr);
  QSize sizeHint() const override { return {380, 320}; }
  void fit();
  /// Draws what total stations sighted, and the legs of traverses.
  void show_sights(bool on) {
    sights_ = on;
    reload();
  }
  /// Draws how marks move in the job's frame.
  void show_velocities(bool on) {
    velocities_ = on;
    redraw();
  }
  /// Fits the plan around these marks from now on; empty: around all.
  void fit_to(std::set<std::string> marks);
  /// Place of a mark on the widget, for tests; null when it is not on the plan.
  QPointF place(const std::string &mark) const;

Q_SIGNALS:
  void mark_clicked(const std::string &mark);

protected:
  void paintEvent(QPaintEvent *) override;
  void wheelEvent(QWheelEvent *e) override;
  void mousePressEvent(QMouseEvent *e) override;
  void mouseMoveEvent(QMouseEvent *e) override;
  void mouseReleaseEvent(QMouseEvent *e) override;
  void keyPressEvent(QKeyEvent *e) override;
  void resizeEvent(QResizeEvent *) override;
  void showEvent(QShowEvent *) override;

private:
  /// A way from above, thinned: east and north from its base in the job's grid, and what each place rests on.
  struct Way {
    std::string base, layer;
    QString words; ///< of the layer
    std::vector<QPointF> at;
    std::vector<TrackState> states;
  };
  void reload();
  /// Tells the button what there is to be hidden (plan_offers.cpp).
  void offer_layers();
  /// The layers that a vector belongs to: of its kind, of its session.
  static const char *kind_layer(const VectorResult &v);
  std::string of_job(const std::string &layer) const; ///< a layer that no other job has
  bool shows(const VectorResult &v) const;
  bool shows(const MeasuredVector &) const { return layers_->shows("measured"); }
  bool shows_code(const std::string &code) const {
    return layers_->everything() || layers_->shows(of_job("code/" + code));
  }
  void redraw();
  /// What is painted meanwhile is the plan as it was.
  void redraw_soon();
  void draw(QPainter &p) const;
  QPointF to_screen(double east, double north) const;
  void draw_grid(QPainter &p) const;
  void draw_vectors(QPainter &p) const;
  void draw_sights(QPainter &p) const;
  void draw_code_lines(QPainter &p) const;
  void draw_ellipses(QPainter &p) const;
  void draw_velocities(QPainter &p) const;
  void draw_marks(QPainter &p) const;
  void draw_frame(QPainter &p) const;
  bool load_tracks(); ///< whether they are others than before
  void draw_tracks(QPainter &p) const;
  bool load_linework(); ///< whether it is another than before
  void draw_linework(QPainter &p) const;
  const PlanMark *base_of(const Way &way) const; ///< null: it has no place yet
  std::string mark_at(QPointF where) const;
  std::string vector_at(QPointF where) const;

  Workspace &w_;
  PlanLayers *layers_;
  bool ellipses_, sights_ = false, velocities_ = false;
  std::set<std::string> around_;
  std::vector<PlanMark> marks_;
  std::unordered_map<std::string, std::size_t> index_;
  std::vector<Way> ways_;
  std::string ways_of_; ///< the tracks that they are of
  /// Lines of the site, in the job's grid.
  struct Drawn {
    QRectF around;
    QPolygonF points;
    std::size_t layer = 0; ///< of `linework_layers_`
  };
  std::vector<Drawn> linework_;
  std::vector<PlanLayer> linework_layers_;
  std::string linework_of_;
  mutable PlanStamps stamps_;
  mutable QHash<QString, double> name_widths_;
  QPixmap drawing_; ///< as it was last painted; null: to be drawn anew
  bool drawn_with_focus_ = false;
  bool drawn_soon_ = false;
  bool just_shown_ = false; ///< with tables that come into view beside it: a large plan is drawn after them
  double scale_ = 0.01;     ///< px per m
  double centre_e_ = 0, centre_n_ = 0;
  bool fitted_ = false;
  QPointF press_, last_;
  bool dragging_ = false;
};

} // namespace ampletie::app
