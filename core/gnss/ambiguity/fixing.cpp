#include "gnss/ambiguity/fixing.h"
#include "gnss/ambiguity/ratio_limit.h"
#include <Eigen/Dense>
#include <cmath>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr std::size_t none = static_cast<std::size_t>(-1);

/// Rows that count each arc from the reference arc of its system and band: the longest. Arc `without` stays real.
IntMatrix double_difference_rows(const std::vector<CarrierArc> &arcs, const std::set<char> &systems,
                                 std::size_t without = none) {
  std::map<std::pair<char, int>, std::size_t> reference;
  Index count = 0;
  for (std::size_t i = 0; i < arcs.size(); ++i) {
    if (!systems.count(arcs[i].sat.system) || i == without) continue;
    const auto [it, first] = reference.try_emplace({arcs[i].sat.system, arcs[i].band}, i);
    if (!first) ++count;
    if (arcs[i].epochs > arcs[it->second].epochs) it->second = i;
  }
  IntMatrix d(count, static_cast<Index>(arcs.size()));
  d.setZero();
  Index r = 0;
  for (std::size_t i = 0; i < arcs.size(); ++i) {
    if (!systems.count(arcs[i].sat.system) || i == without) continue;
    const std::size_t from = reference.at({arcs[i].sat.system, arcs[i].band});
    if (from == i) continue;
    d(r, static_cast<Index>(i)) = 1;
    d(r, static_cast<Index>(from)) = -1;
    ++r;
  }
  return d;
}

/// The longest arcs, ten at most, that follow or precede another of the same carrier: where a slip was.
std::vector<std::size_t> begun_by_slips(const std::vector<CarrierArc> &arcs, const std::set<char> &systems) {
  std::map<std::tuple<SatId, int>, int> count;
  for (const CarrierArc &a : arcs) ++count[{a.sat, a.band}];
  std::vector<std::size_t> out;
  for (std::size_t i = 0; i < arcs.size(); ++i)
    if (systems.count(arcs[i].sat.system) && count[{arcs[i].sat, arcs[i].band}] > 1) out.push_back(i);
  std::stable_sort(out.begin(), out.end(), [&](auto i, auto k) { return arcs[i].epochs > arcs[k].epochs; });
  if (out.size() > 10) out.resize(10);
  return out;
}

/// One step of fixing: of the integer combinations `rows` (of arcs), the largest well-determined subset in the
/// decorrelated space that passes the tests. Conditions the state; returns the combinations that stay open.
struct Step {
  IntMatrix accepted, open;
  IntVector values;
  double ratio = 0, success = 0;
};
std::optional<Step> fix_step(VectorXd &x, MatrixXd &p, Index first_arc, const IntMatrix &rows, const StaticOptions &o,
                             Index least) {
  const Index n = rows.rows(), m = rows.cols();
  if (n < least) return {};
  const MatrixXd d = rows.cast<double>();
  const VectorXd a = d * x.segment(first_arc, m);
  MatrixXd q = d * p.block(first_arc, first_arc, m, m) * d.transpose();
  q = (q + q.transpose()).eval() / 2;
  Decorrelation z;
  try {
    z = decorrelate(q);
  } catch (const std::domain_error &) {
    return {};
  }
  const VectorXd za = z.zt.cast<double>() * a;
  Index k = n;
  while (k > 0 && bootstrap_success_rate(z.factor.d.tail(k)) < o.success_limit) --k;
  for (; k >= least; k = std::min(k - 1, k * 7 / 8)) {
    const LtdlFactor sub{z.factor.l.bottomRightCorner(k, k), z.factor.d.tail(k)};
    IntegerCandidates c;
    try {
      c = search(za.tail(k), sub, 2);
    } catch (const std::domain_error &) {
      k = k / 2 + 1; // a float far from any integers (a model that does not hold): far fewer may be told, or none
      continue;
    }
    const double ratio = c.norms.size() > 1 ? c.norms[1] / std::max(c.norms[0], 1e-12) : 0;
    // The best candidate must also be likely: its norm is chi-squared with k degrees of freedom when it is right
    // (normal approximation of Wilson and Hilferty, 5 sigma).
    const double kd = static_cast<double>(k);
    const double likely = kd * std::pow(1 - 2 / (9 * kd) + 5 * std::sqrt(2 / (9 * kd)), 3);
    const double success = bootstrap_success_rate(sub.d);
    if (ratio < std::max(o.least_ratio, fixed_failure_ratio(k, 1 - success)) || c.norms[0] > likely) continue;
    Step out;
    out.ratio = ratio;
    out.success = success;
    out.accepted = z.zt.bottomRows(k) * rows;
    out.open = z.zt.topRows(n - k) * rows;
    out.values = c.vectors[0];
    const MatrixXd g = out.accepted.cast<double>();
    const MatrixXd pg = p.middleCols(first_arc, m) * g.transpose();
    const Eigen::LLT<MatrixXd> llt(MatrixXd(g * pg.middleRows(first_arc, m)));
    x -= pg * llt.solve(g * x.segment(first_arc, m) - out.values.cast<double>());
    p -= pg * llt.solve(pg.transpose());
    return out;
  }
  return {};
}

} // namespace

Fixed fix_integers(const VectorXd &x, const MatrixXd &p, Index first_arc, const std::vector<CarrierArc> &arcs,
                   const std::set<char> &integer_systems, const StaticOptions &o, bool stand) {
  Fixed out{Solution::floating, x, p, {}, {}, 0, 1, -1};
  IntMatrix open = double_difference_rows(arcs, integer_systems);
  const Index n = open.rows();
  if (n < (stand ? 1 : 4) || !o.integers) {
    out.success = 0;
    return out;
  }
  out.integers.coefficients.resize(0, open.cols());
  // A ratio that practice asks for is sought first, be it with fewer integers; only where there is none that of the
  // failure rate decides.
  StaticOptions customary = o, later = o, distinct = o, strict = o;
  customary.least_ratio = later.least_ratio = strict.least_ratio = std::max(3.0, o.least_ratio);
  strict.success_limit = 1 - (1 - o.success_limit) / 20;
  // What comes after the first step adds little, and there are many such steps. A single integer of success rate 0.999
  // passes a ratio of 3 wrongly three times in 100 000: each must be five times as sure, or stand out far more.
  later.success_limit = 1 - (1 - o.success_limit) / 5;
  distinct.least_ratio = std::max(10.0, o.least_ratio);
  auto next_step = [&] {
    auto step = fix_step(out.x, out.p, first_arc, open, later, 1);
    return step ? step : fix_step(out.x, out.p, first_arc, open, distinct, 1);
  };
  auto first_step = [&] {
    auto step = fix_step(out.x, out.p, first_arc, open, customary, 4);
    return step ? step : fix_step(out.x, out.p, first_arc, open, o, 4);
  };
  auto step = stand ? next_step() : first_step();
  if (!step && !stand) {
    // One arc that is no whole number (half a cycle slipped, and nothing said so) spoils all: which one, left real,
    // lets the others be settled? Many are tried, so the demands are higher.
    double best = 0;
    for (std::size_t a : begun_by_slips(arcs, integer_systems)) {
      const IntMatrix rows = double_difference_rows(arcs, integer_systems, a);
      VectorXd x_try = x;
      MatrixXd p_try = p;
      const auto without = fix_step(x_try, p_try, first_arc, rows, strict, (rows.rows() + 1) / 2);
      if (without && without->ratio > best) best = without->ratio, open = rows, out.real_arc = static_cast<int>(a);
    }
    if (out.real_arc >= 0) step = first_step();
  }
  while (step) {
    auto &all = out.integers;
    const Index have = all.values.size(), more = step->values.size();
    all.coefficients.conservativeResize(have + more, open.cols());
    all.coefficients.bottomRows(more) = step->accepted;
    all.values.conservativeResize(have + more);
    all.values.tail(more) = step->values;
    out.ratio = have == 0 ? step->ratio : std::min(out.ratio, step->ratio);
    out.success *= step->success;
    const double sd = std::sqrt(out.p.diagonal().head<3>().maxCoeff());
    out.story.push_back({static_cast<int>(open.rows()), static_cast<int>(more), step->ratio, step->success, 1000 * sd});
    out.solution = have + more == n ? Solution::fixed : Solution::partly_fixed;
    open = step->open;
    step = next_step();
  }
  if (out.solution == Solution::partly_fixed && out.real_arc < 0) {
    // Integers of short or low arcs may stay open without any weight: would knowing them sharpen the position?
    const MatrixXd g = open.cast<double>();
    const MatrixXd pg = out.p.middleCols(first_arc, g.cols()) * g.transpose();
    const Eigen::LLT<MatrixXd> llt(MatrixXd(g * pg.middleRows(first_arc, g.cols())));
    const MatrixXd gain = llt.matrixL().solve(pg.topRows<3>().transpose());
    const double now = out.p.topLeftCorner<3, 3>().trace();
    if (llt.info() == Eigen::Success && std::sqrt((now - gain.squaredNorm()) / now) > 1 - o.open_integers_may_cost)
      out.solution = Solution::fixed;
  }
  if (out.solution == Solution::floating) {
    // What the plain test says about all of them together: people look at it.
    out.success = 0;
    try {
      const MatrixXd d = open.cast<double>();
      const auto m = open.cols();
      const MatrixXd q = d * p.block(first_arc, first_arc, m, m) * d.transpose();
      const auto c = integer_least_squares(d * x.segment(first_arc, m), (q + q.transpose()) / 2, 2);
      out.ratio = c.norms[1] / std::max(c.norms[0], 1e-12);
      out.success = bootstrap_success_rate(decorrelate((q + q.transpose()) / 2).factor.d);
    } catch (const std::domain_error &) {
    }
  }
  return out;
}

} // namespace ampletie
