#pragma once
#include "base/vector.h"
#include <Eigen/Core>
#include <string>
#include <vector>

namespace ampletie {

/// A mark at two times, in one frame, axes east, north, up.
struct ChangedMark {
  std::string name;
  Vec3 place = Vec3::Zero();       ///< about where it is, m from any origin near the site
  Vec3 difference = Vec3::Zero();  ///< later less earlier, m
  bool plan = true, height = true; ///< what both times determine
};

struct CongruenceInput {
  std::vector<ChangedMark> marks;
  Eigen::MatrixXd cov;   ///< 3n × 3n, of all differences: the sum of both times', m²
  bool rotation = false; ///< the times may also be turned to one another about the vertical (terrestrial networks)
  double alpha = 0.05;   ///< of the test that a group of marks is congruent
};

/// How one mark changed against the marks that did not.
struct Displacement {
  std::string name;
  bool stable = true;        ///< in the reference group
  Vec3 moved = Vec3::Zero(); ///< m
  Mat3 cov = Mat3::Zero();
  double statistic = 0;                  ///< by how much χ² of the whole falls when the mark may move
  double seen_plan = 0, seen_height = 0; ///< the smallest movements that the test of the whole finds, power 80 %, m
};

struct Congruence {
  double statistic = 0, limit = 0; ///< χ² that nothing moved at all
  int degrees = 0;
  bool congruent = true;
  double group_statistic = 0, group_limit = 0; ///< the same of the reference group
  int group_degrees = 0;
  Vec3 shift = Vec3::Zero();       ///< that the reference group has in common, m (without the turn)
  std::vector<Displacement> marks; ///< in the order of the input
  std::string problem;             ///< why no reference group was found; then nothing is said of single marks
};

/// Congruence of two times and localisation of what moved (Pelzer 1971; Niemeier 1981; Caspary 1987), the common shift
/// (and turn) being unknown: dᵀ(Q⁻¹ − Q⁻¹G(GᵀQ⁻¹G)⁻¹GᵀQ⁻¹)d against χ²(1 − α). As long as it fails the mark that
/// explains most leaves the reference group; at the end each that left is tried again. Throws `InputError` where fewer
/// than two marks are common, or a covariance is none.
Congruence compare_times(const CongruenceInput &in);

} // namespace ampletie
