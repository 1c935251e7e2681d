#pragma once
#include "adjustment/block.h"
#include "network/network.h"

namespace ampletie {

/// Where a mark's three parameters start and how its local axes lie.
struct MarkAxes {
  int first = 0;
  Vec3 origin = Vec3::Zero();   ///< a-priori Cartesian position
  Mat3 axes = Mat3::Identity(); ///< rows east, north, up
  /// The third parameter of a mark that is known by its physical height is that height: its ellipsoidal one rests on
  /// the geoid's corrections too, as Σ weight · parameter. Empty where the parameter is the ellipsoidal height.
  std::vector<std::pair<int, double>> lift{};
  /// What the geoid's correction at this mark is, as a sum of the surface's nodes; empty without a surface.
  std::vector<std::pair<int, double>> surface{};
  double physical_origin = 0; ///< ellipsoidal height of the origin less the geoid's undulation, m
};

/// East, north and up of a mark as a linear map of parameters.
struct MarkMap {
  std::vector<int> parameters;
  Eigen::MatrixXd rows; ///< 3 × parameters
};
MarkMap enu_map(const MarkAxes &a);
/// Its physical height less `physical_origin`, as a row.
MarkMap height_map(const MarkAxes &a);

/// Observed difference of physical heights.
std::unique_ptr<Block> level_block(const NetworkLevel &l, const MarkAxes &from, const MarkAxes &to);

/// The geoid's corrections at its nodes are zero with the grid's standard deviation, correlated over distance:
/// exp(−(d/L)²) (Moritz 1980, a Gaussian covariance of the residual field). `places`: of the nodes, m.
std::unique_ptr<Block> geoid_block(int first, const std::vector<Eigen::Vector2d> &places, double sd,
                                   double correlation);

/// First parameters of what carries an antenna away from the marker at both ends of a vector; −1: none.
struct EndUnknowns {
  int from_setup = -1, to_setup = -1, from_antenna = -1, to_antenna = -1;
  std::vector<int> turns{}; ///< rotations about `turn_axes` and scale of the groups that it belongs to
  Mat3 turn_axes = Mat3::Identity();
};
/// Observed Cartesian difference; touches two marks and what stands over them.
std::unique_ptr<LinearBlock> vector_block(const NetworkVector &v, const MarkAxes &from, const MarkAxes &to,
                                          const EndUnknowns &ends = {});

/// The vectors of one session solution as one block; `vectors` holds theirs, by id. Throws `InputError` when one is
/// missing.
std::unique_ptr<Block> session_block(const NetworkSession &s,
                                     const std::map<std::string, std::unique_ptr<LinearBlock>> &vectors);

/// The set-up stands over the mark: centring and height error are zero with their standard deviations.
std::unique_ptr<Block> setup_block(const NetworkSetup &s, int first_parameter);

/// The mean calibration of an antenna type is that of the antennas used, with its uncertainty.
std::unique_ptr<Block> antenna_block(const std::string &antenna, int first_parameter, const Vec3 &sd_enu);

/// Coordinates of a mark known with an accuracy; `observed_enu` relative to its origin.
std::unique_ptr<Block> coordinate_block(const std::string &mark, int first_parameter, const Vec3 &observed_enu,
                                        const Mat3 &cov_enu);

} // namespace ampletie
