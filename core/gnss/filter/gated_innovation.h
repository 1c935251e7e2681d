#pragma once
#include "gnss/filter/gaussian_state.h"
#include <algorithm>
#include <cmath>
#include <vector>

namespace ampletie {

/// What values of one instant say beyond the state's prediction, once wild ones are set aside.
struct GatedInnovation {
  Eigen::MatrixXd g;          ///< state × values: covariance of the state with them
  Eigen::VectorXd innovation; ///< values less prediction, m
  Eigen::MatrixXd s;          ///< its covariance, m²
};

/// Values of codes and carriers that lie so many standard deviations off their prediction are wild.
constexpr double code_gate = 6, phase_gate = 5;

/// Predicts `rows` and sets wild ones aside, one by one, the worst first: they are erased, each told to `aside` before.
/// A row has `h` (state, coefficient), `y` (m), `variance` (m²) and `band` (negative: a code). `shared(a, b)` is the
/// covariance of two rows' noise. Nothing is left when all were wild: then `innovation` is empty.
template <class Row, class Shared, class Aside>
GatedInnovation gated_innovation(const GaussianState &state, std::vector<Row> &rows, Shared &&shared, Aside &&aside) {
  using Eigen::Index;
  while (!rows.empty()) {
    const Index m = static_cast<Index>(rows.size());
    GatedInnovation out{Eigen::MatrixXd::Zero(state.size, m), Eigen::VectorXd(m), Eigen::MatrixXd(m, m)};
    for (Index r = 0; r < m; ++r) {
      const Row &row = rows[static_cast<std::size_t>(r)];
      out.innovation[r] = row.y;
      for (auto [i, h] : row.h) {
        out.innovation[r] -= h * state.x[i];
        state.add_column(i, h, out.g.col(r));
      }
    }
    for (Index r = 0; r < m; ++r) {
      const Row &row = rows[static_cast<std::size_t>(r)];
      for (Index c = 0; c <= r; ++c) {
        double v = 0;
        for (auto [i, h] : row.h) v += h * out.g(i, c);
        v += r == c ? row.variance : shared(row, rows[static_cast<std::size_t>(c)]);
        out.s(r, c) = out.s(c, r) = v;
      }
    }
    Index worst = -1;
    double worst_ratio = 1;
    for (Index r = 0; r < m; ++r) {
      const double gate = rows[static_cast<std::size_t>(r)].band < 0 ? code_gate : phase_gate;
      const double ratio = out.innovation[r] * out.innovation[r] / out.s(r, r) / (gate * gate);
      if (ratio > worst_ratio) worst_ratio = ratio, worst = r;
    }
    if (worst < 0) return out;
    aside(rows[static_cast<std::size_t>(worst)]);
    rows.erase(rows.begin() + worst);
  }
  return {};
}

} // namespace ampletie
