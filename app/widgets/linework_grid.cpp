#include "app/widgets/linework_grid.h"
#include "base/angle.h"
#include "base/error.h"

namespace ampletie::app {
namespace {
/// East and north as files of maps hold them, whatever order the register has, in metres.
Eigen::Vector2d metres(const Projection &p, const Eigen::Vector2d &east_north) {
  const bool swapped = p.axes()[0].along == 1;
  return p.from_native(swapped ? Eigen::Vector2d(east_north.y(), east_north.x()) : east_north);
}
} // namespace

LineworkInGrid::LineworkInGrid(const Linework &l, const std::string &job)
    : geographic_(l.geographic), named_(!l.crs.empty()) {
  if (job.empty() || is_local(job)) {
    if (named_) throw InputError("nothing leads from " + l.crs + " to the job's plane");
    return;
  }
  grid_.emplace(job);
  if (!named_) {
    if (!l.unit_stated) unit_ = grid_->axes()[0].metres;
    return;
  }
  if (!geographic_ && l.crs != job) own_.emplace(l.crs);
}

QPointF LineworkInGrid::operator()(const Eigen::Vector2d &p) const {
  if (!named_) return {p.x() * unit_, p.y() * unit_};
  Eigen::Vector2d at;
  if (geographic_ || own_) {
    Geodetic g{radians(p.y()), radians(p.x()), 0};
    if (own_) {
      const Eigen::Vector2d m = metres(*own_, p);
      g = own_->unproject(m.x(), m.y(), 0);
    }
    const GridPoint q = grid_->project(g);
    at = {q.east, q.north};
  } else
    at = metres(*grid_, p);
  return {at.x(), at.y()};
}

} // namespace ampletie::app
