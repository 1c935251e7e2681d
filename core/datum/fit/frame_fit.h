#pragma once
#include "datum/fit/fit_model.h"
#include <Eigen/Core>
#include <optional>
#include <string>
#include <vector>

namespace ampletie {

/// How a pair takes part: a check is compared and determines nothing; the others are compared where they do not count.
enum class PairUse { both, plan, height, check };
const std::vector<std::string> &pair_uses(); ///< "both", "plan", "height", "check"

/// The same mark in two systems.
struct FitPair {
  std::string name;
  Vec3 from = Vec3::Zero(), to = Vec3::Zero(); ///< m
  Mat3 to_cov = Mat3::Zero();                  ///< m²
  PairUse use = PairUse::both;
  bool has_plan = true, has_height = true; ///< on both sides
};

struct FitInput {
  std::shared_ptr<const FitModel> model;
  std::vector<FitPair> pairs;
  Eigen::MatrixXd from_cov; ///< 3n × 3n, of all pairs together, m²
  double alpha = 0.05;      ///< of the test of the whole; single pairs are tested with 0.001 (statistics.h)
};

/// How one pair stands to the others. What a pair has not is empty.
struct PairVerdict {
  Vec3 residual = Vec3::Zero(); ///< fitted less given, m
  /// What the others put it at, less what is given, with its covariance (both sides' included); nothing where the
  /// others do not determine it.
  struct Predicted {
    Eigen::VectorXd difference; ///< plan: two, height: one, m
    Eigen::MatrixXd cov;
    double statistic = 0, limit = 0; ///< χ² with as many degrees
    bool passes = true;
    bool counts = true; ///< it takes part in the fit; else it is only compared
  };
  std::optional<Predicted> plan, height;
  double checked_plan = 0, checked_height = 0; ///< share of it that the others check, 0 to 1
  /// How far the transformation would move the points of the fit, at most, were it left out, m.
  double moves = 0;
};

struct FitResult {
  Eigen::VectorXd parameters;
  Eigen::MatrixXd cov; ///< of the parameters
  std::vector<std::string> names;
  double chi_squared = 0, lower = 0, upper = 0; ///< of the whole, with its limits (two-sided)
  int redundancy = 0, equations = 0, iterations = 0;
  bool passes = true;    ///< the upper limit
  bool converged = true; ///< else pairs miss by so much that no best place was found: it fails
  std::vector<PairVerdict> pairs;
  /// −Bᵀ P A Qθ, 3n × u: with the covariance of any point and the points of the fit, what its errors share with those
  /// of the parameters. `cross` is that of the points themselves.
  Eigen::MatrixXd lead, cross;
  /// P Qvv P and the misclosures of all 3n equations, nought where they do not count: what χ² would be were something
  /// else given, (v + d)ᵀ P Qvv P (v + d).
  Eigen::MatrixXd tests;
  Eigen::VectorXd misclosure;
};

/// Finds the parameters with both sides erroneous: the Gauss–Helmert model, linearised at the adjusted points (Pope
/// 1972; Mikhail 1976, ch. 9), so that the result is the least squares one however large the turn and the errors.
/// Tests as in geodesy.md 12. Throws `InputError` in words where pairs do not determine the parameters (too few, on one
/// place, on a line) or their errors are all nought.
FitResult fit_frame(const FitInput &in);

/// A point in the target system with its covariance; `with_parameters`: its own covariance with the parameters (3 × u),
/// of points of the fit a row block of `cross`, of others what their network says; zero where they are independent.
struct FittedPoint {
  Vec3 to;
  Mat3 cov;
};
FittedPoint fitted(const FitModel &model, const FitResult &fit, const Vec3 &from, const Mat3 &from_cov,
                   const Eigen::Matrix<double, 3, Eigen::Dynamic> &with_parameters);

} // namespace ampletie
