#pragma once
#include "results/measured.h"
#include <nlohmann/json.hpp>

namespace ampletie {

/// Where the network finds the end of a measured vector, less where it was measured: east, north, up at its end, m,
/// with the covariance of that difference: the vector's own with its set-ups' and that of the network's difference
/// added (for one that took part too large, never too small).
struct MeasuredDifference {
  Vec3 enu = Vec3::Zero();
  Mat3 cov = Mat3::Zero();
};
class MeasuredDifferences {
public:
  /// `run` null: there are none.
  MeasuredDifferences(const JobSnapshot &s, const NetworkRun *run);
  /// Nothing where the network has not both its marks.
  std::optional<MeasuredDifference> to(const MeasuredVector &v);

private:
  const Eigen::MatrixXd &columns_of(const AdjustedMark &m);
  const JobSnapshot &s_;
  const NetworkRun *run_;
  std::map<std::string, const AdjustedMark *> marks_;
  std::map<std::string, Eigen::MatrixXd> columns_; ///< of the inverse of the normal equations, by base
};

/// "fixed", "float", "code"; empty: not said.
const char *measured_status(MeasuredVector::Status s);

/// All measured vectors and fixes with what they differ from the network, as lists and records hold them.
nlohmann::ordered_json measured_rows(const JobSnapshot &s, const NetworkRun *run);

} // namespace ampletie
