#pragma once
#include "gnss/ambiguity/integers.h"
#include "gnss/model/arcs.h"
#include "gnss/model/options.h"
#include <set>
#include <vector>

namespace ampletie {

struct Fixed {
  Solution solution = Solution::floating;
  Eigen::VectorXd x;
  Eigen::MatrixXd p;
  AcceptedIntegers integers;
  std::vector<FixingStep> story;
  double ratio = 0, success = 0;
  int real_arc = -1; ///< the arc that had to stay real for the others to be settled
};

/// Partial integer fixing (Teunissen et al. 1999), repeated: what is accepted sharpens what is still open. Every step
/// must pass the success rate, the ratio test and the agreement with the float solution by itself. `x`, `p`: state with
/// the position first and one ambiguity per arc, in cycles, from `first_arc` on. Arcs of systems that are not in
/// `integer_systems` stay real. `stand`: enough integers to hold the position are in the state already, so that what is
/// open may be accepted one by one.
Fixed fix_integers(const Eigen::VectorXd &x, const Eigen::MatrixXd &p, Eigen::Index first_arc,
                   const std::vector<CarrierArc> &arcs, const std::set<char> &integer_systems, const StaticOptions &o,
                   bool stand = false);

} // namespace ampletie
