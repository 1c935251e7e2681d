#pragma once
#include "app/widgets/picture.h"
#include "results/traverses.h"
#include <QWidget>

namespace ampletie::app {

/// A traverse by legs, one row a station: its angle, a strip of its directions inside the band that they may spread in,
/// the leg to the next station with what its two ends differ by, and how far the route has drifted so far. A click
/// chooses the station's set-up.
class TraverseLegs : public Picture {
  Q_OBJECT
public:
  explicit TraverseLegs(QWidget *parent = nullptr);
  /// Null: nothing is shown. Both must live until the next call.
  void set(std::shared_ptr<const TraverseReport> report, const std::string &line);
  QSize sizeHint() const override;
  QSize minimumSizeHint() const override { return {420, 120}; }
  /// Middle of a station's row, for tests.
  QPoint row_of(const std::string &setup) const;

protected:
  void paintEvent(QPaintEvent *) override;
  std::string thing_at(const QPointF &at) const override;

private:
  double top(std::size_t row) const;
  std::shared_ptr<const TraverseReport> report_;
  std::string line_;
};

} // namespace ampletie::app
