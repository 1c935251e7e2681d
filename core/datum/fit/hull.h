#pragma once
#include <Eigen/Core>
#include <vector>

namespace ampletie {

/// The corners of the convex hull of points in a plane, anticlockwise, by the monotone chain of Andrew (1979). Of
/// points on one line its ends.
std::vector<Eigen::Vector2d> convex_hull(std::vector<Eigen::Vector2d> points);

/// How far a point lies outside of a hull; 0 inside. Infinite for a hull of nothing.
double distance_outside(const std::vector<Eigen::Vector2d> &hull, const Eigen::Vector2d &p);

} // namespace ampletie
