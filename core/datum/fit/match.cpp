#include "datum/fit/match.h"
#include <algorithm>
#include <cmath>
#include <complex>
#include <set>

namespace ampletie {
namespace {
using Eigen::Vector2d;
using Complex = std::complex<double>;
constexpr std::size_t most = 60;
constexpr double scales = 2e-3; ///< ground against grid: at 5 km height 8·10⁻⁴, at the edge of a wide zone as much

using Pairs = std::vector<std::pair<std::size_t, std::size_t>>;

std::vector<Complex> points(const std::vector<Vector2d> &all) {
  std::vector<Complex> out;
  for (std::size_t i = 0; i < all.size() && i < most; ++i) out.emplace_back(all[i].x(), all[i].y());
  return out;
}

/// Pairs that the similarity z → a z + b brings together, each point once, the nearest first.
Pairs brought_together(const std::vector<Complex> &from, const std::vector<Complex> &to, Complex a, Complex b,
                       double within) {
  std::vector<std::tuple<double, std::size_t, std::size_t>> near;
  for (std::size_t i = 0; i < from.size(); ++i)
    for (std::size_t k = 0; k < to.size(); ++k)
      if (const double d = std::abs(a * from[i] + b - to[k]); d < within) near.emplace_back(d, i, k);
  std::sort(near.begin(), near.end());
  std::set<std::size_t> left, right;
  Pairs out;
  for (const auto &[d, i, k] : near)
    if (!left.count(i) && !right.count(k)) left.insert(i), right.insert(k), out.emplace_back(i, k);
  std::sort(out.begin(), out.end());
  return out;
}

/// The similarity of several pairs by least squares.
std::pair<Complex, Complex> similarity(const std::vector<Complex> &from, const std::vector<Complex> &to,
                                       const Pairs &pairs) {
  Complex mean_from = 0, mean_to = 0, product = 0;
  double square = 0;
  for (const auto &[i, k] : pairs) mean_from += from[i], mean_to += to[k];
  mean_from /= static_cast<double>(pairs.size()), mean_to /= static_cast<double>(pairs.size());
  for (const auto &[i, k] : pairs) {
    const Complex z = from[i] - mean_from;
    product += std::conj(z) * (to[k] - mean_to), square += std::norm(z);
  }
  const Complex a = square > 0 ? product / square : Complex(1);
  return {a, mean_to - a * mean_from};
}
} // namespace

std::optional<PointMatch> match_by_position(const std::vector<Vector2d> &from, const std::vector<Vector2d> &to,
                                            double within) {
  const auto x = points(from), y = points(to);
  const auto known = [](const Complex &z) { return std::isfinite(z.real()) && std::isfinite(z.imag()); };
  std::set<Pairs> tried, best;
  std::size_t most_pairs = 2;
  for (std::size_t i = 0; i < x.size(); ++i)
    for (std::size_t j = 0; j < x.size(); ++j) {
      if (i == j || !known(x[i]) || !known(x[j])) continue;
      const double length = std::abs(x[j] - x[i]);
      // Too near to each other they show no direction.
      if (length < 20 * within) continue;
      for (std::size_t k = 0; k < y.size(); ++k)
        for (std::size_t l = k + 1; l < y.size(); ++l) {
          if (!known(y[k]) || !known(y[l]) ||
              std::abs(std::abs(y[l] - y[k]) / length - 1) > scales + 2 * within / length)
            continue;
          const Complex a0 = (y[l] - y[k]) / (x[j] - x[i]);
          Pairs pairs = brought_together(x, y, a0, y[k] - a0 * x[i], 4 * within);
          if (pairs.size() < std::max<std::size_t>(3, most_pairs) || !tried.insert(pairs).second) continue;
          const auto [a, b] = similarity(x, y, pairs);
          pairs = brought_together(x, y, a, b, within);
          if (pairs.size() < 3 || pairs.size() < most_pairs || std::abs(std::abs(a) - 1) > scales) continue;
          if (pairs.size() > most_pairs) best.clear();
          most_pairs = pairs.size();
          best.insert(pairs);
        }
    }
  if (best.size() != 1) return {};
  PointMatch out;
  out.pairs = *best.begin();
  const auto [a, b] = similarity(x, y, out.pairs);
  for (const auto &[i, k] : out.pairs) out.worst_m = std::max(out.worst_m, std::abs(a * x[i] + b - y[k]));
  return out;
}

} // namespace ampletie
