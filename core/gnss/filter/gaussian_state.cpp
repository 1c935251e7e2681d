#include "gnss/filter/gaussian_state.h"
#include <algorithm>
#include <array>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

#ifdef __x86_64__
#define WIDER_REGISTERS __attribute__((target_clones("avx512f", "avx2", "default")))
#else
#define WIDER_REGISTERS
#endif

/// Rows and columns of P that stay in the nearest cache while all of W is taken from them.
constexpr Index tile_rows = 256, tile_columns = 8;

/// Four columns of W in one tile of P: its rows from `top` to `bottom`, its columns from `left` to `right`, in both
/// cases without the latter; only what lies below the diagonal. Without contraction the wider registers give the same
/// bits.
WIDER_REGISTERS void tile_minus_outer(double *p, Index stride, const std::array<const double *, 4> &w, Index top,
                                      Index bottom, Index left, Index right) {
  const double *__restrict w0 = w[0], *__restrict w1 = w[1], *__restrict w2 = w[2], *__restrict w3 = w[3];
  for (Index j = left; j < right; ++j) {
    double *__restrict column = p + j * stride;
    const double a0 = w0[j], a1 = w1[j], a2 = w2[j], a3 = w3[j];
    for (Index i = std::max(j, top); i < bottom; ++i)
      column[i] -= (w0[i] * a0 + w1[i] * a1) + (w2[i] * a2 + w3[i] * a3);
  }
}

/// Lower triangle of P −= W Wᵀ, tile by tile: P of a session is larger than any cache, and most of the filter's time
/// went into fetching it once for every four columns. Every element takes the columns in their order, whatever the
/// tiles.
void lower_minus_outer(double *p, Index stride, Index n, const MatrixXd &w) {
  const VectorXd zeros = VectorXd::Zero(w.cols() % 4 ? n : 0);
  for (Index left = 0; left < n; left += tile_columns)
    for (Index top = left; top < n; top += tile_rows)
      for (Index r = 0; r < w.cols(); r += 4) {
        std::array<const double *, 4> four;
        for (Index k = 0; k < 4; ++k)
          four[static_cast<std::size_t>(k)] = r + k < w.cols() ? w.col(r + k).data() : zeros.data();
        tile_minus_outer(p, stride, four, top, std::min(n, top + tile_rows), left, std::min(n, left + tile_columns));
      }
}
} // namespace

void GaussianState::reserve(Index room) {
  if (room <= x.size()) return;
  VectorXd bigger_x = VectorXd::Zero(room);
  MatrixXd bigger = MatrixXd::Zero(room, room);
  bigger_x.head(size) = x.head(size);
  bigger.topLeftCorner(size, size) = p.topLeftCorner(size, size);
  x.swap(bigger_x);
  p.swap(bigger);
}

Index GaussianState::add(double value, double variance) {
  if (size == x.size()) reserve(size + 64);
  const Index i = size++;
  x[i] = value;
  p.row(i).head(size).setZero();
  p(i, i) = variance;
  return i;
}

void GaussianState::renew(Index i, double variance) {
  p.row(i).head(i).setZero();
  p.col(i).segment(i, size - i).setZero();
  p(i, i) = variance;
  x[i] = 0;
}

void GaussianState::keep(const std::vector<Index> &states) {
  for (std::size_t n = 0; n < states.size(); ++n) {
    const Index to = static_cast<Index>(n), from = states[n];
    x[to] = x[from];
    for (std::size_t m = 0; m <= n; ++m) p(to, static_cast<Index>(m)) = p(from, states[m]);
  }
  size = static_cast<Index>(states.size());
}

void GaussianState::decay(Index i, double phi) {
  p.row(i).head(i + 1) *= phi;
  p.col(i).segment(i, size - i) *= phi; // the diagonal twice, as it must be
  x[i] *= phi;
}

void GaussianState::add_column(Index i, double h, Eigen::Ref<VectorXd> g) const {
  const Index n = g.size();
  g.head(i) += h * p.row(i).head(i).transpose();
  g.tail(n - i) += h * p.col(i).segment(i, n - i);
}

void GaussianState::update(const MatrixXd &g, const Eigen::LLT<MatrixXd> &s, const VectorXd &weighted) {
  x.head(size) += g * weighted;
  const MatrixXd w = s.matrixL().solve(g.transpose()).transpose();
  lower_minus_outer(p.data(), p.outerStride(), size, w);
}

} // namespace ampletie
