#include "gnss/ambiguity/ratio_limit.h"
#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

namespace ampletie {
namespace {
constexpr std::array<double, 3> probabilities{2e-4, 5e-4, 1e-3};
struct Line {
  long integers;
  std::array<double, 3> limit;
};
// Largest of six random decorrelated covariances, 200 000 draws each.
constexpr std::array<Line, 10> table{{{1, {1.28, 1.72, 2.25}},
                                      {2, {1.29, 1.67, 2.11}},
                                      {3, {1.14, 1.44, 1.77}},
                                      {4, {1.19, 1.46, 1.75}},
                                      {6, {1.15, 1.46, 1.68}},
                                      {8, {1.02, 1.19, 1.35}},
                                      {12, {1.00, 1.11, 1.23}},
                                      {16, {1.00, 1.01, 1.09}},
                                      {24, {1.00, 1.01, 1.07}},
                                      {32, {1.00, 1.00, 1.06}}}};
} // namespace

double fixed_failure_ratio(long n, double p) {
  if (!(p <= probabilities.back() * (1 + 1e-9))) return std::numeric_limits<double>::infinity();
  if (p <= 1e-4) return 1;
  // The line of no more integers than these: fewer need more.
  const Line *line = &table.front();
  for (const Line &l : table)
    if (l.integers <= n) line = &l;
  // Linear in the logarithm of the probability.
  double p0 = 1e-4, c0 = 1;
  for (std::size_t i = 0; i < probabilities.size(); ++i) {
    if (p <= probabilities[i] * (1 + 1e-9))
      return c0 + (line->limit[i] - c0) * std::log(p / p0) / std::log(probabilities[i] / p0);
    p0 = probabilities[i], c0 = line->limit[i];
  }
  return line->limit.back();
}

} // namespace ampletie
