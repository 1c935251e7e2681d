#pragma once
#include "gnss/model/options.h"
#include "gnss/planning/planned_sky.h"
#include <Eigen/Core>

namespace ampletie {

/// What a planned session of receivers lets expect.
struct PlannedSolution {
  Eigen::MatrixXd cov; ///< of the vectors from the first receiver to each other, m², Earth-fixed
  double success = 1;  ///< least chance that a vector's integers are found
  bool fixed = true;   ///< whether all of them are likely to be
  int satellites = 0;  ///< fewest that a vector has in use
  std::string problem; ///< why it cannot be solved
};

/// The solver's own covariance of a session that has not been measured yet, with the noise that its priors take for
/// granted (docs/methods/adjustment.md). `places`: of the receivers, the base first.
PlannedSolution planned_solution(const PlannedSky &sky, const std::vector<Vec3> &places, GpsTime start, double minutes,
                                 double mask_deg, const StaticOptions &options);

} // namespace ampletie
