#pragma once
#include "app/widgets/picture.h"
#include "app/widgets/table.h"
#include "app/workspace.h"

namespace ampletie::app {

/// How far ellipsoidal and physical heights and the geoid's grid disagree at each mark after the adjustment: bars with
/// their standard deviations inside the grid's stated accuracy. A click chooses the mark.
class GeoidPicture : public Picture {
  Q_OBJECT
public:
  struct Bar {
    std::string mark;
    double value = 0, sd = 0; ///< m
    bool levelled = true;     ///< levels and vectors meet there; else the surface carries it over
  };
  explicit GeoidPicture(QWidget *parent = nullptr);
  void set(std::vector<Bar> bars, double prior_sd);
  /// Foot of a bar, for tests.
  QPointF place(const std::string &mark) const;

protected:
  void paintEvent(QPaintEvent *) override;
  std::string thing_at(const QPointF &at) const override;

private:
  QRectF field() const;
  double slot() const;
  std::vector<Bar> bars_;
  double prior_ = 0;
};

/// The list and the picture of h − H − N.
class GeoidPart : public QWidget {
  Q_OBJECT
public:
  explicit GeoidPart(Workspace &w, QWidget *parent = nullptr);
  void refresh();
  int count() const { return count_; }

private:
  Workspace &w_;
  TableCard *table_;
  GeoidPicture *picture_;
  int count_ = 0;
};

} // namespace ampletie::app
