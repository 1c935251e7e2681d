#include "results/fit_marks.h"
#include "datum/fit/hull.h"
#include <algorithm>
#include <cmath>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// True east and north as the grid's at a place: turned by the convergence, stretched by the scale.
Mat3 to_grid(const GridPoint &g) {
  const double c = std::cos(g.convergence_rad), s = std::sin(g.convergence_rad);
  Mat3 m = Mat3::Identity();
  m.block<2, 2>(0, 0) << g.scale * c, -g.scale * s, g.scale * s, g.scale * c;
  return m;
}
} // namespace

FitMarks::FitMarks(const NetworkRun &run, double correlation) : run_(run), correlation_(correlation) {
  for (const AdjustedMark &m : run.result.marks) by_name_[m.name] = &m;
}

const AdjustedMark *FitMarks::find(const std::string &name) const {
  const auto it = by_name_.find(name);
  return it == by_name_.end() || !it->second->plan_known ? nullptr : it->second;
}

std::vector<std::string> FitMarks::names() const {
  std::vector<std::string> out;
  for (const auto &[name, m] : by_name_)
    if (m->plan_known) out.push_back(name);
  return out;
}

Vec3 FitMarks::at(const std::string &name, bool physical) const {
  const FullPosition &p = position(name);
  return {p.grid.east, p.grid.north, physical ? p.height.value_or(0) : p.geodetic.h};
}

void FitMarks::set_pairs(const std::vector<std::string> &names) {
  pairs_ = names;
  among_pairs_ = 0;
  for (const std::string &n : names) among_pairs_ += apart(n) / static_cast<double>(names.size());
}

MatrixXd FitMarks::columns(const std::vector<std::string> &names) const {
  const AdjustmentResult &a = run_.result.adjustment;
  MatrixXd out = MatrixXd::Zero(a.unknowns, static_cast<Index>(3 * names.size()));
  for (std::size_t i = 0; i < names.size(); ++i)
    for (int k = 0; k < 3; ++k)
      if (const int u = unknown(names[i], k); u >= 0)
        out.col(static_cast<Index>(3 * i) + k) = a.normals->solve(VectorXd::Unit(a.unknowns, u));
  return out;
}

Mat3 FitMarks::shared(const std::string &a, const std::string &b, const Eigen::Ref<const MatrixXd> &columns,
                      bool physical) const {
  Mat3 q = Mat3::Zero();
  for (int k = 0; k < 3; ++k)
    if (const int u = unknown(a, k); u >= 0) q.row(k) = columns.row(u);
  q = to_grid(position(a).grid) * q * to_grid(position(b).grid).transpose();
  if (a == b) {
    // What holds the network has the uncertainty that it was published with.
    const AdjustedMark &m = *by_name_.at(a);
    if (m.hold == Hold::full || m.hold == Hold::plan || m.hold == Hold::height)
      q += to_grid(position(a).grid) * (m.network_cov_enu - m.cov_enu) * to_grid(position(a).grid).transpose();
  }
  if (physical && a == b) q(2, 2) += geoid(a);
  return q;
}

MatrixXd FitMarks::together(const std::vector<std::string> &names, const MatrixXd &columns, bool physical) const {
  const Index n = static_cast<Index>(3 * names.size());
  MatrixXd q(n, n);
  for (std::size_t i = 0; i < names.size(); ++i)
    for (std::size_t k = 0; k < names.size(); ++k)
      q.block<3, 3>(static_cast<Index>(3 * i), static_cast<Index>(3 * k)) =
          shared(names[i], names[k], columns.middleCols(static_cast<Index>(3 * k), 3), physical);
  return (q + q.transpose()) / 2;
}

int FitMarks::unknown(const std::string &name, int k) const {
  const AdjustmentResult &a = run_.result.adjustment;
  return a.index[static_cast<std::size_t>(run_.result.parameter.at(name) + k)];
}

/// What of the geoid's error is a mark's own against the others of the fit, m²: so that two marks of it differ by
/// 2σ²(1 − ρ) in the mean, ρ = exp(−(d/L)²). What it has in common goes into the shift; were the rest taken with its
/// correlation, a smooth field would be taken for certain, and the formula that is handed on cannot follow a field.
double FitMarks::geoid(const std::string &name) const {
  // A mark whose height is a physical one by itself has no part in it.
  if (const auto lift = run_.result.lift.find(name); lift != run_.result.lift.end() && !lift->second.empty()) return 0;
  const double own = by_name_.at(name)->geoid_correction_sd, sd = own > 0 ? own : run_.geoid_sd.value_or(0);
  if (std::find(pairs_.begin(), pairs_.end(), name) != pairs_.end()) return sd * sd * among_pairs_;
  return sd * sd * std::max(among_pairs_, 2 * apart(name) - among_pairs_);
}

/// Mean of 1 − ρ from a mark to the pairs.
double FitMarks::apart(const std::string &name) const {
  double sum = 0;
  int n = 0;
  for (const std::string &other : pairs_)
    if (other != name) {
      const double d = (position(name).ecef.xyz - position(other).ecef.xyz).norm() / correlation_;
      sum += 1 - std::exp(-d * d), ++n;
    }
  return n ? sum / n : 0;
}

void describe_plan(JobFit &f) {
  const VectorXd &p = f.result.parameters;
  for (std::size_t i = 0; i < f.result.names.size(); ++i) {
    const auto k = static_cast<Index>(i);
    const double sd = std::sqrt(f.result.cov(k, k));
    if (f.result.names[i] == "scale") f.scale = (in_space(f.model.plan) ? 1 : 0) + p[k], f.scale_sd = sd;
    if (f.result.names[i] == "rotation up") f.rotation_rad = -p[k], f.rotation_sd = sd; // seen as a bearing turns
  }
  if (f.model.plan == PlanFit::shift && f.model.scale != 1) f.scale = f.model.scale;
  if ((f.model.plan == PlanFit::shift || f.model.plan == PlanFit::scaled) && f.model.rotation != 0)
    f.rotation_rad = f.model.rotation;
  if (f.model.plan == PlanFit::rigid)
    f.rotation_rad = p[2], f.rotation_sd = std::sqrt(f.result.cov(2, 2)), f.scale = f.model.scale;
  if (f.model.plan != PlanFit::similarity) return;
  const double s = std::hypot(p[2], p[3]);
  const Eigen::Vector2d ds(p[2] / s, p[3] / s), dr(-p[3] / (s * s), p[2] / (s * s));
  const Eigen::Matrix2d q = f.result.cov.block<2, 2>(2, 2);
  f.scale = s, f.scale_sd = std::sqrt(ds.dot(q * ds));
  f.rotation_rad = std::atan2(p[3], p[2]), f.rotation_sd = std::sqrt(dr.dot(q * dr));
}

void lead_marks(JobFit &f, const NetworkRun &run, const FitMarks &marks, const MatrixXd &columns,
                const std::vector<std::string> &names, const std::vector<Eigen::Vector2d> &corners) {
  const auto hull = convex_hull(corners);
  for (const Eigen::Vector2d &c : corners) f.reach_m = std::max(f.reach_m, (c - f.model.from.head<2>()).norm());
  // cov(x, θ) of any mark: what it shares with the points of the fit, −Σ Bᵀ P A Qθ.
  const MatrixXd &lead = f.result.lead;
  for (const AdjustedMark &m : run.result.marks) {
    if (!m.plan_known) continue;
    FittedMark out;
    out.name = m.name;
    out.has_height = !f.physical || marks.position(m.name).height.has_value();
    MatrixXd shared(3, static_cast<Index>(3 * names.size()));
    for (std::size_t i = 0; i < names.size(); ++i)
      shared.middleCols(static_cast<Index>(3 * i), 3) =
          marks.shared(m.name, names[i], columns.middleCols(static_cast<Index>(3 * i), 3), f.physical);
    const MatrixXd own_columns = marks.columns({m.name});
    const FittedPoint p = fitted(*f.input.model, f.result, marks.at(m.name, f.physical),
                                 marks.shared(m.name, m.name, own_columns, f.physical), shared * lead);
    out.to = p.to, out.cov = p.cov;
    out.outside_m = f.input.model->has_plan() ? distance_outside(hull, marks.at(m.name, f.physical).head<2>()) : 0;
    out.control = m.hold == Hold::full;
    f.marks.push_back(std::move(out));
  }
  // Names of the list without a mark: what lies there?
  for (UnpairedMark &u : f.unpaired) {
    const auto row =
        std::find_if(f.list_rows.begin(), f.list_rows.end(), [&](const auto &r) { return r.first == u.name; });
    if (row == f.list_rows.end() || !std::isfinite(row->second.x())) continue;
    for (const FittedMark &m : f.marks) {
      const double d = (m.to - row->second).head<2>().norm();
      if (!u.nearest || d < u.distance_m) u.nearest = m.name, u.distance_m = d;
    }
  }
}

} // namespace ampletie
