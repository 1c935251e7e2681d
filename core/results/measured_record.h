#pragma once
#include "results/measured.h"
#include <nlohmann/json.hpp>

namespace ampletie {

/// Where the network finds the end of a measured vector, less where it was measured: east, north, up at its end, m,
/// with the covariance of that difference, the vector's own and the network's added (for one that took part too large,
/// never too small). Nothing where the network has not both its marks.
struct MeasuredDifference {
  Vec3 enu = Vec3::Zero();
  Mat3 cov = Mat3::Zero();
};
std::optional<MeasuredDifference> difference_to(const MeasuredVector &v, const JobSnapshot &s, const NetworkRun *run);

/// "fixed", "float", "code"; empty: not said.
const char *measured_status(MeasuredVector::Status s);

/// All measured vectors and fixes with what they differ from the network, as lists and records hold them.
nlohmann::ordered_json measured_rows(const JobSnapshot &s, const NetworkRun *run);

} // namespace ampletie
