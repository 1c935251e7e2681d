#pragma once
#include "adjustment/block.h"
#include "network/network.h"

namespace ampletie {

/// Where a mark's three parameters start and how its local axes lie.
struct MarkAxes {
  int first = 0;
  Vec3 origin = Vec3::Zero();   ///< a-priori Cartesian position
  Mat3 axes = Mat3::Identity(); ///< rows east, north, up
};

/// Observed Cartesian difference; touches two marks and, if given (index ≥ 0), two set-ups.
std::unique_ptr<LinearBlock> vector_block(const NetworkVector &v, const MarkAxes &from, const MarkAxes &to,
                                          int from_set_up, int to_set_up);

/// The vectors of one session solution as one block; `vectors` holds theirs, by id. Throws `InputError` when one is
/// missing.
std::unique_ptr<Block> session_block(const NetworkSession &s,
                                     const std::map<std::string, std::unique_ptr<LinearBlock>> &vectors);

/// The set-up stands over the mark: centring and height error are zero with their standard deviations.
std::unique_ptr<Block> set_up_block(const NetworkSetUp &s, int first_parameter);

/// Coordinates of a mark known with an accuracy; `observed_enu` relative to its origin.
std::unique_ptr<Block> coordinate_block(const std::string &mark, int first_parameter, const Vec3 &observed_enu,
                                        const Mat3 &cov_enu);

} // namespace ampletie
