#include "network/weight_groups.h"
#include "adjustment/statistics.h"
#include "base/error.h"
#include "network/problem.h"
#include <Eigen/Dense>
#include <algorithm>
#include <set>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// Observations of which so many are all compared with each other for standard errors.
constexpr Index most_together = 1000;
constexpr double least_redundancy = 2; ///< of a group whose accuracy is estimated

/// A block at the adjusted values, with what its groups need.
struct Piece {
  MatrixXd weight, jacobian, covariance;
  VectorXd pv;
  std::vector<int> unknowns;
  std::map<std::string, VectorXd> members; ///< group → ones at its rows

  /// The part of the covariance that belongs to a group.
  MatrixXd part(const std::string &group) const {
    const VectorXd &e = members.at(group);
    return (e.asDiagonal() * covariance + covariance * e.asDiagonal()) / 2;
  }
};

struct Pieces {
  AdjustmentResult result;
  std::vector<Piece> all;
  std::map<std::string, int> observations; ///< of each group
};

Pieces pieces(const NetworkInput &in, const Grouping &group, const Progress &progress) {
  NetworkResult unused;
  NetworkProblem b = build_problem(in, unused);
  AdjustmentOptions options = in.options;
  options.tests = false;
  Pieces out;
  try {
    out.result = adjust(b.problem, options, progress);
  } catch (const SingularError &e) {
    throw InputError("the network is not determined at " +
                     b.problem.parameters[static_cast<std::size_t>(e.unknown)].name);
  }
  for (const auto &block : b.problem.blocks) {
    Piece p;
    VectorXd computed;
    MatrixXd full;
    evaluate_at(*block, out.result, computed, full);
    std::vector<Index> columns;
    for (std::size_t i = 0; i < block->unknowns.size(); ++i)
      if (const int u = out.result.index[static_cast<std::size_t>(block->unknowns[i])]; u >= 0)
        columns.push_back(static_cast<Index>(i)), p.unknowns.push_back(u);
    p.jacobian = full(Eigen::all, columns);
    p.covariance = block->covariance;
    p.weight = block->covariance.llt().solve(MatrixXd::Identity(p.covariance.rows(), p.covariance.cols()));
    p.pv = p.weight * (computed - block->observed);
    for (const Block::Part &part : parts_of(*block)) {
      const std::string g = group(part.id, part.kind);
      if (g.empty()) continue;
      auto [it, fresh] = p.members.try_emplace(g, VectorXd::Zero(p.pv.size()));
      it->second.segment(part.first, part.count).setOnes();
      out.observations[g] += static_cast<int>(part.count);
    }
    out.all.push_back(std::move(p));
  }
  return out;
}

MatrixXd cofactor(const AdjustmentResult &r, const std::vector<int> &a, const std::vector<int> &b) {
  MatrixXd q(static_cast<Index>(a.size()), static_cast<Index>(b.size()));
  for (std::size_t i = 0; i < a.size(); ++i)
    for (std::size_t k = 0; k < b.size(); ++k)
      q(static_cast<Index>(i), static_cast<Index>(k)) = r.normals->inverse(a[i], b[k]);
  return q;
}

/// Of each group (Pv)ᵀV(Pv) and tr(P Q_vv P V).
struct Sums {
  double quadratic = 0, redundancy = 0;
};
std::map<std::string, Sums> sums(const Pieces &p) {
  std::map<std::string, Sums> out;
  for (const Piece &x : p.all) {
    if (x.members.empty()) continue;
    const MatrixXd aw = x.weight * x.jacobian;
    const MatrixXd w = x.weight - aw * cofactor(p.result, x.unknowns, x.unknowns) * aw.transpose();
    for (const auto &[g, rows] : x.members) {
      const MatrixXd v = x.part(g);
      out[g].quadratic += x.pv.dot(v * x.pv);
      out[g].redundancy += w.cwiseProduct(v).sum(); // both symmetric: the trace of their product
    }
  }
  return out;
}

/// S = tr(W V W V') of the groups in their order.
MatrixXd information(const Pieces &p, const std::vector<std::string> &groups) {
  std::map<std::string, Index> place;
  for (std::size_t i = 0; i < groups.size(); ++i) place[groups[i]] = static_cast<Index>(i);
  MatrixXd s = MatrixXd::Zero(static_cast<Index>(groups.size()), static_cast<Index>(groups.size()));
  std::vector<const Piece *> used;
  std::vector<std::vector<std::pair<Index, MatrixXd>>> parts;
  std::vector<MatrixXd> aw;
  for (const Piece &x : p.all) {
    std::vector<std::pair<Index, MatrixXd>> own;
    for (const auto &[g, rows] : x.members)
      if (const auto at = place.find(g); at != place.end()) own.emplace_back(at->second, x.part(g));
    if (own.empty()) continue;
    used.push_back(&x), parts.push_back(std::move(own)), aw.push_back(x.weight * x.jacobian);
  }
  for (std::size_t b = 0; b < used.size(); ++b)
    for (std::size_t c = 0; c <= b; ++c) {
      MatrixXd w = -aw[b] * cofactor(p.result, used[b]->unknowns, used[c]->unknowns) * aw[c].transpose();
      if (b == c) w += used[b]->weight;
      for (const auto &[i, vi] : parts[b])
        for (const auto &[k, vk] : parts[c]) {
          const double t = (vi * w * vk).cwiseProduct(w).sum();
          s(i, k) += t;
          if (b != c) s(k, i) += t;
        }
    }
  return (s + s.transpose()) / 2;
}
} // namespace

VarianceComponents variance_components(const NetworkInput &in, const Grouping &group, const Progress &progress) {
  VarianceComponents out;
  std::map<std::string, double> factor; // on variances, beyond what is decided
  NetworkInput scaled = in;
  scaled.factor = [&](const std::string &id, const std::string &kind) {
    const auto f = factor.find(group(id, kind));
    return (in.factor ? in.factor(id, kind) : 1) * (f == factor.end() ? 1 : std::sqrt(f->second));
  };
  std::set<std::string> fixed, vanished;
  constexpr int most = 200;
  Pieces p;
  std::map<std::string, Sums> now;
  for (out.iterations = 1; out.iterations <= most; ++out.iterations) {
    progress.step(static_cast<double>(out.iterations) / most, "estimating how accurate groups are");
    p = pieces(scaled, group, progress);
    now = sums(p);
    double largest = 0;
    for (const auto &[g, x] : now) {
      if (out.iterations == 1 && x.redundancy < least_redundancy) fixed.insert(g);
      if (fixed.count(g) || vanished.count(g)) continue;
      const double more = std::max(x.quadratic / x.redundancy, 1e-6);
      double &f = factor.try_emplace(g, 1).first->second;
      f *= more;
      if (f < 1e-6)
        f = 1e-6, vanished.insert(g);
      else
        largest = std::max(largest, std::abs(more - 1));
    }
    if (largest < 1e-5) break;
  }
  out.converged = out.iterations <= most;
  std::vector<std::string> free;
  for (const auto &[g, f] : factor)
    if (!vanished.count(g)) free.push_back(g);
  Index rows = 0;
  for (const Piece &x : p.all) rows += x.pv.size();
  out.with_covariance = rows <= most_together;
  MatrixXd errors = MatrixXd::Zero(static_cast<Index>(free.size()), static_cast<Index>(free.size()));
  if (out.with_covariance && !free.empty())
    errors = 2 * information(p, free).completeOrthogonalDecomposition().pseudoInverse();
  else
    for (std::size_t i = 0; i < free.size(); ++i)
      errors(static_cast<Index>(i), static_cast<Index>(i)) = 2 / now.at(free[i]).redundancy;
  for (const auto &[g, x] : now) {
    VarianceComponent c;
    c.group = g, c.observations = p.observations.at(g), c.redundancy = x.redundancy;
    c.vanishes = vanished.count(g) > 0, c.estimated = !fixed.count(g) && !c.vanishes;
    if (const auto f = factor.find(g); f != factor.end()) c.factor = std::sqrt(f->second);
    if (const auto at = std::find(free.begin(), free.end(), g); at != free.end())
      // Of the variance in its own units; half of it in the factor's.
      c.sd = c.factor * std::sqrt(errors(at - free.begin(), at - free.begin())) / 2;
    out.groups.push_back(c);
  }
  return out;
}

std::vector<WithoutGroup> without_each_group(const NetworkInput &in, const NetworkResult &all, const Grouping &group,
                                             const Progress &progress) {
  // So much worse, an observation determines nothing that anything else does.
  constexpr double worthless = 1e4;
  std::vector<WithoutGroup> out;
  std::set<std::string> groups;
  for (const auto &b : all.blocks)
    for (const Block::Part &part : parts_of(*b))
      if (std::string g = group(part.id, part.kind); !g.empty()) groups.insert(std::move(g));
  std::size_t done = 0;
  for (const std::string &g : groups) {
    progress.step(static_cast<double>(done++) / static_cast<double>(groups.size()), "leaving out " + g);
    NetworkInput less = in;
    less.factor = [&](const std::string &id, const std::string &kind) {
      return (in.factor ? in.factor(id, kind) : 1) * (group(id, kind) == g ? worthless : 1);
    };
    const Pieces p = pieces(
        less, [&](const std::string &id, const std::string &kind) { return group(id, kind) == g ? g : std::string(); },
        progress);
    const Sums gone = sums(p)[g];
    WithoutGroup w;
    w.group = g, w.observations = p.observations.at(g);
    w.redundancy = static_cast<int>(std::lround(p.result.redundancy - gone.redundancy));
    if (w.redundancy > 0) {
      w.variance_factor = (p.result.vtpv - gone.quadratic) / w.redundancy;
      w.upper = chi_squared_quantile(1 - in.options.alpha_global, w.redundancy) / w.redundancy;
      w.passes = w.variance_factor <= w.upper;
    }
    for (const AdjustedMark &m : all.marks) {
      Vec3 move = Vec3::Zero();
      bool lost = false;
      for (int k = m.plan_known ? 0 : 2; k < 3; ++k) {
        const int i = all.parameter.at(m.name) + k;
        if (p.result.index[static_cast<std::size_t>(i)] < 0) continue;
        const double before = std::sqrt(all.adjustment.covariance(i, i)), after = std::sqrt(p.result.covariance(i, i));
        lost = lost || after > 100 * before;
        move[k] = p.result.values[static_cast<std::size_t>(i)] - all.adjustment.values[static_cast<std::size_t>(i)];
      }
      if (lost)
        w.lost.push_back(m.name);
      else if (move.norm() > w.moves_m)
        w.moves_m = move.norm(), w.move_enu = move, w.moves = m.name;
    }
    out.push_back(std::move(w));
  }
  return out;
}

} // namespace ampletie
