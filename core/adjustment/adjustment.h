#pragma once
#include "adjustment/block.h"
#include "adjustment/normal_equations.h"
#include "base/error.h"
#include "base/progress.h"
#include <optional>

namespace ampletie {

struct AdjustmentOptions {
  double alpha_global = 0.05;  ///< error probability of the global test, of each of its tails
  double alpha_single = 0.001; ///< error probability of each single test (not of the whole job)
  double power = 0.80;         ///< of the test that smallest detectable errors refer to
  int max_iterations = 200;    ///< tried steps; an adjustment of a network takes a handful
  bool tests = true;           ///< of observations and blocks; without them only their list stays empty
};

/// Test and reliability of one observation (geodesy.md 12): residual = adjusted − observed.
struct ObservationTest {
  double residual = 0, residual_sd = 0;
  double standardised = 0; ///< w = (P v)ᵢ / √(P Q_vv P)ᵢᵢ; 0 where there is no redundancy
  double redundancy = 0;   ///< (Q_vv P)ᵢᵢ
  double error = 0; ///< of this observation alone that explains the test, −(P v)ᵢ / (P Q_vv P)ᵢᵢ; untested: −residual
  std::optional<double> smallest_detectable; ///< absent without redundancy
};
/// Of a block, or of one of its parts. A block of parts has a test for each of them, with their observations, and one
/// for itself, without.
struct BlockTest {
  std::size_t block = 0;
  std::string id, kind; ///< of the block or the part
  std::vector<std::string> components;
  std::vector<ObservationTest> observations;
  double statistic = 0, limit = 0; ///< χ² of the block as a whole
  int degrees = 0;                 ///< 0: no redundancy, cannot be tested
  bool passes = true;
  std::optional<double> smallest_detectable; ///< along the direction in which it is weakest, m
  std::optional<double> external_effect;     ///< largest shift of a parameter by an undetected single error, m
};

struct AdjustmentResult {
  std::vector<double> values; ///< all parameters
  std::vector<int> index;     ///< parameter → unknown, −1 for fixed
  int observations = 0, unknowns = 0, redundancy = 0, iterations = 0;
  double vtpv = 0, variance_factor = 1;
  /// Bounds of the variance factor, each one-sided: above the upper one observations contradict each other or are worse
  /// than stated; below the lower one they are better than stated, or not independent of each other.
  double lower = 0, upper = 0;
  bool passes = true; ///< the upper bound
  bool low() const { return redundancy > 0 && variance_factor < lower; }
  std::vector<BlockTest> tests; ///< in the order of the blocks and their parts
  std::shared_ptr<NormalEquations> normals;

  /// Covariance (a priori variance factor 1) of two parameters; 0 when either is fixed.
  double covariance(int parameter_i, int parameter_j) const;
  Eigen::MatrixXd covariance(const std::vector<int> &parameters) const;
};

/// Thrown when no least squares solution was found from the given values.
struct ConvergenceError : InputError {
  ConvergenceError(const std::string &reason, std::size_t worst) : InputError(reason), block(worst) {}
  std::size_t block; ///< index of the one that fits worst where it stopped
};

/// Least squares over the blocks: Gauss–Newton, damped where a full step would make the fit worse (Levenberg 1944,
/// Marquardt 1963, with the diagonal of the normal equations). Throws `SingularError` (its index is a parameter) for a
/// datum or configuration defect, `ConvergenceError`, and `InputError` when a covariance is not positive definite.
AdjustmentResult adjust(const Problem &problem, const AdjustmentOptions &options, const Progress &progress);

} // namespace ampletie
