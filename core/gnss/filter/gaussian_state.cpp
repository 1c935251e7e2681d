#include "gnss/filter/gaussian_state.h"

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

#ifdef __x86_64__
#define WIDER_REGISTERS __attribute__((target_clones("avx2", "default")))
#else
#define WIDER_REGISTERS
#endif

/// Lower triangle of P −= W Wᵀ for up to four columns of W from `first` on. Most of the filter's time is spent here,
/// and a product of so few columns is not what a general matrix kernel is made for. Without contraction the wider
/// registers give the same bits.
WIDER_REGISTERS void lower_minus_outer(double *p, Index stride, Index n, const MatrixXd &w, Index first, Index count) {
  const VectorXd zeros = count < 4 ? VectorXd::Zero(n) : VectorXd();
  const double *c[4];
  for (Index k = 0; k < 4; ++k) c[k] = k < count ? w.col(first + k).data() : zeros.data();
  const double *w0 = c[0], *w1 = c[1], *w2 = c[2], *w3 = c[3];
  for (Index j = 0; j < n; ++j) {
    double *column = p + j * stride;
    const double a0 = w0[j], a1 = w1[j], a2 = w2[j], a3 = w3[j];
    for (Index i = j; i < n; ++i) column[i] -= (w0[i] * a0 + w1[i] * a1) + (w2[i] * a2 + w3[i] * a3);
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
  for (Index r = 0; r < w.cols(); r += 4)
    lower_minus_outer(p.data(), p.outerStride(), size, w, r, std::min(w.cols() - r, Index{4}));
}

} // namespace ampletie
