#pragma once
#include "network/groups.h"
#include "network/terrestrial.h"

namespace ampletie {

inline bool holds_plan(Hold h) { return h == Hold::full || h == Hold::plan; }
inline bool holds_height(Hold h) { return h == Hold::full || h == Hold::height; }

/// The network as parameters and blocks, with where everything stands.
struct NetworkProblem {
  Problem problem;
  std::map<std::string, MarkAxes> axes;            ///< by mark
  std::map<std::string, StationUnknowns> stations; ///< by set-up of a total station
  std::map<std::string, int> azimuths;             ///< by instrument: the constant of its azimuths
  std::map<std::string, int> turns;                ///< by group: its first unknown
  int plumb_step = 1;                              ///< from a plumb line's ξ to its η among the parameters
};
/// Throws `InputError` when something ends at a mark that is not there; fills the maps of `out`.
NetworkProblem build_problem(const NetworkInput &in, NetworkResult &out);

/// The parts of a block; of one that has none, itself.
std::vector<Block::Part> parts_of(const Block &b);

/// A block at the adjusted values: computed observations and their derivatives for all of its parameters.
void evaluate_at(const Block &b, const AdjustmentResult &r, Eigen::VectorXd &computed, Eigen::MatrixXd &jacobian);

/// Joins the ends of vectors, and what total stations sighted.
void join_marks(Groups &g, const NetworkInput &in);

} // namespace ampletie
