#include "adjustment/adjustment.h"
#include "adjustment/statistics.h"
#include "base/error.h"
#include <Eigen/Dense>
#include <algorithm>
#include <limits>
#include <map>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// A block at the current values, reduced to its free unknowns.
struct Linear {
  VectorXd misclosure; // observed − computed
  MatrixXd jacobian;   // columns: free unknowns
  std::vector<int> unknowns;
};

Linear linearise(const Block &b, const std::vector<double> &values, const std::vector<int> &index) {
  VectorXd p(static_cast<Eigen::Index>(b.unknowns.size())), computed;
  for (std::size_t i = 0; i < b.unknowns.size(); ++i)
    p[static_cast<Eigen::Index>(i)] = values[static_cast<std::size_t>(b.unknowns[i])];
  MatrixXd full;
  b.evaluate(p, computed, full);
  Linear out;
  out.misclosure = b.observed - computed;
  std::vector<Eigen::Index> columns;
  for (std::size_t i = 0; i < b.unknowns.size(); ++i) {
    const int u = index[static_cast<std::size_t>(b.unknowns[i])];
    if (u < 0) continue;
    columns.push_back(static_cast<Eigen::Index>(i));
    out.unknowns.push_back(u);
  }
  out.jacobian.resize(full.rows(), static_cast<Eigen::Index>(columns.size()));
  for (std::size_t c = 0; c < columns.size(); ++c)
    out.jacobian.col(static_cast<Eigen::Index>(c)) = full.col(columns[c]);
  return out;
}

/// What tests of a number of degrees are held against, found once.
class Limits {
public:
  explicit Limits(const AdjustmentOptions &o) : o_(o) {}
  double chi_squared(int degrees) {
    return kept(chi_squared_, degrees, [&] { return chi_squared_quantile(1 - o_.alpha_single, degrees); });
  }
  double lambda(int degrees) {
    return kept(lambda_, degrees, [&] { return noncentrality(o_.alpha_single, o_.power, degrees); });
  }

private:
  template <class Find> static double kept(std::map<int, double> &all, int degrees, Find &&find) {
    const auto [it, anew] = all.try_emplace(degrees, 0);
    if (anew) it->second = find();
    return it->second;
  }
  const AdjustmentOptions &o_;
  std::map<int, double> chi_squared_, lambda_;
};

/// The tests of a block and of its parts. A part is tested as an error of its own observations alone: with E its
/// columns of the unit matrix, u = Eᵀ P v has the covariance Eᵀ P Q_vv P E.
std::vector<BlockTest> test_block(std::size_t number, const Block &b, const Linear &l, const MatrixXd &weight,
                                  const AdjustmentResult &r, Limits &limits) {
  const double delta0 = std::sqrt(limits.lambda(1));
  const auto n = static_cast<Eigen::Index>(l.unknowns.size());
  MatrixXd q(n, n);
  for (Eigen::Index i = 0; i < n; ++i)
    for (Eigen::Index j = 0; j <= i; ++j)
      q(i, j) = q(j, i) =
          r.normals->inverse(l.unknowns[static_cast<std::size_t>(i)], l.unknowns[static_cast<std::size_t>(j)]);
  const VectorXd v = -l.misclosure;
  const MatrixXd qvv = b.covariance - l.jacobian * q * l.jacobian.transpose();
  const MatrixXd test = weight * qvv * weight, redundancy = qvv * weight;
  const VectorXd pv = weight * v;
  // A test is as good with little redundancy as with much, until the cofactor is lost in rounding (of the difference of
  // two larger ones) and the residual in what the iteration leaves. A level between two marks of a geoid that is known
  // to decimetres has a redundancy of 1e-5.
  const MatrixXd size = l.jacobian.cwiseAbs();
  const VectorXd rounding =
      1e3 * std::numeric_limits<double>::epsilon() * ((size * q.cwiseAbs()).cwiseProduct(size)).rowwise().sum();
  const double least = std::max(1e-7, n ? (rounding.array() / b.covariance.diagonal().array()).maxCoeff() : 0.0);
  const MatrixXd effect = q * l.jacobian.transpose() * weight; // unknowns per unit error of an observation
  auto one = [&](const Block::Part &p, bool observations) {
    BlockTest out;
    out.block = number, out.id = p.id, out.kind = p.kind;
    for (Eigen::Index i = p.first; observations && i < p.first + p.count; ++i) {
      ObservationTest t;
      t.residual = v[i];
      t.residual_sd = std::sqrt(std::max(0.0, qvv(i, i)));
      t.redundancy = redundancy(i, i);
      t.error = -v[i];
      if (t.redundancy > 1e-7 && qvv(i, i) > rounding[i] && test(i, i) > 0) {
        t.standardised = pv[i] / std::sqrt(test(i, i));
        t.error = -pv[i] / test(i, i);
        t.smallest_detectable = delta0 / std::sqrt(test(i, i));
        const double shift = n ? effect.col(i).cwiseAbs().maxCoeff() * *t.smallest_detectable : 0;
        out.external_effect = std::max(out.external_effect.value_or(0), shift);
      }
      out.observations.push_back(t);
      out.components.push_back(b.components[static_cast<std::size_t>(i)]);
    }
    // As a whole, in the directions that are checked at all. Conditional on the rest of its block, its covariance is
    // the inverse of its own part of the weights.
    const MatrixXd own = test.block(p.first, p.first, p.count, p.count);
    const MatrixXd conditional =
        p.count == b.observed.size()
            ? b.covariance
            : MatrixXd(
                  weight.block(p.first, p.first, p.count, p.count).llt().solve(MatrixXd::Identity(p.count, p.count)));
    const MatrixXd root = conditional.llt().matrixL();
    const MatrixXd white = root.transpose() * own * root; // eigenvalues 0…1: redundancy per direction
    const Eigen::SelfAdjointEigenSolver<MatrixXd> eigen((white + white.transpose()) / 2);
    const VectorXd u = eigen.eigenvectors().transpose() * root.transpose() * pv.segment(p.first, p.count);
    for (Eigen::Index i = 0; i < p.count; ++i) {
      const double e = eigen.eigenvalues()[i];
      if (e < least) continue;
      ++out.degrees;
      out.statistic += u[i] * u[i] / e;
    }
    if (out.degrees > 0) {
      out.limit = limits.chi_squared(out.degrees);
      out.passes = out.statistic <= out.limit;
    }
    if (out.degrees == p.count) {
      const Eigen::SelfAdjointEigenSolver<MatrixXd> weakest(own);
      const double lambda = limits.lambda(static_cast<int>(p.count));
      out.smallest_detectable = std::sqrt(lambda / std::max(1e-300, weakest.eigenvalues()[0]));
    }
    return out;
  };
  std::vector<BlockTest> out;
  for (const Block::Part &p : b.parts) out.push_back(one(p, true));
  out.push_back(one({b.id, b.kind, 0, b.observed.size()}, b.parts.empty()));
  return out;
}

} // namespace

double AdjustmentResult::covariance(int a, int b) const {
  const int i = index[static_cast<std::size_t>(a)], j = index[static_cast<std::size_t>(b)];
  return i < 0 || j < 0 ? 0 : normals->inverse(i, j);
}

MatrixXd AdjustmentResult::covariance(const std::vector<int> &p) const {
  const auto n = static_cast<Eigen::Index>(p.size());
  MatrixXd q(n, n);
  for (Eigen::Index i = 0; i < n; ++i)
    for (Eigen::Index j = 0; j < n; ++j)
      q(i, j) = covariance(p[static_cast<std::size_t>(i)], p[static_cast<std::size_t>(j)]);
  return q;
}

namespace {
/// Adds a block's part of the normal equations.
void add_to_normals(const Linear &l, const MatrixXd &weight, std::vector<NormalEquations::Entry> &entries,
                    VectorXd &rhs) {
  const MatrixXd aw = l.jacobian.transpose() * weight;
  const MatrixXd n = aw * l.jacobian;
  const VectorXd u = aw * l.misclosure;
  for (std::size_t a = 0; a < l.unknowns.size(); ++a) {
    rhs[l.unknowns[a]] += u[static_cast<Eigen::Index>(a)];
    for (std::size_t b = 0; b < l.unknowns.size(); ++b)
      if (l.unknowns[a] > l.unknowns[b] || (l.unknowns[a] == l.unknowns[b] && a >= b)) {
        double value = n(static_cast<Eigen::Index>(a), static_cast<Eigen::Index>(b));
        if (l.unknowns[a] == l.unknowns[b] && a != b) value *= 2;
        entries.push_back({l.unknowns[a], l.unknowns[b], value});
      }
  }
}

/// The inverse of a block's covariance; throws where it is none.
MatrixXd weight_of(const Block &b) {
  const Eigen::LLT<MatrixXd> llt(b.covariance);
  if (llt.info() != Eigen::Success) throw InputError(b.kind + " " + b.id + ": its covariance is not positive definite");
  const MatrixXd weight = llt.solve(MatrixXd::Identity(b.observed.size(), b.observed.size()));
  return (weight + weight.transpose()) / 2;
}
} // namespace

namespace {
/// The problem at given values, ready for a step.
class Linearised {
public:
  Linearised(const Problem &problem, const std::vector<std::size_t> &order, const std::vector<MatrixXd> &weights,
             const std::vector<int> &index)
      : blocks(problem.blocks.size()), problem_(problem), order_(order), weights_(weights), index_(index),
        linear_(std::all_of(problem.blocks.begin(), problem.blocks.end(),
                            [](const auto &b) { return dynamic_cast<const LinearBlock *>(b.get()) != nullptr; })) {}

  void at(const std::vector<double> &values) {
    vtpv = 0;
    for (std::size_t i : order_) {
      blocks[i] = linearise(*problem_.blocks[i], values, index_);
      vtpv += share(i);
    }
  }

  /// Normal equations with `damping` times their diagonal added to it, the step that they give, and by how much the
  /// linear model says that χ² falls then.
  VectorXd step(int unknowns, double damping, std::shared_ptr<NormalEquations> &normals, double &foretold) const {
    std::vector<NormalEquations::Entry> entries;
    VectorXd rhs = VectorXd::Zero(unknowns);
    // Where every equation is linear the normal equations stay what they are.
    if (linear_ && normals && damping == 0 && !damped_) {
      for (std::size_t i : order_) {
        const VectorXd u = blocks[i].jacobian.transpose() * (weights_[i] * blocks[i].misclosure);
        for (std::size_t a = 0; a < blocks[i].unknowns.size(); ++a)
          rhs[blocks[i].unknowns[a]] += u[static_cast<Index>(a)];
      }
      const VectorXd dx = normals->solve(rhs);
      foretold = dx.dot(rhs);
      return dx;
    }
    for (std::size_t i : order_) add_to_normals(blocks[i], weights_[i], entries, rhs);
    VectorXd more = VectorXd::Zero(unknowns);
    if (damping > 0)
      for (const NormalEquations::Entry &e : entries)
        if (e.row == e.column) more[e.row] += damping * e.value;
    for (int k = 0; damping > 0 && k < unknowns; ++k) entries.push_back({k, k, more[k]});
    for (int k = 0; k < unknowns; ++k) entries.push_back({k, k, 0.0}); // without observations a pivot is zero
    normals = std::make_shared<NormalEquations>(unknowns, std::move(entries));
    damped_ = damping > 0;
    const VectorXd dx = normals->solve(rhs);
    foretold = dx.dot(more.cwiseProduct(dx) + rhs);
    return dx;
  }

  /// The same problem, not linearised yet.
  Linearised elsewhere() const { return Linearised(problem_, order_, weights_, index_); }

  /// The block that fits worst.
  std::size_t worst() const {
    std::size_t out = 0;
    double most = -1;
    for (std::size_t i : order_)
      if (const double s = share(i); !(s <= most)) out = i, most = s;
    return out;
  }

  std::vector<Linear> blocks;
  double vtpv = 0;

private:
  double share(std::size_t i) const { return blocks[i].misclosure.dot(weights_[i] * blocks[i].misclosure); }
  const Problem &problem_;
  const std::vector<std::size_t> &order_;
  const std::vector<MatrixXd> &weights_;
  const std::vector<int> &index_;
  bool linear_;
  mutable bool damped_ = false; ///< the last normal equations are damped ones
};

/// How much a step is damped: the more, the less the linear model foretold of what it did.
class Damping {
public:
  double value() const { return value_; }
  bool hopeless() const { return !(value_ < 1e12); }
  /// `foretold`: by the linear model; `came`: by how much χ² fell.
  void better(double foretold, double came, double before) {
    grow_ = 2;
    if (value_ < 1e-6 || came < 1e-7 * before)
      value_ = 0;
    else if (came > 0.75 * foretold)
      value_ /= 3;
    else if (came < 0.25 * foretold)
      value_ *= 2;
  }
  void worse() {
    value_ = value_ == 0 ? 1e-3 : value_ * grow_;
    grow_ *= 2;
  }

private:
  double value_ = 0, grow_ = 2;
};

/// Steps from `r.values` until they stand still; leaves undamped normal equations and `now` at the last values.
void iterate(AdjustmentResult &r, Linearised &now, const std::vector<int> &parameter_of, int most,
             const Progress &progress) {
  const auto moved = [&](const VectorXd &dx) {
    std::vector<double> out = r.values;
    for (int k = 0; k < r.unknowns; ++k)
      out[static_cast<std::size_t>(parameter_of[static_cast<std::size_t>(k)])] += dx[k];
    return out;
  };
  now.at(r.values);
  Damping damping;
  for (r.iterations = 1;; ++r.iterations) {
    progress.check();
    VectorXd dx;
    double foretold = 0;
    try {
      dx = now.step(r.unknowns, damping.value(), r.normals, foretold);
    } catch (const SingularError &e) {
      // What the observations do not determine shows at once; later it is values that ran away.
      if (r.iterations > 1) throw ConvergenceError("the adjustment does not converge", now.worst());
      throw SingularError(parameter_of[static_cast<std::size_t>(e.unknown)]);
    }
    const double largest = r.unknowns ? dx.cwiseAbs().maxCoeff() : 0, before = now.vtpv;
    std::vector<double> values = moved(dx);
    Linearised next = now.elsewhere();
    if (std::isfinite(largest)) next.at(values);
    // Where the fit is as good as it gets, rounding decides whether it seems better or worse.
    const bool better = std::isfinite(largest) && next.vtpv <= before * (1 + 1e-6) + 1e-9;
    if (better) {
      r.values = std::move(values);
      now.blocks = std::move(next.blocks), now.vtpv = next.vtpv;
      if (damping.value() == 0 && (largest < 1e-9 || (r.iterations > 1 && largest < 1e-7))) return;
      damping.better(foretold, before - now.vtpv, before);
    } else
      damping.worse();
    if (damping.hopeless() || r.iterations >= most)
      throw ConvergenceError("the adjustment does not converge", now.worst());
  }
}
} // namespace

AdjustmentResult adjust(const Problem &problem, const AdjustmentOptions &options, const Progress &progress) {
  AdjustmentResult r;
  std::vector<int> parameter_of;
  for (std::size_t i = 0; i < problem.parameters.size(); ++i) {
    r.values.push_back(problem.parameters[i].value);
    r.index.push_back(problem.parameters[i].fixed ? -1 : static_cast<int>(parameter_of.size()));
    if (!problem.parameters[i].fixed) parameter_of.push_back(static_cast<int>(i));
  }
  r.unknowns = static_cast<int>(parameter_of.size());
  // Blocks are taken in the order of their ids: the order of input changes no byte.
  std::vector<std::size_t> order(problem.blocks.size());
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
  std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return std::pair(problem.blocks[a]->kind, problem.blocks[a]->id) <
           std::pair(problem.blocks[b]->kind, problem.blocks[b]->id);
  });
  std::vector<MatrixXd> weights(problem.blocks.size());
  for (std::size_t i : order) {
    r.observations += static_cast<int>(problem.blocks[i]->observed.size());
    weights[i] = weight_of(*problem.blocks[i]);
  }
  r.redundancy = r.observations - r.unknowns;
  Linearised now(problem, order, weights, r.index);
  iterate(r, now, parameter_of, options.max_iterations, progress);
  r.normals->invert();
  r.vtpv = now.vtpv;
  Limits limits(options);
  for (std::size_t i = 0; options.tests && i < problem.blocks.size(); ++i) {
    progress.check();
    for (BlockTest &t : test_block(i, *problem.blocks[i], now.blocks[i], weights[i], r, limits))
      r.tests.push_back(std::move(t));
  }
  if (r.redundancy > 0) {
    r.variance_factor = r.vtpv / r.redundancy;
    r.lower = chi_squared_quantile(options.alpha_global, r.redundancy) / r.redundancy;
    r.upper = chi_squared_quantile(1 - options.alpha_global, r.redundancy) / r.redundancy;
    r.passes = r.variance_factor <= r.upper;
  }
  return r;
}

} // namespace ampletie
