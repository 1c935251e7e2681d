#pragma once
#include "base/vector.h"
#include <optional>
#include <vector>

namespace ampletie {

/// Which of two sets of points are the same, told by how they lie to one another alone, whatever their names: turned,
/// shifted, and of nearly one scale (ground and grid, not feet and metres).
struct PointMatch {
  std::vector<std::pair<std::size_t, std::size_t>> pairs; ///< index in `from`, index in `to`
  double worst_m = 0;                                     ///< farthest that a pair lies from where the others put it
};
/// The largest set of pairs that one similarity brings within `within` metres, at least three; nothing where there is
/// none, or where another set of as many pairs does it otherwise (a regular grid of marks fits in several ways). Points
/// with NaN take no part. Of more than 60 points on a side the first 60.
std::optional<PointMatch> match_by_position(const std::vector<Eigen::Vector2d> &from,
                                            const std::vector<Eigen::Vector2d> &to, double within = 0.15);

} // namespace ampletie
