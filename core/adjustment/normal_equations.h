#pragma once
#include <Eigen/Core>
#include <memory>
#include <stdexcept>
#include <vector>

namespace ampletie {

/// Thrown when the normal equations are singular; `unknown` is the index (among the free ones) whose pivot vanished.
struct SingularError : std::runtime_error {
  explicit SingularError(int index) : std::runtime_error("the normal equations are singular"), unknown(index) {}
  int unknown;
};

/// Sparse symmetric positive definite system: Cholesky by CHOLMOD (fill-reducing order, by supernodes), solutions for
/// any right-hand side and the selected inverse (Takahashi, Fagan and Chen 1973), block by block on the factor's
/// pattern.
class NormalEquations {
public:
  struct Entry {
    int row, column; ///< lower triangle, row ≥ column; doubles add up
    double value;
  };
  NormalEquations(int size, std::vector<Entry> lower);
  ~NormalEquations();
  NormalEquations(NormalEquations &&) noexcept;

  Eigen::VectorXd solve(const Eigen::VectorXd &rhs) const;
  using Sides = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
  /// Many right-hand sides at once, one in a column: the factor is walked once for all of them.
  Sides solve_all(const Sides &rhs) const;
  /// Computes the selected inverse once; later calls cost nothing.
  void invert();
  /// Element of the inverse. Pairs that meet in an observation block are at hand; others cost a solution the first time
  /// that their column is asked for.
  double inverse(int i, int j) const;
  std::size_t factor_nonzeros() const;

private:
  struct Data;
  std::unique_ptr<Data> data_;
};

} // namespace ampletie
