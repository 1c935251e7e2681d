#include "datum/fit/frame_fit.h"
#include "adjustment/statistics.h"
#include "base/error.h"
#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/QR>
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// Which of the three equations of each pair count.
struct Equations {
  struct Of {
    std::size_t pair;
    int axis;
  };
  std::vector<Of> all;
  explicit Equations(const FitInput &in) {
    for (std::size_t i = 0; i < in.pairs.size(); ++i) {
      const FitPair &p = in.pairs[i];
      const bool plan = p.has_plan && in.model->has_plan() && (p.use == PairUse::both || p.use == PairUse::plan);
      const bool height =
          p.has_height && in.model->has_height() && (p.use == PairUse::both || p.use == PairUse::height);
      for (int axis = 0; axis < 3; ++axis)
        if (axis < 2 ? plan : height) all.push_back({i, axis});
    }
  }
  Index count() const { return static_cast<Index>(all.size()); }
  /// Rows of a matrix that has three for each pair.
  template <class M> M pick(const M &of) const {
    M out(count(), of.cols());
    for (Index k = 0; k < count(); ++k) out.row(k) = of.row(row(k));
    return out;
  }
  /// Rows and columns of one that has three of each for each pair.
  MatrixXd block(const MatrixXd &of) const {
    MatrixXd out(count(), count());
    for (Index i = 0; i < count(); ++i)
      for (Index k = 0; k < count(); ++k) out(i, k) = of(row(i), row(k));
    return out;
  }
  /// The other way: nought where nothing counts.
  MatrixXd spread(const MatrixXd &rows, Index all_rows) const {
    MatrixXd out = MatrixXd::Zero(all_rows, rows.cols());
    for (Index k = 0; k < count(); ++k) out.row(row(k)) = rows.row(k);
    return out;
  }
  Index row(Index k) const {
    const Of &e = all[static_cast<std::size_t>(k)];
    return 3 * static_cast<Index>(e.pair) + e.axis;
  }
};

/// The model at points and parameters: what it gives, and its derivatives.
struct Linear {
  VectorXd value;      ///< 3n
  MatrixXd a;          ///< 3n × u
  std::vector<Mat3> b; ///< of each pair by its point
  Linear(const FitInput &in, const VectorXd &p, const VectorXd &x) {
    const Index n = static_cast<Index>(in.pairs.size());
    value.resize(3 * n), a.resize(3 * n, in.model->count());
    for (Index i = 0; i < n; ++i) {
      const Vec3 at = x.segment<3>(3 * i);
      value.segment<3>(3 * i) = in.model->apply(p, at);
      a.middleRows(3 * i, 3) = in.model->by_parameters(p, at);
      b.push_back(in.model->by_point(p, at));
    }
  }
  /// B M and Bᵀ M, block by block.
  MatrixXd times(const MatrixXd &m, bool transposed = false) const {
    MatrixXd out(m.rows(), m.cols());
    for (std::size_t i = 0; i < b.size(); ++i) {
      const Index at = 3 * static_cast<Index>(i);
      const Mat3 one = transposed ? Mat3(b[i].transpose()) : b[i];
      out.middleRows(at, 3).noalias() = one * m.middleRows(at, 3);
    }
    return out;
  }
};

void refuse_undetermined(const Equations &e, const MatrixXd &a, const FitInput &in) {
  const auto names = in.model->names();
  if (e.count() < in.model->count())
    throw InputError(fmt::format("{} equations of the pairs for {} parameters: hold fewer parameters free, or let more "
                                 "pairs take part",
                                 e.count(), in.model->count()));
  // Columns in units of their own, so that shifts and scales compare.
  MatrixXd scaled = a;
  for (Index k = 0; k < a.cols(); ++k) {
    const double norm = a.col(k).norm();
    if (norm == 0)
      throw InputError("no pair says anything of the parameter \"" + names[static_cast<std::size_t>(k)] + "\"");
    scaled.col(k) /= norm;
  }
  const Eigen::SelfAdjointEigenSolver<MatrixXd> eigen(scaled.transpose() * scaled);
  // Marks within centimetres of one line at a kilometre's length count as on it.
  if (eigen.eigenvalues()[0] > 1e-9) return;
  Index which = 0;
  eigen.eigenvectors().col(0).cwiseAbs().maxCoeff(&which);
  throw InputError("the pairs do not determine the parameter \"" + names[static_cast<std::size_t>(which)] +
                   "\": they lie on one place or on one line");
}

/// The last step of the solution, from which everything is derived.
struct Solution {
  MatrixXd a, weight, cov; ///< of the equations that count: A, P = Σw⁻¹, Qθ
  MatrixXd sum;            ///< Σw of all 3n
  VectorXd v;              ///< w − A δ of the equations that count
};

/// A difference and its χ² against the limit of as many degrees.
PairVerdict::Predicted judged(VectorXd difference, MatrixXd cov, double statistic, bool counts) {
  const double limit = difference.size() == 1 ? single_test_limit : plan_test_limit;
  return {std::move(difference), std::move(cov), statistic, limit * limit, statistic <= limit * limit, counts};
}

/// What the other pairs say of some equations of one: with G the block of P Qvv P, G⁻¹ P v and G⁻¹. `sum`: Σw of all
/// equations that count.
std::optional<PairVerdict::Predicted> predicted(const Solution &s, const MatrixXd &sum, const MatrixXd &reduced,
                                                const std::vector<Index> &rows) {
  const Index q = static_cast<Index>(rows.size());
  const VectorXd pv = s.weight * s.v;
  MatrixXd g(q, q), own(q, q);
  VectorXd w(q);
  for (Index i = 0; i < q; ++i) {
    const Index at = rows[static_cast<std::size_t>(i)];
    w[i] = pv[at];
    for (Index k = 0; k < q; ++k) {
      g(i, k) = reduced(at, rows[static_cast<std::size_t>(k)]);
      own(i, k) = sum(at, rows[static_cast<std::size_t>(k)]);
    }
  }
  // In its own standard deviations: a direction of which nothing is left is checked by nobody.
  const MatrixXd l = own.llt().matrixL();
  const Eigen::SelfAdjointEigenSolver<MatrixXd> left(l.transpose() * g * l);
  if (!(left.eigenvalues()[0] > 1e-9)) return {};
  const MatrixXd cov = g.inverse();
  const VectorXd error = cov * w; // of what is given; a residual has the other sign
  return judged(-error, cov, w.dot(error), true);
}

/// A pair, or a part of it, that does not count: from all others.
PairVerdict::Predicted compared(const VectorXd &difference, const MatrixXd &cov) {
  return judged(difference, cov, difference.dot(cov.ldlt().solve(difference)), false);
}

void judge_pairs(FitResult &r, const FitInput &in, const Equations &e, const Solution &s, const Linear &at,
                 const VectorXd &given, const MatrixXd &from_with_parameters) {
  const Index u = in.model->count();
  // P Qvv P = P − P A Qθ Aᵀ P.
  const MatrixXd pa = s.weight * s.a;
  const MatrixXd reduced = s.weight - pa * s.cov * pa.transpose();
  r.pairs.resize(in.pairs.size());
  r.misclosure = e.spread(s.v, given.size());
  r.tests = e.spread(e.spread(reduced, given.size()).transpose(), given.size());
  std::vector<std::vector<Index>> plan(in.pairs.size()), height(in.pairs.size());
  for (Index k = 0; k < e.count(); ++k) {
    const auto &of = e.all[static_cast<std::size_t>(k)];
    (of.axis < 2 ? plan : height)[of.pair].push_back(k);
  }
  const MatrixXd sum = e.block(s.sum);
  for (std::size_t i = 0; i < in.pairs.size(); ++i) {
    PairVerdict &v = r.pairs[i];
    const FitPair &p = in.pairs[i];
    const Index at3 = 3 * static_cast<Index>(i);
    v.residual = at.value.segment<3>(at3) - given.segment<3>(at3);
    VectorXd step = VectorXd::Zero(u);
    const auto part = [&](const std::vector<Index> &rows, bool has, Index first, Index q,
                          double &checked) -> std::optional<PairVerdict::Predicted> {
      if (!has) return {};
      if (!rows.empty()) {
        // Qvv P = I − A Qθ Aᵀ P: what of each equation the others check.
        for (const Index k : rows)
          checked += (1 - s.a.row(k).dot(s.cov * pa.row(k).transpose())) / static_cast<double>(rows.size());
        checked = std::clamp(checked, 0.0, 1.0);
        auto out = predicted(s, sum, reduced, rows);
        if (out) {
          // Without it the parameters change by −Qθ Aᵀ P E ∇, ∇ its estimated error.
          MatrixXd picked(static_cast<Index>(rows.size()), u);
          for (std::size_t k = 0; k < rows.size(); ++k) picked.row(static_cast<Index>(k)) = pa.row(rows[k]);
          step += s.cov * picked.transpose() * out->difference;
        }
        return out;
      }
      // Both sides' covariance, the parameters' and what they share.
      const auto a = at.a.middleRows(at3 + first, q);
      const MatrixXd b_cross = at.b[i].middleRows(first, q) * from_with_parameters.middleRows(at3, 3);
      const MatrixXd cov = s.sum.block(at3 + first, at3 + first, q, q) + a * s.cov * a.transpose() +
                           b_cross * a.transpose() + a * b_cross.transpose();
      return compared(v.residual.segment(first, q), cov);
    };
    v.plan = part(plan[i], p.has_plan && in.model->has_plan(), 0, 2, v.checked_plan);
    v.height = part(height[i], p.has_height && in.model->has_height(), 2, 1, v.checked_height);
    for (Index k = 0; k < static_cast<Index>(in.pairs.size()); ++k)
      v.moves = std::max(v.moves, (at.a.middleRows(3 * k, 3) * step).norm());
  }
}
} // namespace

const std::vector<std::string> &pair_uses() {
  static const std::vector<std::string> all{"both", "plan", "height", "check"};
  return all;
}

FitResult fit_frame(const FitInput &in) {
  const Index n = static_cast<Index>(in.pairs.size()), u = in.model->count();
  const Equations e(in);
  if (u == 0) throw InputError("a fit of nothing: neither plan nor height has a parameter");
  VectorXd given(3 * n), x0(3 * n);
  MatrixXd to_cov = MatrixXd::Zero(3 * n, 3 * n);
  std::vector<Vec3> from, to;
  std::vector<bool> plan(in.pairs.size()), height(in.pairs.size());
  for (Index i = 0; i < n; ++i) {
    const FitPair &p = in.pairs[static_cast<std::size_t>(i)];
    if (!p.from.allFinite() || !p.to.allFinite()) throw InputError(p.name + " has coordinates that are no numbers");
    x0.segment<3>(3 * i) = p.from, given.segment<3>(3 * i) = p.to;
    to_cov.block<3, 3>(3 * i, 3 * i) = p.to_cov;
    from.push_back(p.from), to.push_back(p.to);
  }
  for (const auto &of : e.all) (of.axis < 2 ? plan : height)[of.pair] = true;
  FitResult r;
  r.names = in.model->names();
  r.parameters = in.model->start(from, to, plan, height);
  refuse_undetermined(e, e.pick(Linear(in, r.parameters, x0).a), in);
  Solution s;
  VectorXd x = x0;
  constexpr int most = 50;
  for (r.iterations = 1;; ++r.iterations) {
    const Linear at(in, r.parameters, x);
    s.sum = to_cov + at.times(at.times(in.from_cov).transpose());
    s.a = e.pick(at.a);
    const VectorXd w = e.pick(VectorXd(given - at.value - at.times(x0 - x)));
    const Eigen::LLT<MatrixXd> f(e.block(s.sum));
    if (f.info() != Eigen::Success || !(f.rcond() > 1e-14))
      throw InputError("some pairs have no uncertainty on either side: state a standard deviation");
    s.weight = f.solve(MatrixXd::Identity(e.count(), e.count()));
    s.cov = (s.a.transpose() * s.weight * s.a).ldlt().solve(MatrixXd::Identity(u, u));
    const VectorXd delta = s.cov * (s.a.transpose() * (s.weight * w));
    s.v = w - s.a * delta;
    // e_x = Σx Bᵀ P v: points move by what their own uncertainty lets them.
    const VectorXd next = x0 + in.from_cov * at.times(e.spread(s.weight * s.v, 3 * n), true);
    r.parameters += delta;
    // By what it moves points: parameters have units of their own.
    const double step = std::max((at.a * delta).cwiseAbs().maxCoeff(), (next - x).cwiseAbs().maxCoeff());
    x = next;
    if (!std::isfinite(step)) throw InputError("the fit leads nowhere: look for a pair that is far wrong");
    // Coordinates of thousands of kilometres end at a nanometre. What misses by metres need not be found better than
    // to a millionth of that, and may swing about its best place.
    r.converged = step < 4e-9 + 1e-8 * s.v.cwiseAbs().maxCoeff();
    if (r.converged || r.iterations == most) break;
  }
  const Linear at(in, r.parameters, x0);
  r.cov = s.cov;
  r.equations = static_cast<int>(e.count()), r.redundancy = r.equations - static_cast<int>(u);
  r.chi_squared = s.v.dot(s.weight * s.v);
  if (r.redundancy > 0) {
    r.lower = chi_squared_quantile(in.alpha / 2, r.redundancy);
    r.upper = chi_squared_quantile(1 - in.alpha / 2, r.redundancy);
    r.passes = r.converged && r.chi_squared <= r.upper;
  }
  // cov(x, θ) = −Σx Bᵀ P A Qθ.
  r.lead = -at.times(e.spread(s.weight * s.a, 3 * n), true) * s.cov;
  r.cross = in.from_cov * r.lead;
  judge_pairs(r, in, e, s, at, given, r.cross);
  return r;
}

FittedPoint fitted(const FitModel &model, const FitResult &fit, const Vec3 &from, const Mat3 &from_cov,
                   const Eigen::Matrix<double, 3, Eigen::Dynamic> &with_parameters) {
  const Mat3 b = model.by_point(fit.parameters, from);
  const auto a = model.by_parameters(fit.parameters, from);
  const Mat3 shared = b * with_parameters * a.transpose();
  return {model.apply(fit.parameters, from),
          b * from_cov * b.transpose() + a * fit.cov * a.transpose() + shared + shared.transpose()};
}

} // namespace ampletie
