#include "results/between.h"
#include "base/error.h"
#include <cmath>

namespace ampletie {
namespace {
const AdjustedMark &mark_of(const NetworkRun &run, const std::string &name) {
  for (const AdjustedMark &m : run.result.marks)
    if (m.name == name && m.plan_known && !run.heights_alone) return m;
  throw InputError("the network has no place of \"" + name + "\"");
}

/// Radius of curvature in the direction of an azimuth (Euler).
double radius_along(const Geodetic &g, double azimuth) {
  const double m = meridian_radius(g.lat), n = prime_vertical_radius(g.lat), s = std::sin(azimuth),
               c = std::cos(azimuth);
  return m * n / (n * c * c + m * s * s);
}
} // namespace

Eigen::MatrixXd place_weights(const NetworkRun &run, const std::string &mark) {
  const AdjustmentResult &a = run.result.adjustment;
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(a.unknowns, 3);
  for (int k = 0; k < 3; ++k)
    if (const int u = a.index[static_cast<std::size_t>(run.result.parameter.at(mark) + k)]; u >= 0) out(u, k) = 1;
  if (const auto lift = run.result.lift.find(mark); lift != run.result.lift.end())
    for (const auto &[node, weight] : lift->second)
      if (const int u = a.index[static_cast<std::size_t>(node)]; u >= 0) out(u, 2) += weight;
  return out;
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
  out.azimuth_rad = std::atan2(enu.x(), enu.y());
  if (out.azimuth_rad < 0) out.azimuth_rad += 2 * M_PI;
  out.zenith_rad = std::atan2(enu.head<2>().norm(), enu.z());
  // The chord between the feet on a sphere of the line's own curvature, then its arc (Torge and Müller 2012, Geodesy,
  // section 6.3).
  const Geodetic middle{(p.geodetic.lat + q.geodetic.lat) / 2, p.geodetic.lon, 0};
  const double r = radius_along(middle, out.azimuth_rad), h1 = p.geodetic.h, h2 = q.geodetic.h;
  out.up_m = h2 - h1;
  const double chord =
      std::sqrt(std::max(0.0, (out.slope_m * out.slope_m - out.up_m * out.up_m) / ((1 + h1 / r) * (1 + h2 / r))));
  out.ellipsoid_m = 2 * r * std::asin(std::min(1.0, chord / (2 * r)));
  out.ground_m = out.ellipsoid_m * (1 + (h1 + h2) / (2 * r));
  out.east_m = q.grid.east - p.grid.east, out.north_m = q.grid.north - p.grid.north;
  out.grid_m = std::hypot(out.east_m, out.north_m);
  out.bearing_rad = std::atan2(out.east_m, out.north_m);
  if (out.bearing_rad < 0) out.bearing_rad += 2 * M_PI;
  if (p.height && q.height) out.height_m = *q.height - *p.height;
  // Each mark's covariance is on its own axes.
  const Mat3 turn = local_axes(p.geodetic) * local_axes(q.geodetic).transpose();
  const Eigen::MatrixXd w = place_weights(run, to) * turn.transpose() - place_weights(run, from);
  for (int k = 0; k < 3; ++k)
    out.cov_enu.col(k) = w.transpose() * run.result.adjustment.normals->solve(Eigen::VectorXd(w.col(k)));
  const Vec3 along = enu / out.slope_m;
  out.slope_sd_m = std::sqrt(std::max(0.0, along.dot(out.cov_enu * along)));
  return out;
}

} // namespace ampletie
