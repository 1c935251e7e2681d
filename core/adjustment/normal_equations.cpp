#include "adjustment/normal_equations.h"
#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>
#include <suitesparse/cholmod.h>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;
using Dense = Eigen::Map<MatrixXd>;
using ConstDense = Eigen::Map<const MatrixXd>;

std::size_t at(int i) { return static_cast<std::size_t>(i); }
} // namespace

/// The factor by supernodes: columns that follow each other with the same rows below them, kept as one dense block.
struct NormalEquations::Data {
  cholmod_common common;
  cholmod_factor *factor = nullptr;
  int n = 0, supernodes = 0;
  std::vector<int> position;       // original → permuted
  std::vector<int> node_of;        // permuted column → supernode
  const int *first = nullptr;      // columns of supernode s: first[s] … first[s + 1]
  const int *rows_at = nullptr;    // its rows, sorted, its own columns first: row[rows_at[s]] … row[rows_at[s + 1]]
  const int *values_at = nullptr;  // its block of L, column by column
  const int *row = nullptr;        //
  const double *value = nullptr;   // L
  std::vector<double> selected;    // inverse on the same pattern
  std::map<int, VectorXd> columns; // of the inverse, beyond the pattern
  std::mutex mutex;
  Data() { cholmod_start(&common); }
  ~Data() {
    if (factor) cholmod_free_factor(&factor, &common);
    cholmod_finish(&common);
  }
  int width(int s) const { return first[s + 1] - first[s]; }
  int height(int s) const { return rows_at[s + 1] - rows_at[s]; }
  const int *rows(int s) const { return row + rows_at[s]; }
  ConstDense block(int s) const { return {value + values_at[s], height(s), width(s)}; }
  Dense inverse_block(int s) { return {selected.data() + values_at[s], height(s), width(s)}; }
  void gather(int s, MatrixXd &out) const;
  template <class Rhs> Rhs solve(const Rhs &rhs) const;
};

namespace {
/// Lower triangle as CHOLMOD wants it; doubles are summed in an order of their own, not in that of the observations.
cholmod_sparse *compressed(int n, std::vector<NormalEquations::Entry> &lower, cholmod_common &common) {
  using Entry = NormalEquations::Entry;
  std::sort(lower.begin(), lower.end(), [](const Entry &a, const Entry &b) {
    return std::tie(a.column, a.row, a.value) < std::tie(b.column, b.row, b.value);
  });
  std::size_t count = 0;
  for (std::size_t i = 0; i < lower.size(); ++i)
    count += i == 0 || lower[i].row != lower[i - 1].row || lower[i].column != lower[i - 1].column;
  cholmod_sparse *a = cholmod_allocate_sparse(at(n), at(n), count, 1, 1, -1, CHOLMOD_REAL, &common);
  auto *p = static_cast<int *>(a->p), *r = static_cast<int *>(a->i);
  auto *x = static_cast<double *>(a->x);
  int k = -1;
  std::size_t next = 0;
  for (int c = 0; c < n; ++c) {
    p[c] = k + 1;
    int last = -1;
    for (; next < lower.size() && lower[next].column == c; ++next) {
      if (lower[next].row != last) {
        last = r[++k] = lower[next].row;
        x[k] = 0;
      }
      x[k] += lower[next].value;
    }
  }
  p[n] = k + 1;
  return a;
}
} // namespace

NormalEquations::~NormalEquations() = default;
NormalEquations::NormalEquations(NormalEquations &&) noexcept = default;

NormalEquations::NormalEquations(int n, std::vector<Entry> lower) : data_(std::make_unique<Data>()) {
  Data &d = *data_;
  d.n = n;
  if (n == 0) return;
  cholmod_sparse *a = compressed(n, lower, d.common);
  lower = {};
  d.common.supernodal = CHOLMOD_SUPERNODAL;
  d.common.print = 0;
  // Minimum degree; nested dissection too where that leaves much work, and the better of the two.
  d.common.nmethods = 0;
  // Parameters have units of their own (metres, radians): each pivot is judged against its own diagonal.
  std::vector<double> diagonal(at(n), 0);
  const auto *p = static_cast<const int *>(a->p), *r = static_cast<const int *>(a->i);
  for (int c = 0; c < n; ++c)
    if (p[c] < p[c + 1] && r[p[c]] == c) diagonal[at(c)] = static_cast<const double *>(a->x)[p[c]];
  d.factor = cholmod_analyze(a, &d.common);
  cholmod_factorize(a, d.factor, &d.common);
  cholmod_free_sparse(&a, &d.common);
  const auto *perm = static_cast<const int *>(d.factor->Perm);
  if (d.common.status == CHOLMOD_NOT_POSDEF) throw SingularError(perm[std::min(d.factor->minor, d.factor->n - 1)]);
  d.supernodes = static_cast<int>(d.factor->nsuper);
  d.first = static_cast<const int *>(d.factor->super), d.rows_at = static_cast<const int *>(d.factor->pi);
  d.values_at = static_cast<const int *>(d.factor->px), d.row = static_cast<const int *>(d.factor->s);
  d.value = static_cast<const double *>(d.factor->x);
  d.position.resize(at(n)), d.node_of.resize(at(n));
  for (int i = 0; i < n; ++i) d.position[at(perm[i])] = i;
  for (int s = 0; s < d.supernodes; ++s)
    for (int c = d.first[s]; c < d.first[s + 1]; ++c) {
      d.node_of[at(c)] = s;
      const double pivot = d.block(s)(c - d.first[s], c - d.first[s]);
      if (!(pivot * pivot > 1e-12 * diagonal[at(perm[c])])) throw SingularError(perm[c]);
    }
}

std::size_t NormalEquations::factor_nonzeros() const {
  std::size_t out = 0;
  for (int s = 0; s < data_->supernodes; ++s) {
    const auto w = at(data_->width(s));
    out += w * at(data_->height(s)) - w * (w - 1) / 2;
  }
  return out;
}

template <class Rhs> Rhs NormalEquations::Data::solve(const Rhs &rhs) const {
  Rhs y(rhs.rows(), rhs.cols());
  for (int i = 0; i < n; ++i) y.row(position[at(i)]) = rhs.row(i);
  Rhs below;
  for (int s = 0; s < supernodes; ++s) {
    const int w = width(s), h = height(s);
    const int *under = rows(s);
    auto own = y.middleRows(first[s], w);
    block(s).topRows(w).template triangularView<Eigen::Lower>().solveInPlace(own);
    below.noalias() = block(s).bottomRows(h - w) * own;
    for (int i = w; i < h; ++i) y.row(under[i]) -= below.row(i - w);
  }
  for (int s = supernodes - 1; s >= 0; --s) {
    const int w = width(s), h = height(s);
    const int *under = rows(s);
    auto own = y.middleRows(first[s], w);
    below.resize(h - w, rhs.cols());
    for (int i = w; i < h; ++i) below.row(i - w) = y.row(under[i]);
    own.noalias() -= block(s).bottomRows(h - w).transpose() * below;
    block(s).topRows(w).transpose().template triangularView<Eigen::Upper>().solveInPlace(own);
  }
  Rhs x(rhs.rows(), rhs.cols());
  for (int i = 0; i < n; ++i) x.row(i) = y.row(position[at(i)]);
  return x;
}

VectorXd NormalEquations::solve(const VectorXd &rhs) const { return data_->solve(rhs); }
NormalEquations::Sides NormalEquations::solve_all(const Sides &rhs) const { return data_->solve(rhs); }

/// The inverse between all rows below supernode `s`, lower triangle: each pair of them stands in the block of the
/// earlier one, whose rows contain the later (George and Liu 1981, on the structure of L).
void NormalEquations::Data::gather(int s, MatrixXd &out) const {
  const int w = width(s), m = height(s) - w;
  const int *below = rows(s) + w;
  out.resize(m, m);
  std::vector<int> place(at(m));
  for (int j = 0; j < m;) {
    const int k = node_of[at(below[j])], h = height(k);
    const int *there = rows(k);
    for (int i = j, q = 0; i < m; ++i) {
      while (q < h && there[q] < below[i]) ++q;
      place[at(i)] = q;
    }
    const double *from = selected.data() + values_at[k];
    for (; j < m && node_of[at(below[j])] == k; ++j) {
      const double *column = from + static_cast<std::ptrdiff_t>(place[at(j)]) * h;
      for (int i = j; i < m; ++i) out(i, j) = column[place[at(i)]];
    }
  }
}

void NormalEquations::invert() {
  Data &d = *data_;
  if (!d.selected.empty() || d.n == 0) return;
  d.selected.assign(d.factor->xsize, 0);
  // With Y = L_below L_own⁻¹: Z_below,own = −Z_below,below Y and Z_own,own = L_own⁻ᵀ L_own⁻¹ − Yᵀ Z_below,own.
  MatrixXd known, y, own;
  for (int s = d.supernodes - 1; s >= 0; --s) {
    const int w = d.width(s), m = d.height(s) - w;
    const auto l = d.block(s);
    auto z = d.inverse_block(s);
    own = l.topRows(w).triangularView<Eigen::Lower>().solve(MatrixXd::Identity(w, w));
    if (m == 0) {
      z.topRows(w).noalias() = own.transpose() * own;
      continue;
    }
    d.gather(s, known);
    y.noalias() = l.bottomRows(m) * own;
    z.bottomRows(m).noalias() = known.selfadjointView<Eigen::Lower>() * -y;
    z.topRows(w).noalias() = own.transpose() * own;
    z.topRows(w).noalias() -= y.transpose() * z.bottomRows(m);
  }
}

double NormalEquations::inverse(int i, int j) const {
  const Data &d = *data_;
  int a = d.position[at(i)], b = d.position[at(j)];
  if (a < b) std::swap(a, b);
  const int s = d.node_of[at(b)];
  const int *rows = d.rows(s), *end = rows + d.height(s);
  const int *it = a < d.first[s + 1] ? rows + (a - d.first[s]) : std::lower_bound(rows + d.width(s), end, a);
  if (it == end || *it != a || d.selected.empty()) {
    // The larger index as the column: what many ask for in common (the geoid's nodes) comes after the marks.
    const int column = std::max(i, j), row = std::min(i, j);
    const std::lock_guard lock(data_->mutex);
    auto &kept = data_->columns[column];
    if (kept.size() == 0) kept = solve(VectorXd::Unit(static_cast<Index>(d.position.size()), column));
    return kept[row];
  }
  return d.selected[at(d.values_at[s]) + at(b - d.first[s]) * at(d.height(s)) + static_cast<std::size_t>(it - rows)];
}

} // namespace ampletie
