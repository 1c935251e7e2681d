#pragma once
#include "app/widgets/picture.h"
#include <Eigen/Core>
#include <optional>
#include <vector>

namespace ampletie::app {

/// The plan of what is to be measured: planned things pale and dashed, with the ellipses that they will reach. A
/// planned mark is dragged to where it shall be; a double click proposes a new one.
class DesignPicture : public Picture {
  Q_OBJECT
public:
  struct Mark {
    std::string name;
    double east = 0, north = 0; ///< m
    bool planned = false, held = false, fails = false;
    std::optional<Eigen::Matrix2d> cov_en{}; ///< m²; absent: not determined
  };
  struct Line {
    std::string from, to;
    bool planned = false;
  };
  explicit DesignPicture(QWidget *parent = nullptr);
  void set(std::vector<Mark> marks, std::vector<Line> lines);
  QPointF place(const std::string &mark) const; ///< for tests; null: not drawn

Q_SIGNALS:
  void moved(const std::string &mark, double east, double north);
  void wanted(double east, double north);

protected:
  void paintEvent(QPaintEvent *) override;
  void mousePressEvent(QMouseEvent *e) override;
  void mouseMoveEvent(QMouseEvent *e) override;
  void mouseReleaseEvent(QMouseEvent *e) override;
  void mouseDoubleClickEvent(QMouseEvent *e) override;
  std::string thing_at(const QPointF &at) const override;

private:
  struct View {
    double scale = 1, east = 0, north = 0;
    QPointF centre;
    QPointF at(double e, double n) const { return {centre.x() + scale * (e - east), centre.y() - scale * (n - north)}; }
  };
  View view() const;
  std::pair<double, double> ground(const QPointF &at) const;
  void draw_lines(QPainter &p, const View &v) const;
  void draw_mark(QPainter &p, const View &v, const Mark &m, double exaggeration) const;
  std::vector<Mark> marks_;
  std::vector<Line> lines_;
  std::string dragged_; ///< planned mark that the mouse was pressed on
  QPointF pressed_;
  std::optional<View> dragging_; ///< kept while a mark is dragged, so that the ground stands still under it
};

} // namespace ampletie::app
