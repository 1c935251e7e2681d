#pragma once
#include "network/network.h"

namespace ampletie {

/// The group of an observation, by the id and kind of its block or part; empty: it belongs to none and its stated
/// accuracy stands.
using Grouping = std::function<std::string(const std::string &id, const std::string &kind)>;

/// How accurate a group of observations turns out, beside what is stated of it.
struct VarianceComponent {
  std::string group;
  int observations = 0;
  double redundancy = 0;  ///< its share, tr(P Q_vv P V)
  double factor = 1;      ///< on its standard deviations, beyond what is decided
  double sd = 0;          ///< of the factor
  bool estimated = false; ///< else too little redundancy: the stated accuracy stands
  bool vanishes = false;  ///< nothing is left for it: the estimate runs to zero, which no group has
};
struct VarianceComponents {
  std::vector<VarianceComponent> groups; ///< by name
  int iterations = 0;
  bool converged = true;
  bool with_covariance = true; ///< standard errors with what the groups share; in large networks each by itself
};

/// Variance components of the groups, by iteration to the fixed point of Helmert's estimator, which is that of iterated
/// minimum norm quadratic estimation and of restricted maximum likelihood (Helmert 1924; Rao 1971; Förstner 1979; Koch
/// 1999): with V the part of a covariance that belongs to a group (rows and columns shared half and half), the variance
/// is multiplied with (Pv)ᵀV(Pv) / tr(P Q_vv P V) until it stands. Standard errors from 2 S⁻¹, S = tr(W V W V'), W = P
/// Q_vv P. Throws as `adjust_network`.
VarianceComponents variance_components(const NetworkInput &in, const Grouping &group, const Progress &progress);

/// The network without one of the groups.
struct WithoutGroup {
  std::string group;
  int observations = 0, redundancy = 0; ///< of the group; of what remains
  double variance_factor = 1, upper = 0;
  bool passes = true;
  double moves_m = 0;            ///< the largest move of a mark that the others determine
  Vec3 move_enu = Vec3::Zero();  ///< that move, m
  std::string moves;             ///< the mark
  std::vector<std::string> lost; ///< marks that nothing else determines
};

/// Leaves every group out in turn. `all`: the network with all of them.
std::vector<WithoutGroup> without_each_group(const NetworkInput &in, const NetworkResult &all, const Grouping &group,
                                             const Progress &progress);

} // namespace ampletie
