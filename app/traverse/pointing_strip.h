#pragma once
#include "app/widgets/picture.h"
#include "results/setups.h"
#include <QWidget>

namespace ampletie::app {

/// Every pointing of a set-up against the mean of its target: a row a target, a lane each for direction, zenith angle
/// and distance, with the band that they may spread in. Face 1 stands above the middle, face 2 below. A click chooses a
/// pointing.
class PointingStrip : public Picture {
  Q_OBJECT
public:
  explicit PointingStrip(QWidget *parent = nullptr);
  /// Null: nothing is shown.
  void set(std::shared_ptr<const ReducedSetup> setup);
  QSize sizeHint() const override;
  QSize minimumSizeHint() const override { return {250, 90}; }
  /// Where the tick of a pointing stands in the lane of directions, for tests; null when it has none.
  QPointF tick_of(const std::string &pointing) const;

protected:
  void paintEvent(QPaintEvent *) override;
  std::string thing_at(const QPointF &at) const override;

private:
  struct Tick {
    std::string pointing;
    std::size_t target;
    int lane, face;
    double off; ///< against the mean, in units of half the band
    bool beyond, used;
  };
  void compute();
  QRectF lane(std::size_t target, int which) const;
  QLineF line_of(const Tick &t) const;
  std::shared_ptr<const ReducedSetup> setup_;
  std::vector<Tick> ticks_;
};

} // namespace ampletie::app
