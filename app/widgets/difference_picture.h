#pragma once
#include "app/widgets/picture.h"
#include <Eigen/Core>
#include <optional>
#include <vector>

namespace ampletie::app {

/// A mark in two systems, or at two times: by how much it lies apart, and how much of that is nothing.
struct Difference {
  std::string mark;
  double east = 0, north = 0; ///< its place, m
  struct Part {
    Eigen::Vector2d by{0, 0}; ///< east, north, m; of heights the first is up
    double within = 0;        ///< radius of the 95 % circle, m; of heights not used
    bool passes = true, counts = true;
  };
  std::optional<Part> plan, height;
  bool check = false;  ///< drawn as one
  bool corner = false; ///< of what determines the plan: an outline is drawn around all of them
  std::string label{}; ///< in place of the mark's name, where several stand at one
};

/// Differences in plan as arrows, with the 95 % circle within which each is nothing; heights as bars beside the marks.
/// A click chooses the mark.
class DifferencePicture : public Picture {
  Q_OBJECT
public:
  DifferencePicture(const QString &name, const QString &title, QWidget *parent = nullptr);
  /// `words`: what stands there when there is nothing to draw.
  void set(std::vector<Difference> all, const QString &words);
  /// Where a mark is drawn, for tests.
  QPointF place(const std::string &mark) const;

protected:
  void paintEvent(QPaintEvent *) override;
  std::string thing_at(const QPointF &at) const override;

private:
  struct Item {
    QPointF at; ///< in the picture
    const Difference *what;
  };
  std::vector<Item> items() const;
  void draw_outline(QPainter &p, const std::vector<Item> &all) const;
  void draw_item(QPainter &p, const Item &i, double exaggeration) const;
  void draw_scale(QPainter &p, double exaggeration) const;
  QString title_, words_;
  std::vector<Difference> all_;
};

} // namespace ampletie::app
