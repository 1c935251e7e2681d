#include "network/step_search.h"
#include "adjustment/statistics.h"
#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// Where a jump would take most of the residuals' squares, each component in units of its own; the row that begins it.
std::optional<Index> best_place(const std::array<NoiseSeries, 3> &s, Index least) {
  const Index n = s[0].design.rows();
  if (n < 2 * least) return {};
  const MatrixXd q =
      Eigen::HouseholderQR<MatrixXd>(s[0].design).householderQ() * MatrixXd::Identity(n, s[0].design.cols());
  VectorXd tail = VectorXd::Zero(q.cols());
  Vec3 sums = Vec3::Zero(), scale;
  for (std::size_t c = 0; c < 3; ++c) scale[static_cast<Index>(c)] = std::max(s[c].residuals.norm(), 1e-9);
  std::optional<Index> best;
  double most = 0;
  for (Index k = n - 1; k >= least; --k) {
    tail += q.row(k).transpose();
    for (std::size_t c = 0; c < 3; ++c) sums[static_cast<Index>(c)] += s[c].residuals[k];
    if (n - k < least) continue;
    // What of the jump the functions of the fit cannot be; nothing is left of it beside another one.
    const double own = static_cast<double>(n - k) - tail.squaredNorm();
    if (own < 0.02 * static_cast<double>(n - k)) continue;
    const double gain = sums.cwiseQuotient(scale).squaredNorm() / own;
    if (gain > most) most = gain, best = k;
  }
  return best;
}

/// A series with a jump at a row, fitted anew; `size`: of the jump, m.
NoiseSeries with_jump(const NoiseSeries &s, Index at, double &size) {
  NoiseSeries out = s;
  const Index n = s.design.rows();
  out.design.conservativeResize(n, s.design.cols() + 1);
  out.design.rightCols(1).setZero();
  out.design.bottomRightCorner(n - at, 1).setOnes();
  const VectorXd x = Eigen::ColPivHouseholderQR<MatrixXd>(out.design).solve(s.residuals);
  out.residuals = s.residuals - out.design * x;
  size = x[x.size() - 1];
  return out;
}
} // namespace

std::optional<SuspectedStep> suspected_step(const std::vector<std::array<NoiseSeries, 3>> &series, double chance,
                                            std::size_t least) {
  std::vector<SuspectedStep> found;
  std::array<std::vector<NoiseSeries>, 3> with;
  for (std::size_t i = 0; i < series.size(); ++i) {
    const auto best = best_place(series[i], static_cast<Index>(least));
    if (!best) continue;
    SuspectedStep x;
    x.series = i;
    const auto k = static_cast<std::size_t>(*best);
    x.year = (series[i][0].years[k - 1] + series[i][0].years[k]) / 2;
    for (std::size_t c = 0; c < 3; ++c)
      with[c].push_back(with_jump(series[i][c], *best, x.size[static_cast<Index>(c)]));
    found.push_back(x);
  }
  if (found.empty()) return {};
  double places = 0;
  for (const SuspectedStep &x : found) places += 12 * std::log(static_cast<double>(series[x.series][0].years.size()));
  const double limit = chi_squared_quantile(1 - chance / places, 3);
  for (std::size_t c = 0; c < 3; ++c) {
    const std::vector<SeriesNoise> noise = estimate_noise(with[c]);
    for (std::size_t i = 0; i < found.size(); ++i) {
      SuspectedStep &x = found[i];
      const auto k = static_cast<Index>(c);
      x.sd[k] = std::sqrt(std::max(variance_under(noise[i], with[c][i], with[c][i].design.cols() - 1), 1e-16));
      x.statistic += x.size[k] * x.size[k] / (x.sd[k] * x.sd[k]);
      x.limit = limit;
    }
  }
  const auto strongest = std::max_element(found.begin(), found.end(),
                                          [](const auto &a, const auto &b) { return a.statistic < b.statistic; });
  return strongest->statistic > limit ? std::optional(*strongest) : std::nullopt;
}

} // namespace ampletie
