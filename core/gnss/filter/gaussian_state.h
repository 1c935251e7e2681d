#pragma once
#include <Eigen/Dense>
#include <vector>

namespace ampletie {

/// Numbers that are estimated together, with their covariance: what filters carry along, whatever the numbers mean.
/// States come and go; of `p` the lower triangle counts, of both the first `size` rows.
struct GaussianState {
  Eigen::VectorXd x;
  Eigen::MatrixXd p;
  Eigen::Index size = 0;

  explicit GaussianState(Eigen::Index room = 0) { reserve(room); }
  void reserve(Eigen::Index room);
  /// A state of its own; gives its index.
  Eigen::Index add(double value, double variance);
  /// As new: nothing of before is left in it.
  void renew(Eigen::Index i, double variance);
  /// Takes out all states but these (ascending).
  void keep(const std::vector<Eigen::Index> &states);
  /// A process that loses its memory: by `phi` less of the state and of what it shares with the others.
  void decay(Eigen::Index i, double phi);
  /// g += h · column i of the whole covariance.
  void add_column(Eigen::Index i, double h, Eigen::Ref<Eigen::VectorXd> g) const;
  /// Observations with innovations v, G = P Hᵀ (size × m) and S = L Lᵀ their covariance: x += G S⁻¹ v,
  /// P −= (G L⁻ᵀ)(G L⁻ᵀ)ᵀ.
  void update(const Eigen::MatrixXd &g, const Eigen::LLT<Eigen::MatrixXd> &s, const Eigen::VectorXd &weighted);
};

} // namespace ampletie
