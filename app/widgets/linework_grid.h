#pragma once
#include "formats/linework.h"
#include "geodesy/projection.h"
#include <QPointF>
#include <optional>

namespace ampletie::app {

/// Leads a drawing into the job's grid, metres east and north. Without a shift between datums: metres do not matter
/// behind a plan. Its figures are in the unit of its own system; where it names neither system nor unit, in that of the
/// job's grid.
class LineworkInGrid {
public:
  /// `job`: code of the job's grid; empty: it has none. Throws `InputError` where nothing leads from the drawing's
  /// system to it.
  LineworkInGrid(const Linework &l, const std::string &job);
  QPointF operator()(const Eigen::Vector2d &p) const;

private:
  std::optional<Projection> grid_; ///< nothing: figures are taken as they are, times `unit_`
  std::optional<Projection> own_;  ///< of the drawing, where it is another grid
  bool geographic_ = false, named_ = false;
  double unit_ = 1;
};

} // namespace ampletie::app
