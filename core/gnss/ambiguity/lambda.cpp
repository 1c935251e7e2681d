#include "gnss/ambiguity/lambda.h"
#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <limits>
#include <stdexcept>

namespace ampletie {
using Eigen::Index;

LtdlFactor ltdl(const Eigen::MatrixXd &q) {
  const Index n = q.rows();
  Eigen::MatrixXd a = q;
  LtdlFactor f{Eigen::MatrixXd::Zero(n, n), Eigen::VectorXd(n)};
  for (Index i = n - 1; i >= 0; --i) {
    f.d[i] = a(i, i);
    if (!(f.d[i] > 0)) throw std::domain_error("the covariance of the ambiguities is not positive definite");
    const double root = std::sqrt(a(i, i));
    for (Index j = 0; j <= i; ++j) f.l(i, j) = a(i, j) / root;
    for (Index j = 0; j < i; ++j)
      for (Index k = 0; k <= j; ++k) a(j, k) -= f.l(i, k) * f.l(i, j);
    const double diagonal = f.l(i, i);
    for (Index j = 0; j <= i; ++j) f.l(i, j) /= diagonal;
  }
  return f;
}

namespace {
using IntMatrix = Eigen::Matrix<std::int64_t, Eigen::Dynamic, Eigen::Dynamic>;

/// Subtracts a whole multiple of row i from row j's column, so that |L(i,j)| ≤ 1/2.
void integer_gauss(LtdlFactor &f, IntMatrix &zt, Index i, Index j) {
  const double mu = std::round(f.l(i, j));
  if (mu == 0) return;
  const Index n = f.d.size();
  for (Index k = i; k < n; ++k) f.l(k, j) -= mu * f.l(k, i);
  zt.row(j) -= static_cast<std::int64_t>(mu) * zt.row(i);
}

void permute(LtdlFactor &f, IntMatrix &zt, Index j, double delta) {
  const Index n = f.d.size();
  const double eta = f.d[j] / delta, lambda = f.d[j + 1] * f.l(j + 1, j) / delta;
  f.d[j] = eta * f.d[j + 1];
  f.d[j + 1] = delta;
  for (Index k = 0; k < j; ++k) {
    const double a = f.l(j, k), b = f.l(j + 1, k);
    f.l(j, k) = -f.l(j + 1, j) * a + b;
    f.l(j + 1, k) = eta * a + lambda * b;
  }
  f.l(j + 1, j) = lambda;
  for (Index k = j + 2; k < n; ++k) std::swap(f.l(k, j), f.l(k, j + 1));
  zt.row(j).swap(zt.row(j + 1));
}
} // namespace

Decorrelation decorrelate(const Eigen::MatrixXd &q) {
  Decorrelation out;
  out.factor = ltdl(q);
  const Index n = q.rows();
  out.zt = IntMatrix::Identity(n, n);
  LtdlFactor &f = out.factor;
  Index j = n - 2, k = n - 2;
  while (j >= 0) {
    if (j <= k)
      for (Index i = j + 1; i < n; ++i) integer_gauss(f, out.zt, i, j);
    const double delta = f.d[j] + f.l(j + 1, j) * f.l(j + 1, j) * f.d[j + 1];
    if (delta + 1e-9 < f.d[j + 1]) {
      permute(f, out.zt, j, delta);
      k = j;
      j = n - 2;
    } else
      --j;
  }
  return out;
}

IntegerCandidates search(const Eigen::VectorXd &z, const LtdlFactor &f, int count) {
  const Index n = z.size();
  IntegerCandidates out;
  double bound = std::numeric_limits<double>::infinity();
  Eigen::MatrixXd s = Eigen::MatrixXd::Zero(n, n);
  Eigen::VectorXd distance(n), conditional(n), value(n), step(n);
  Index k = n - 1;
  distance[k] = 0;
  conditional[k] = z[k];
  value[k] = std::round(z[k]);
  auto sign = [](double x) { return x <= 0 ? -1.0 : 1.0; };
  step[k] = sign(conditional[k] - value[k]);
  long visited = 0;
  while (true) {
    // Where the integers are settled a search takes thousands of steps; one without end tells of a wrong model.
    if (++visited > 500'000) throw std::domain_error("the integer search did not end");
    const double y = conditional[k] - value[k];
    const double total = distance[k] + y * y / f.d[k];
    if (total < bound) {
      if (k != 0) {
        --k;
        distance[k] = total;
        for (Index i = 0; i <= k; ++i) s(k, i) = s(k + 1, i) + (value[k + 1] - conditional[k + 1]) * f.l(k + 1, i);
        conditional[k] = z[k] + s(k, k);
        value[k] = std::round(conditional[k]);
        step[k] = sign(conditional[k] - value[k]);
      } else {
        IntVector v = value.array().round().cast<std::int64_t>().matrix();
        const auto at = std::upper_bound(out.norms.begin(), out.norms.end(), total);
        const auto where = at - out.norms.begin();
        out.norms.insert(at, total);
        out.vectors.insert(out.vectors.begin() + where, v);
        if (out.norms.size() > static_cast<std::size_t>(count)) {
          out.norms.pop_back();
          out.vectors.pop_back();
        }
        if (out.norms.size() == static_cast<std::size_t>(count)) bound = out.norms.back();
        value[0] += step[0];
        step[0] = -step[0] - sign(step[0]);
      }
    } else {
      if (k == n - 1) break;
      ++k;
      value[k] += step[k];
      step[k] = -step[k] - sign(step[k]);
    }
  }
  return out;
}

IntegerCandidates integer_least_squares(const Eigen::VectorXd &a, const Eigen::MatrixXd &q, int count) {
  const Decorrelation d = decorrelate(q);
  // Whole cycles are taken off first: large numbers would cost digits in the transformation.
  const Eigen::VectorXd whole = a.array().round().matrix();
  const Eigen::VectorXd z = d.zt.cast<double>() * (a - whole);
  IntegerCandidates c = search(z, d.factor, count);
  const Eigen::MatrixXd back = d.zt.cast<double>().inverse();
  for (IntVector &v : c.vectors) v = (back * v.cast<double>() + whole).array().round().cast<std::int64_t>().matrix();
  return c;
}

double bootstrap_success_rate(const Eigen::VectorXd &variances) {
  double p = 1;
  for (double v : variances) p *= std::erf(1 / (2 * std::sqrt(2 * v)));
  return p;
}

} // namespace ampletie
