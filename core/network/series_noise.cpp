#include "network/series_noise.h"
#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr Index most_values = 300, fewest_values = 40;

/// A series on an even grid of times, of which it may lack some.
struct Gridded {
  double step = 0;          ///< years
  std::vector<Index> place; ///< of each value on the grid
  VectorXd values;
  MatrixXd design;
  std::vector<double> days; ///< values of the original that went into each mean
};

/// Means over `width` steps of a day, as few as leave at most `most_values`.
Gridded gridded(const std::vector<double> &years, const VectorXd &values, const MatrixXd &design) {
  Gridded g;
  const double span = years.back() - years.front();
  std::vector<double> gaps;
  for (std::size_t i = 1; i < years.size(); ++i) gaps.push_back(years[i] - years[i - 1]);
  std::nth_element(gaps.begin(), gaps.begin() + static_cast<std::ptrdiff_t>(gaps.size() / 2), gaps.end());
  const double usual = std::max(gaps[gaps.size() / 2], 1e-4);
  g.step = std::max(usual, span / static_cast<double>(most_values - 1));
  std::vector<Index> at(years.size());
  for (std::size_t i = 0; i < years.size(); ++i) {
    at[i] = static_cast<Index>(std::floor((years[i] - years.front()) / g.step + 1e-6));
    if (g.place.empty() || g.place.back() != at[i]) g.place.push_back(at[i]), g.days.push_back(0);
    g.days.back() += 1;
  }
  const auto n = static_cast<Index>(g.place.size());
  g.values = VectorXd::Zero(n), g.design = MatrixXd::Zero(n, design.cols());
  Index row = -1;
  for (std::size_t i = 0; i < years.size(); ++i) {
    if (i == 0 || at[i] != at[i - 1]) ++row;
    g.values(row) += values(static_cast<Index>(i)) / g.days[static_cast<std::size_t>(row)];
    g.design.row(row) += design.row(static_cast<Index>(i)) / g.days[static_cast<std::size_t>(row)];
  }
  return g;
}

/// Covariance of flicker of unit size (m/yr^¼) at places of an even grid: L Lᵀ with L lower Toeplitz of
/// ψ₀ = 1, ψₖ = ψₖ₋₁ (k − ½)/k, times √step (Williams 2003, eq. 10 with κ = −1).
MatrixXd flicker_covariance(const std::vector<Index> &place, double step) {
  const Index all = place.back() + 1;
  VectorXd psi(all);
  psi(0) = 1;
  for (Index k = 1; k < all; ++k) psi(k) = psi(k - 1) * (static_cast<double>(k) - 0.5) / static_cast<double>(k);
  const auto n = static_cast<Index>(place.size());
  MatrixXd l = MatrixXd::Zero(n, all);
  for (Index a = 0; a < n; ++a)
    for (Index m = 0; m <= place[static_cast<std::size_t>(a)]; ++m)
      l(a, m) = psi(place[static_cast<std::size_t>(a)] - m);
  return l * l.transpose() * std::sqrt(step);
}

VectorXd white_weights(const Gridded &g) {
  VectorXd w(static_cast<Index>(g.days.size()));
  for (Index i = 0; i < w.size(); ++i) w(i) = 1 / g.days[static_cast<std::size_t>(i)];
  return w;
}

/// Twice the negative restricted log-likelihood, the size of the noise taken at its best; gives that size, m².
double unlikelihood(const MatrixXd &c, const VectorXd &y, const MatrixXd &a, double &size) {
  const Eigen::LLT<MatrixXd> llt(c);
  if (llt.info() != Eigen::Success) return std::numeric_limits<double>::infinity();
  const MatrixXd wa = llt.matrixL().solve(a);
  const VectorXd wy = llt.matrixL().solve(y);
  const Eigen::LDLT<MatrixXd> normal(wa.transpose() * wa);
  const VectorXd rest = wy - wa * normal.solve(wa.transpose() * wy);
  const double degrees = static_cast<double>(y.size() - a.cols());
  size = rest.squaredNorm() / degrees;
  double log_c = 0;
  for (Index i = 0; i < c.rows(); ++i) log_c += 2 * std::log(llt.matrixLLT()(i, i));
  return degrees * std::log(size) + log_c + normal.vectorD().array().abs().max(1e-300).log().sum();
}
} // namespace

namespace {
/// One series as its likelihood needs it: covariances of both kinds of unit size.
struct Prepared {
  Gridded g;
  MatrixXd flicker;
  VectorXd white;
  double size = 0; ///< of the noise that fits best, as `unlikelihood` found it last
  double at(double ratio) {
    MatrixXd c = ratio * flicker;
    c.diagonal() += white;
    return unlikelihood(c, g.values, g.design, size);
  }
};
} // namespace

std::vector<SeriesNoise> estimate_noise(const std::vector<NoiseSeries> &series) {
  std::vector<SeriesNoise> out(series.size());
  std::vector<Prepared> all;
  std::vector<std::size_t> whose;
  bool long_enough = false;
  for (std::size_t i = 0; i < series.size(); ++i) {
    const NoiseSeries &s = series[i];
    const auto n = static_cast<Index>(s.years.size());
    if (n < s.design.cols() + 2 || s.years.back() <= s.years.front()) continue;
    out[i].white = std::sqrt(s.residuals.squaredNorm() / static_cast<double>(n - s.design.cols()));
    long_enough |= n >= fewest_values;
    Prepared p{gridded(s.years, s.residuals, s.design), {}, {}};
    if (p.g.values.size() < s.design.cols() + 2) continue;
    p.flicker = flicker_covariance(p.g.place, p.g.step), p.white = white_weights(p.g);
    all.push_back(std::move(p)), whose.push_back(i);
  }
  if (!long_enough || all.empty()) return out;
  // A share between nought and one, of the flicker's variance in an average value.
  const double even = all[0].white.mean() / all[0].flicker.diagonal().mean();
  const auto ratio_of = [&](double share) { return even * share / (1 - share); };
  const auto at = [&](double share) {
    double sum = 0;
    for (Prepared &p : all) sum += p.at(ratio_of(share));
    return sum;
  };
  // The likelihood has one hill along the share; its ends count too.
  double best = 0, least = at(0);
  for (int k = 1; k <= 8; ++k)
    if (const double u = at(k / 8.0 * 0.999); u < least) least = u, best = k / 8.0 * 0.999;
  double low = std::max(0.0, best - 0.125), high = std::min(0.999, best + 0.125);
  constexpr double golden = 0.618033988749895;
  for (int k = 0; k < 10; ++k) {
    const double a = high - golden * (high - low), b = low + golden * (high - low);
    if (at(a) < at(b))
      high = b;
    else
      low = a;
  }
  double share = (low + high) / 2;
  if (at(share) > least && best == 0) share = 0;
  at(share);
  for (std::size_t k = 0; k < all.size(); ++k) {
    SeriesNoise &n = out[whose[k]];
    n.white = std::sqrt(all[k].size), n.flicker = std::sqrt(all[k].size * ratio_of(share)), n.colour_told = true;
  }
  return out;
}

double variance_under(const SeriesNoise &noise, const NoiseSeries &series, Index k) {
  const Gridded g = gridded(series.years, VectorXd::Zero(series.design.rows()), series.design);
  MatrixXd c = noise.flicker * noise.flicker * flicker_covariance(g.place, g.step);
  c.diagonal() += noise.white * noise.white * white_weights(g);
  // Means count by what went into them, as the single values did.
  const VectorXd w = white_weights(g).cwiseInverse();
  const MatrixXd normal = g.design.transpose() * w.asDiagonal() * g.design;
  const VectorXd unit = VectorXd::Unit(normal.rows(), k);
  const VectorXd row = w.asDiagonal() * g.design * Eigen::LDLT<MatrixXd>(normal).solve(unit);
  return row.dot(c * row);
}

} // namespace ampletie
