#include "results/between.h"
#include "base/angle.h"
#include "base/error.h"
#include "geodesy/curvature.h"
#include "traverse/sets.h"
#include <cmath>

namespace ampletie {
namespace {
const AdjustedMark &mark_of(const NetworkRun &run, const std::string &name) {
  for (const AdjustedMark &m : run.result.marks)
    if (m.name == name && m.plan_known && !run.heights_alone) return m;
  throw InputError("the network has no place of \"" + name + "\"");
}
} // namespace

SharedPlace::SharedPlace(const NetworkRun &run, const std::string &mark) {
  const AdjustmentResult &a = run.result.adjustment;
  const auto add = [&](int parameter, int axis, double weight) {
    if (const int u = a.index[static_cast<std::size_t>(parameter)]; u >= 0) parts_.push_back({u, axis, weight});
  };
  for (int k = 0; k < 3; ++k) add(run.result.parameter.at(mark) + k, k, 1);
  if (const auto lift = run.result.lift.find(mark); lift != run.result.lift.end())
    for (const auto &[node, weight] : lift->second) add(node, 2, weight);
}

Eigen::MatrixXd SharedPlace::columns(const AdjustmentResult &a) const {
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(a.unknowns, 3);
  for (int k = 0; k < 3; ++k) {
    Eigen::VectorXd w = Eigen::VectorXd::Zero(a.unknowns);
    for (const Part &p : parts_)
      if (p.axis == k) w[p.unknown] += p.weight;
    if (!w.isZero()) out.col(k) = a.normals->solve(w);
  }
  return out;
}

Mat3 SharedPlace::with(const Eigen::MatrixXd &columns) const {
  Mat3 out = Mat3::Zero();
  for (const Part &p : parts_) out.row(p.axis) += p.weight * columns.row(p.unknown);
  return out;
}

Mat3 difference_covariance(const AdjustedMark &from, const AdjustedMark &to, const SharedPlace &place_of_to,
                           const Eigen::MatrixXd &columns) {
  const Mat3 turn = local_axes(to_geodetic(from.position.xyz)) * local_axes(to_geodetic(to.position.xyz)).transpose();
  const Mat3 shared = turn * place_of_to.with(columns);
  return turn * to.cov_enu * turn.transpose() + from.cov_enu - shared - shared.transpose();
}

std::optional<double> height_difference_sd(const NetworkRun &run, const std::string &from, const std::string &to) {
  const NetworkResult &r = run.result;
  if (!r.lift.count(from) || !r.lift.count(to)) return {};
  std::map<int, double> wanted;
  const auto add = [&](int parameter, double weight) {
    if (const int u = r.adjustment.index[static_cast<std::size_t>(parameter)]; u >= 0) wanted[u] += weight;
  };
  for (const auto &[mark, sign] : {std::pair{to, 1.0}, std::pair{from, -1.0}}) {
    add(r.parameter.at(mark) + 2, sign);
    // The unknown of a mark without levels is its ellipsoidal height.
    if (const auto surface = r.surface.find(mark); r.lift.at(mark).empty() && surface != r.surface.end())
      for (const auto &[node, weight] : surface->second) add(node, -sign * weight);
  }
  Eigen::VectorXd w = Eigen::VectorXd::Zero(r.adjustment.unknowns);
  for (const auto &[u, weight] : wanted) w[u] = weight;
  return w.isZero() ? 0 : std::sqrt(std::max(0.0, w.dot(r.adjustment.normals->solve(w))));
}

Between between(const NetworkRun &run, const std::string &from, const std::string &to) {
  if (from == to) throw InputError("from \"" + from + "\" to itself there is nothing to measure");
  const AdjustedMark &a = mark_of(run, from), &b = mark_of(run, to);
  const FullPosition &p = run.positions.at(from), &q = run.positions.at(to);
  Between out;
  out.from = from, out.to = to;
  const Vec3 d = b.position.xyz - a.position.xyz;
  out.slope_m = d.norm();
  if (out.slope_m < 1e-6) throw InputError(from + " and " + to + " lie on one another");
  const Vec3 enu = local_axes(p.geodetic) * d;
  out.azimuth_rad = positive_angle(std::atan2(enu.x(), enu.y()));
  out.zenith_rad = std::atan2(enu.head<2>().norm(), enu.z());
  // The chord between the feet on a sphere of the line's own curvature, then its arc (Torge and Müller 2012, Geodesy,
  // section 6.3).
  const double r = radius_along((p.geodetic.lat + q.geodetic.lat) / 2, out.azimuth_rad), h1 = p.geodetic.h,
               h2 = q.geodetic.h;
  out.up_m = h2 - h1;
  const double chord =
      std::sqrt(std::max(0.0, (out.slope_m * out.slope_m - out.up_m * out.up_m) / ((1 + h1 / r) * (1 + h2 / r))));
  out.ellipsoid_m = 2 * r * std::asin(std::min(1.0, chord / (2 * r)));
  out.ground_m = out.ellipsoid_m * (1 + (h1 + h2) / (2 * r));
  out.east_m = q.grid.east - p.grid.east, out.north_m = q.grid.north - p.grid.north;
  out.grid_m = std::hypot(out.east_m, out.north_m);
  out.bearing_rad = positive_angle(std::atan2(out.east_m, out.north_m));
  if (p.height && q.height) out.height_m = *q.height - *p.height, out.height_sd_m = height_difference_sd(run, from, to);
  out.cov_enu =
      difference_covariance(a, b, SharedPlace(run, to), SharedPlace(run, from).columns(run.result.adjustment));
  const Vec3 along = enu / out.slope_m;
  out.slope_sd_m = std::sqrt(std::max(0.0, along.dot(out.cov_enu * along)));
  return out;
}

Breakthrough breakthrough(const NetworkRun &run, const std::string &from, const std::string &to, double azimuth) {
  if (from == to) throw InputError("\"" + from + "\" is the end of one drive: say that of the other");
  const AdjustedMark &a = mark_of(run, from), &b = mark_of(run, to);
  const FullPosition &p = run.positions.at(from), &q = run.positions.at(to);
  Breakthrough out;
  out.from = from, out.to = to;
  out.azimuth_rad = positive_angle(azimuth);
  out.bearing_rad = positive_angle(azimuth - p.grid.convergence_rad);
  Mat3 axes; // along, across, up
  axes << std::sin(azimuth), std::cos(azimuth), 0, std::cos(azimuth), -std::sin(azimuth), 0, 0, 0, 1;
  out.scale_degrees = run.result.scale_degrees;
  out.gap_m = axes * (local_axes(p.geodetic) * (b.position.xyz - a.position.xyz));
  out.cov = axes *
            difference_covariance(a, b, SharedPlace(run, to), SharedPlace(run, from).columns(run.result.adjustment)) *
            axes.transpose();
  if (p.height && q.height) out.height_sd_m = height_difference_sd(run, from, to);
  return out;
}

double axis_from(const NetworkRun &run, const std::string &behind, const std::string &at) {
  const Vec3 enu =
      local_axes(run.positions.at(at).geodetic) * (mark_of(run, at).position.xyz - mark_of(run, behind).position.xyz);
  if (enu.head<2>().norm() < 1e-3) throw InputError(behind + " and " + at + " say no axis: they lie over one another");
  return positive_angle(std::atan2(enu.x(), enu.y()));
}

double axis_of_bearing(const NetworkRun &run, const std::string &at, double bearing) {
  mark_of(run, at);
  return positive_angle(bearing + run.positions.at(at).grid.convergence_rad);
}

} // namespace ampletie
