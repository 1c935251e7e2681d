#include "network/congruence.h"
#include "adjustment/statistics.h"
#include "base/error.h"
#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// Rows of the marks of a group: what both times determine of them.
std::vector<Index> rows_of(const CongruenceInput &in, const std::vector<bool> &group) {
  std::vector<Index> out;
  for (std::size_t i = 0; i < in.marks.size(); ++i)
    if (group[i])
      for (int k = 0; k < 3; ++k)
        if (k < 2 ? in.marks[i].plan : in.marks[i].height) out.push_back(static_cast<Index>(3 * i) + k);
  return out;
}

/// The group's common shift and turn, and what is left.
struct GroupFit {
  std::vector<Index> rows;
  MatrixXd design, lead;                   ///< of the group's rows; parameters by its differences
  VectorXd parameters, residual, weighted; ///< weighted: Q⁻¹ of the residual
  MatrixXd tests;                          ///< Q⁻¹ − Q⁻¹G(GᵀQ⁻¹G)⁻¹GᵀQ⁻¹
  double statistic = 0;
  int degrees = 0;
};

/// What a shift, and a turn about the vertical, make of all marks.
MatrixXd design_of(const CongruenceInput &in) {
  const auto n = static_cast<Index>(in.marks.size());
  MatrixXd g = MatrixXd::Zero(3 * n, in.rotation ? 4 : 3);
  Vec3 middle = Vec3::Zero();
  double reach = 1;
  for (const ChangedMark &m : in.marks) middle += m.place / static_cast<double>(n);
  for (const ChangedMark &m : in.marks) reach = std::max(reach, (m.place - middle).norm());
  for (Index i = 0; i < n; ++i) {
    g.block<3, 3>(3 * i, 0).setIdentity();
    const Vec3 x = (in.marks[static_cast<std::size_t>(i)].place - middle) / reach;
    if (in.rotation) g(3 * i, 3) = x.y(), g(3 * i + 1, 3) = -x.x();
  }
  return g;
}

GroupFit fit_group(const CongruenceInput &in, const MatrixXd &all, const std::vector<bool> &group) {
  GroupFit f;
  f.rows = rows_of(in, group);
  MatrixXd g = all(f.rows, Eigen::all);
  // A parameter that no row shows (no heights at all) is none.
  std::vector<Index> shown;
  for (Index c = 0; c < g.cols(); ++c)
    if (g.col(c).cwiseAbs().maxCoeff() > 1e-9) shown.push_back(c);
  f.design = all(Eigen::all, shown);
  g = g(Eigen::all, shown).eval();
  VectorXd d(static_cast<Index>(f.rows.size()));
  for (std::size_t i = 0; i < f.rows.size(); ++i)
    d[static_cast<Index>(i)] = in.marks[static_cast<std::size_t>(f.rows[i] / 3)].difference[f.rows[i] % 3];
  const Eigen::LLT<MatrixXd> q(in.cov(f.rows, f.rows));
  if (q.info() != Eigen::Success) throw InputError("the covariance of the differences is none");
  const MatrixXd weight = q.solve(MatrixXd::Identity(q.rows(), q.rows()));
  const MatrixXd wg = weight * g;
  const MatrixXd inverse = (g.transpose() * wg).ldlt().solve(MatrixXd::Identity(g.cols(), g.cols()));
  f.lead = inverse * wg.transpose();
  f.parameters = f.lead * d;
  f.residual = d - g * f.parameters;
  f.tests = weight - wg * inverse * wg.transpose();
  f.weighted = f.tests * d;
  f.statistic = d.dot(f.weighted);
  f.degrees = static_cast<int>(d.size() - g.cols());
  return f;
}

double limit_of(const CongruenceInput &in, int degrees) {
  return degrees > 0 ? chi_squared_quantile(1 - in.alpha, degrees) : 0;
}

/// By how much χ² falls when each mark of the group leaves it; with nothing to go by, nothing.
std::vector<double> gains(const CongruenceInput &in, const GroupFit &f) {
  std::vector<double> out(in.marks.size(), 0);
  for (std::size_t i = 0; i < f.rows.size();) {
    const auto mark = static_cast<std::size_t>(f.rows[i] / 3);
    std::size_t end = i;
    while (end < f.rows.size() && static_cast<std::size_t>(f.rows[end] / 3) == mark) ++end;
    const auto first = static_cast<Index>(i), count = static_cast<Index>(end - i);
    const MatrixXd own = f.tests.block(first, first, count, count);
    const VectorXd u = f.weighted.segment(first, count);
    // Directions that nothing checks give nothing.
    out[mark] = u.dot(own.completeOrthogonalDecomposition().pseudoInverse() * u);
    i = end;
  }
  return out;
}

/// A mark's movement against the others of the group, with its covariance: of one that left, against all; of one in it,
/// what the others say alone, (M_ii)⁻¹ (M d)_i with M of the tests.
void displace(const CongruenceInput &in, const GroupFit &f, std::size_t i, Displacement &out) {
  const auto at = static_cast<Index>(3 * i), m = static_cast<Index>(f.rows.size());
  const ChangedMark &mark = in.marks[i];
  std::vector<Index> own; // its rows among the three
  for (Index k = 0; k < 3; ++k)
    if (k < 2 ? mark.plan : mark.height) own.push_back(k);
  MatrixXd information; // of its movement, in its own rows
  const auto first = std::find(f.rows.begin(), f.rows.end(), at + own.front());
  if (first != f.rows.end()) {
    const auto row = static_cast<Index>(first - f.rows.begin()), count = static_cast<Index>(own.size());
    information = f.tests.block(row, row, count, count);
    const MatrixXd cov = information.completeOrthogonalDecomposition().pseudoInverse();
    out.cov(own, own) = cov;
    out.moved(own) = cov * f.weighted.segment(row, count);
  } else {
    const MatrixXd g = f.design.middleRows(at, 3) * f.lead; // 3 × m
    const Vec3 moved = mark.difference - f.design.middleRows(at, 3) * f.parameters;
    MatrixXd cross(3, m);
    for (Index c = 0; c < m; ++c) cross.col(c) = in.cov.block(at, f.rows[static_cast<std::size_t>(c)], 3, 1);
    const Mat3 both = cross * g.transpose(), q = in.cov.block<3, 3>(at, at);
    const Mat3 cov = q - both - both.transpose() + g * in.cov(f.rows, f.rows) * g.transpose();
    out.cov(own, own) = cov(own, own);
    out.moved(own) = moved(own);
    information = cov(own, own).inverse();
  }
  // What the test of the whole finds with a power of 80 %, in the direction where it sees worst.
  const double lambda = noncentrality(in.alpha, 0.80, std::max(1, f.degrees));
  if (mark.plan)
    out.seen_plan =
        std::sqrt(lambda / Eigen::SelfAdjointEigenSolver<MatrixXd>(information.topLeftCorner(2, 2)).eigenvalues()[0]);
  if (mark.height) out.seen_height = std::sqrt(lambda / information(information.rows() - 1, information.rows() - 1));
}
} // namespace

Congruence compare_times(const CongruenceInput &in) {
  if (in.marks.size() < 2) throw InputError("fewer than two marks are common to both times: nothing tells what moved");
  const MatrixXd design = design_of(in);
  Congruence out;
  std::vector<bool> group(in.marks.size(), true);
  GroupFit f = fit_group(in, design, group);
  out.statistic = f.statistic, out.degrees = f.degrees, out.limit = limit_of(in, f.degrees);
  out.congruent = f.degrees <= 0 || f.statistic <= out.limit;
  std::vector<double> statistic(in.marks.size(), 0);
  const auto size = [&] { return std::count(group.begin(), group.end(), true); };
  while (f.degrees > 0 && f.statistic > limit_of(in, f.degrees)) {
    if (size() <= 2) {
      out.problem = "no two marks are left that agree with each other: nothing tells which of them stood still";
      break;
    }
    const std::vector<double> gain = gains(in, f);
    const auto worst = static_cast<std::size_t>(std::max_element(gain.begin(), gain.end()) - gain.begin());
    group[worst] = false, statistic[worst] = gain[worst];
    f = fit_group(in, design, group);
  }
  // One that left while others distorted the group may belong to it after all.
  for (std::size_t i = 0; out.problem.empty() && i < group.size(); ++i) {
    if (group[i]) continue;
    group[i] = true;
    GroupFit with = fit_group(in, design, group);
    if (with.statistic <= limit_of(in, with.degrees))
      f = std::move(with);
    else
      group[i] = false, statistic[i] = with.statistic - f.statistic;
  }
  out.group_statistic = f.statistic, out.group_degrees = f.degrees, out.group_limit = limit_of(in, f.degrees);
  const Index shifts = std::min<Index>(3, f.parameters.size() - (in.rotation ? 1 : 0));
  out.shift.head(shifts) = f.parameters.head(shifts);
  const std::vector<double> left = gains(in, f);
  for (std::size_t i = 0; i < in.marks.size(); ++i) {
    Displacement d;
    d.name = in.marks[i].name, d.stable = group[i];
    d.statistic = group[i] ? left[i] : statistic[i];
    if (out.problem.empty()) displace(in, f, i, d);
    out.marks.push_back(std::move(d));
  }
  return out;
}

} // namespace ampletie
