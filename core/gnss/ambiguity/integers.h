#pragma once
#include "gnss/ambiguity/lambda.h"
#include <string>

namespace ampletie {

using IntMatrix = Eigen::Matrix<std::int64_t, Eigen::Dynamic, Eigen::Dynamic>;

/// Integer combinations that were accepted: `coefficients · arcs = values`, where `arcs` is the difference rover − base
/// of the carrier ambiguities in cycles.
struct AcceptedIntegers {
  IntMatrix coefficients;
  IntVector values;
};

enum class Solution { code, floating, partly_fixed, fixed };
std::string solution_name(Solution s);

/// One step of the story from real numbers to integers.
struct FixingStep {
  int tried = 0, accepted = 0;              ///< combinations still open before it; combinations it fixed
  double ratio = 0, success = 0, sd_mm = 0; ///< largest standard deviation of the position after it
};

} // namespace ampletie
