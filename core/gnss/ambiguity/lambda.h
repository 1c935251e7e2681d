#pragma once
#include <Eigen/Core>
#include <vector>

namespace ampletie {

using IntVector = Eigen::Matrix<std::int64_t, Eigen::Dynamic, 1>;

/// Q = Lᵀ D L with L unit lower triangular (de Jonge and Tiberius 1996, the convention of the LAMBDA literature).
struct LtdlFactor {
  Eigen::MatrixXd l;
  Eigen::VectorXd d;
};
/// Throws `std::domain_error` when Q is not positive definite.
LtdlFactor ltdl(const Eigen::MatrixXd &q);

/// Decorrelated ambiguities z = Zᵀ a with |det Z| = 1, and the factor of their covariance.
struct Decorrelation {
  Eigen::Matrix<std::int64_t, Eigen::Dynamic, Eigen::Dynamic> zt; ///< Zᵀ
  LtdlFactor factor;
};
/// Integer Gauss transformations and permutations (Teunissen 1995).
Decorrelation decorrelate(const Eigen::MatrixXd &q);

/// The integer vectors closest to `a` in the metric of Q, best first, with their squared norms.
struct IntegerCandidates {
  std::vector<IntVector> vectors;
  std::vector<double> norms;
};
/// Integer least squares: decorrelation, then search with shrinking (Chang, Yang and Zhou 2005). `count` at least 1.
IntegerCandidates integer_least_squares(const Eigen::VectorXd &a, const Eigen::MatrixXd &q, int count = 2);
/// The same search in already decorrelated ambiguities.
IntegerCandidates search(const Eigen::VectorXd &z, const LtdlFactor &factor, int count);

/// Probability that sequential rounding finds the right vector, Π (2Φ(1/2σᵢ) − 1): a lower bound for integer least
/// squares (Teunissen 1998). Conditional variances of the decorrelated ambiguities go in.
double bootstrap_success_rate(const Eigen::VectorXd &conditional_variances);

} // namespace ampletie
