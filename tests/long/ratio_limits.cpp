// Simulates the limits of core/gnss/ratio_limit.cpp: for a number of ambiguities and the failure rate of integer least
// squares, the smallest ratio of second-best to best at which no more than the allowed share is accepted wrongly
// (Teunissen and Verhagen 2009). Prints the largest limit over several random decorrelated covariances.
// Usage: ratio_limits ALLOWED SAMPLES
#include "gnss/ambiguity/lambda.h"
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <random>

using namespace ampletie;
using Eigen::Index;

namespace {
/// Decorrelated: off-diagonals up to a half, conditional variances within a factor of three of each other.
LtdlFactor structure(Index n, std::mt19937_64 &random) {
  std::uniform_real_distribution<double> half(-0.5, 0.5), log_spread(0, std::log(3.0));
  LtdlFactor f{Eigen::MatrixXd::Identity(n, n), Eigen::VectorXd(n)};
  for (Index i = 0; i < n; ++i) {
    f.d[i] = std::exp(log_spread(random));
    for (Index k = 0; k < i; ++k) f.l(i, k) = half(random);
  }
  return f;
}
/// Variance factor at which the product of sequential roundings fails with probability `p`.
double scaled_to(const LtdlFactor &f, double p) {
  double low = 1e-6, high = 10;
  for (int i = 0; i < 60; ++i) {
    const double mid = std::sqrt(low * high);
    (1 - bootstrap_success_rate(mid * f.d) > p ? high : low) = mid;
  }
  return low;
}
} // namespace

int main(int argc, char **argv) {
  if (argc < 3) return 2;
  const double allowed = std::atof(argv[1]);
  const int samples = std::atoi(argv[2]);
  for (Index n : {1, 2, 3, 4, 6, 8, 12, 16, 24, 32, 48}) {
    std::printf("%2ld", static_cast<long>(n));
    for (double p : {2e-4, 5e-4, 1e-3}) {
      double worst = 1;
      for (unsigned seed = 0; seed < 6; ++seed) {
        std::mt19937_64 random(1000 * static_cast<unsigned>(n) + seed);
        LtdlFactor f = structure(n, random);
        f.d *= scaled_to(f, p);
        std::normal_distribution<double> normal;
        std::vector<double> wrong;
        for (int s = 0; s < samples; ++s) {
          // x = Lᵀ √D e has the covariance Lᵀ D L.
          Eigen::VectorXd e(n);
          for (Index i = 0; i < n; ++i) e[i] = std::sqrt(f.d[i]) * normal(random);
          const auto c = search(f.l.transpose() * e, f, 2);
          if (!c.vectors[0].isZero()) wrong.push_back(c.norms[1] / std::max(c.norms[0], 1e-12));
        }
        std::sort(wrong.rbegin(), wrong.rend());
        const auto may = static_cast<std::size_t>(allowed * samples);
        if (wrong.size() > may) worst = std::max(worst, wrong[may]);
      }
      std::printf("  %5.2f", worst);
      std::fflush(stdout);
    }
    std::printf("\n");
  }
}
