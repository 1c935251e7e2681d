#pragma once
#include "base/vector.h"
#include <Eigen/Core>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

/// A frame fit as a file that this program issued (fit-NAME.json; docs/formats.md): the transformation with its
/// covariance, and the marks that it was found by. Metres, radians.
struct FitFile {
  std::string name, plan, height, crs, vertical, record; ///< plan and height: names of the models
  double epoch = 0, scale = 1;                           ///< scale: of plans in which it is no parameter
  double rotation = 0;                                   ///< radians, the same
  Vec3 from_middle = Vec3::Zero(), to_middle = Vec3::Zero();
  Eigen::VectorXd parameters;
  Eigen::MatrixXd cov;
  bool passes = true;
  struct Pair {
    std::string mark;
    Vec3 from = Vec3::Zero(), to = Vec3::Zero(); ///< NaN where it has no plan or no height
    Mat3 to_cov = Mat3::Zero();
    bool plan = true, height = true; ///< that it took part in
  };
  std::vector<Pair> pairs;
};

bool looks_like_fit_file(std::string_view text);
/// Throws `InputError` for what is missing, not finite, no covariance, or of another size than its models say.
FitFile read_fit_file(std::string_view text);

} // namespace ampletie
