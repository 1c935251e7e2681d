#include "adjustment/normal_equations.h"
#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>
#include <numeric>
#include <suitesparse/cholmod.h>

namespace ampletie {

struct NormalEquations::Data {
  cholmod_common common;
  cholmod_factor *factor = nullptr;
  int n = 0;
  std::vector<int> position;              // original → permuted
  std::vector<int> column, row;           // pattern of L, rows sorted, diagonal first
  std::vector<double> value;              // L
  std::vector<double> selected;           // inverse on the same pattern
  std::map<int, Eigen::VectorXd> columns; // of the inverse, beyond the pattern
  std::mutex mutex;
  Data() { cholmod_start(&common); }
  ~Data() {
    if (factor) cholmod_free_factor(&factor, &common);
    cholmod_finish(&common);
  }
};

NormalEquations::~NormalEquations() = default;
NormalEquations::NormalEquations(NormalEquations &&) noexcept = default;

NormalEquations::NormalEquations(int n, std::vector<Entry> lower) : data_(std::make_unique<Data>()) {
  Data &d = *data_;
  d.n = n;
  // Sorted, so that the sum of doubles does not depend on the order of the observations.
  std::sort(lower.begin(), lower.end(), [](const Entry &a, const Entry &b) {
    return std::tie(a.column, a.row, a.value) < std::tie(b.column, b.row, b.value);
  });
  std::size_t count = 0;
  for (std::size_t i = 0; i < lower.size(); ++i)
    count += i == 0 || lower[i].row != lower[i - 1].row || lower[i].column != lower[i - 1].column;
  cholmod_sparse *a =
      cholmod_allocate_sparse(static_cast<size_t>(n), static_cast<size_t>(n), count, 1, 1, -1, CHOLMOD_REAL, &d.common);
  auto *p = static_cast<int *>(a->p), *r = static_cast<int *>(a->i);
  auto *x = static_cast<double *>(a->x);
  int k = -1, at = 0;
  for (int c = 0; c < n; ++c) {
    p[c] = k + 1;
    int last = -1;
    while (at < static_cast<int>(lower.size()) && lower[static_cast<std::size_t>(at)].column == c) {
      const Entry &e = lower[static_cast<std::size_t>(at++)];
      if (e.row != last) {
        r[++k] = e.row;
        x[k] = 0;
        last = e.row;
      }
      x[k] += e.value;
    }
  }
  p[n] = k + 1;
  d.common.supernodal = CHOLMOD_SIMPLICIAL;
  d.common.final_ll = 1;
  d.common.final_monotonic = 1;
  d.common.final_pack = 1;
  d.common.nmethods = 1;
  d.common.method[0].ordering = CHOLMOD_AMD;
  d.common.print = 0;
  // Parameters have units of their own (metres, radians): each pivot is judged against its own diagonal.
  std::vector<double> diagonal(static_cast<std::size_t>(n), 0);
  for (int c = 0; c < n; ++c)
    if (p[c] < p[c + 1] && r[p[c]] == c) diagonal[static_cast<std::size_t>(c)] = x[p[c]];
  d.factor = cholmod_analyze(a, &d.common);
  cholmod_factorize(a, d.factor, &d.common);
  cholmod_free_sparse(&a, &d.common);
  const auto *perm = static_cast<int *>(d.factor->Perm);
  if (d.common.status == CHOLMOD_NOT_POSDEF) throw SingularError(perm[std::min(d.factor->minor, d.factor->n - 1)]);
  const auto *lp = static_cast<int *>(d.factor->p), *li = static_cast<int *>(d.factor->i);
  const auto *lx = static_cast<double *>(d.factor->x);
  d.column.assign(lp, lp + n + 1);
  d.row.assign(li, li + lp[n]);
  d.value.assign(lx, lx + lp[n]);
  d.position.resize(static_cast<std::size_t>(n));
  for (int i = 0; i < n; ++i) d.position[static_cast<std::size_t>(perm[i])] = i;
  for (int c = 0; c < n; ++c) {
    const double pivot = d.value[static_cast<std::size_t>(lp[c])];
    if (!(pivot * pivot > 1e-12 * diagonal[static_cast<std::size_t>(perm[c])])) throw SingularError(perm[c]);
  }
}

std::size_t NormalEquations::factor_nonzeros() const { return data_->value.size(); }

Eigen::VectorXd NormalEquations::solve(const Eigen::VectorXd &rhs) const {
  const Data &d = *data_;
  Eigen::VectorXd y(d.n);
  for (int i = 0; i < d.n; ++i) y[d.position[static_cast<std::size_t>(i)]] = rhs[i];
  for (int c = 0; c < d.n; ++c) {
    auto k = static_cast<std::size_t>(d.column[static_cast<std::size_t>(c)]);
    const auto end = static_cast<std::size_t>(d.column[static_cast<std::size_t>(c) + 1]);
    y[c] /= d.value[k];
    for (++k; k < end; ++k) y[d.row[k]] -= d.value[k] * y[c];
  }
  for (int c = d.n - 1; c >= 0; --c) {
    const auto first = static_cast<std::size_t>(d.column[static_cast<std::size_t>(c)]);
    const auto end = static_cast<std::size_t>(d.column[static_cast<std::size_t>(c) + 1]);
    for (std::size_t k = first + 1; k < end; ++k) y[c] -= d.value[k] * y[d.row[k]];
    y[c] /= d.value[first];
  }
  Eigen::VectorXd x(d.n);
  for (int i = 0; i < d.n; ++i) x[i] = y[d.position[static_cast<std::size_t>(i)]];
  return x;
}

void NormalEquations::invert() {
  Data &d = *data_;
  if (!d.selected.empty() || d.n == 0) return;
  d.selected.assign(d.value.size(), 0);
  std::vector<int> where(static_cast<std::size_t>(d.n), -1);
  std::vector<double> sum;
  // Z(i,j) = −Σ_k L(k,j)/L(j,j) Z(k,i),  Z(j,j) = 1/L(j,j)² − Σ_k L(k,j)/L(j,j) Z(k,j),  k over the column's pattern.
  for (int j = d.n - 1; j >= 0; --j) {
    const auto first = static_cast<std::size_t>(d.column[static_cast<std::size_t>(j)]);
    const auto end = static_cast<std::size_t>(d.column[static_cast<std::size_t>(j) + 1]);
    const double pivot = d.value[first];
    const std::size_t m = end - first - 1;
    sum.assign(m, 0);
    for (std::size_t a = 0; a < m; ++a) where[static_cast<std::size_t>(d.row[first + 1 + a])] = static_cast<int>(a);
    for (std::size_t a = 0; a < m; ++a) {
      const int k = d.row[first + 1 + a];
      const double lkj = d.value[first + 1 + a] / pivot;
      const auto kb = static_cast<std::size_t>(d.column[static_cast<std::size_t>(k)]);
      const auto ke = static_cast<std::size_t>(d.column[static_cast<std::size_t>(k) + 1]);
      double own = 0;
      sum[a] -= lkj * d.selected[kb];
      for (std::size_t q = kb + 1; q < ke; ++q) {
        const int b = where[static_cast<std::size_t>(d.row[q])];
        if (b < 0) continue;
        const double z = d.selected[q];
        sum[static_cast<std::size_t>(b)] -= lkj * z;
        own -= d.value[first + 1 + static_cast<std::size_t>(b)] / pivot * z;
      }
      sum[a] += own;
    }
    double diagonal = 1 / (pivot * pivot);
    for (std::size_t a = 0; a < m; ++a) {
      d.selected[first + 1 + a] = sum[a];
      diagonal -= d.value[first + 1 + a] / pivot * sum[a];
      where[static_cast<std::size_t>(d.row[first + 1 + a])] = -1;
    }
    d.selected[first] = diagonal;
  }
}

double NormalEquations::inverse(int i, int j) const {
  const Data &d = *data_;
  int a = d.position[static_cast<std::size_t>(i)], b = d.position[static_cast<std::size_t>(j)];
  if (a < b) std::swap(a, b);
  const auto begin = d.row.begin() + d.column[static_cast<std::size_t>(b)],
             end = d.row.begin() + d.column[static_cast<std::size_t>(b) + 1];
  const auto it = std::lower_bound(begin, end, a);
  if (it == end || *it != a) {
    // The larger index as the column: what many ask for in common (the geoid's nodes) comes after the marks.
    const int column = std::max(i, j), row = std::min(i, j);
    const std::lock_guard lock(data_->mutex);
    auto &kept = data_->columns[column];
    if (kept.size() == 0) kept = solve(Eigen::VectorXd::Unit(static_cast<Eigen::Index>(d.position.size()), column));
    return kept[row];
  }
  return d.selected[static_cast<std::size_t>(it - d.row.begin())];
}

} // namespace ampletie
