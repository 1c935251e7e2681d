#include "datum/fit/fit_model.h"
#include <Eigen/QR>
#include <algorithm>
#include <cmath>

namespace ampletie {

const std::vector<std::string> &plan_fits() {
  static const std::vector<std::string> all{"none",
                                            "shift",
                                            "rigid",
                                            "similarity",
                                            "affine",
                                            "scaled",
                                            "shift in space",
                                            "scaled in space",
                                            "rigid in space",
                                            "similarity in space",
                                            "three scales in space"};
  return all;
}
bool in_space(const std::string &plan_fit) {
  const auto &all = plan_fits();
  const auto at = std::find(all.begin(), all.end(), plan_fit);
  return at != all.end() && in_space(static_cast<PlanFit>(at - all.begin()));
}
const std::vector<std::string> &height_fits() {
  static const std::vector<std::string> all{"none", "shift", "plane", "curved", "with the plan"};
  return all;
}

namespace {
using Eigen::Matrix2d;
using Eigen::Vector2d;
using Eigen::VectorXd;

class Site : public FitModel {
public:
  explicit Site(const SiteModel &m) : m_(m) {
    const auto add = [&](std::initializer_list<const char *> some) {
      for (const char *name : some) names_.emplace_back(name);
    };
    if (m.plan != PlanFit::none) add({"shift east", "shift north"});
    if (m.plan == PlanFit::rigid) add({"rotation"});
    if (m.plan == PlanFit::scaled) add({"scale"});
    if (m.plan == PlanFit::similarity) add({"a", "b"});
    if (m.plan == PlanFit::affine) add({"east by east", "east by north", "north by east", "north by north"});
    first_height_ = static_cast<int>(names_.size());
    if (m.height != HeightFit::none) add({"shift up"});
    if (m.height == HeightFit::plane || m.height == HeightFit::curved) add({"tilt east", "tilt north"});
    if (m.height == HeightFit::curved) add({"east²", "east · north", "north²"});
  }
  std::vector<std::string> names() const override { return names_; }
  bool has_plan() const override { return m_.plan != PlanFit::none; }
  bool has_height() const override { return m_.height != HeightFit::none; }

  Vec3 apply(const VectorXd &p, const Vec3 &x) const override {
    Vec3 y = x;
    if (has_plan()) y.head<2>() = m_.to.head<2>() + p.head<2>() + turn(p) * (x - m_.from).head<2>();
    if (has_height()) y.z() = x.z() + (m_.to - m_.from).z() + height_row(x).dot(p.tail(height_count()));
    return y;
  }

  Eigen::Matrix<double, 3, Eigen::Dynamic> by_parameters(const VectorXd &p, const Vec3 &x) const override {
    Eigen::Matrix<double, 3, Eigen::Dynamic> out = Eigen::Matrix<double, 3, Eigen::Dynamic>::Zero(3, count());
    const Vector2d d = (x - m_.from).head<2>();
    if (has_plan()) out.block<2, 2>(0, 0).setIdentity();
    if (m_.plan == PlanFit::rigid)
      out.block<2, 1>(0, 2) = m_.scale * Vector2d(-std::sin(p[2]) * d.x() + std::cos(p[2]) * d.y(),
                                                  -std::cos(p[2]) * d.x() - std::sin(p[2]) * d.y());
    if (m_.plan == PlanFit::scaled) out.block<2, 1>(0, 2) = turned_by(m_.rotation) * d;
    if (m_.plan == PlanFit::similarity) out.block<2, 2>(0, 2) << d.x(), d.y(), d.y(), -d.x();
    if (m_.plan == PlanFit::affine) out.block<2, 4>(0, 2) << d.x(), d.y(), 0, 0, 0, 0, d.x(), d.y();
    if (has_height()) out.block(2, first_height_, 1, height_count()) = height_row(x).transpose();
    return out;
  }

  Mat3 by_point(const VectorXd &p, const Vec3 &x) const override {
    Mat3 out = Mat3::Identity();
    if (has_plan()) out.block<2, 2>(0, 0) = turn(p);
    const Vec3 d = x - m_.from;
    const auto h = p.tail(height_count());
    if (m_.height == HeightFit::plane || m_.height == HeightFit::curved) out(2, 0) = h[1], out(2, 1) = h[2];
    if (m_.height == HeightFit::curved) {
      out(2, 0) += 2 * h[3] * d.x() + h[4] * d.y();
      out(2, 1) += h[4] * d.x() + 2 * h[5] * d.y();
    }
    return out;
  }

  VectorXd start(const std::vector<Vec3> &from, const std::vector<Vec3> &to, const std::vector<bool> &plan,
                 const std::vector<bool> &height) const override {
    // Linear in all but the rotation of a rigid body, which a similarity gives.
    SiteModel linear = m_;
    if (m_.plan == PlanFit::rigid) linear.plan = PlanFit::similarity;
    const Site model(linear);
    Eigen::MatrixXd a = Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(3 * from.size()), model.count());
    VectorXd l = VectorXd::Zero(a.rows());
    const VectorXd zero = VectorXd::Zero(model.count());
    for (std::size_t i = 0; i < from.size(); ++i) {
      const auto at = static_cast<Eigen::Index>(3 * i);
      const auto rows = model.by_parameters(zero, from[i]);
      // What the model gives with all parameters nought; a shift keeps its scale and no turn.
      const Vec3 rest = to[i] - model.apply(zero, from[i]);
      if (plan[i]) a.middleRows(at, 2) = rows.topRows(2), l.segment(at, 2) = rest.head<2>();
      if (height[i]) a.row(at + 2) = rows.row(2), l[at + 2] = rest.z();
    }
    VectorXd p = a.size() ? VectorXd(a.completeOrthogonalDecomposition().solve(l)) : zero;
    if (m_.plan != PlanFit::rigid) return p;
    VectorXd out(count());
    out << p[0], p[1], std::atan2(p[3], p[2]), p.tail(height_count());
    return out;
  }

private:
  static Matrix2d turned_by(double angle) {
    const double c = std::cos(angle), t = std::sin(angle);
    return (Matrix2d() << c, t, -t, c).finished();
  }
  int height_count() const { return count() - first_height_; }
  Matrix2d turn(const VectorXd &p) const {
    Matrix2d m = m_.scale * turned_by(m_.plan == PlanFit::rigid ? p[2] : m_.rotation);
    if (m_.plan == PlanFit::scaled) m = p[2] * turned_by(m_.rotation);
    if (m_.plan == PlanFit::similarity) m << p[2], p[3], -p[3], p[2];
    if (m_.plan == PlanFit::affine) m << p[2], p[3], p[4], p[5];
    return m;
  }
  VectorXd height_row(const Vec3 &x) const {
    const double e = x.x() - m_.from.x(), n = x.y() - m_.from.y();
    const double all[] = {1, e, n, e * e, e * n, n * n};
    return Eigen::Map<const VectorXd>(all, height_count());
  }
  SiteModel m_;
  std::vector<std::string> names_;
  int first_height_ = 0;
};
} // namespace

std::unique_ptr<FitModel> site_model(const SiteModel &m) {
  if (!in_space(m.plan)) return std::make_unique<Site>(m);
  SpaceModel s;
  s.from = m.from, s.to = m.to;
  s.axes[0] = "east", s.axes[1] = "north", s.axes[2] = "up";
  const bool turns =
      m.plan == PlanFit::space_rigid || m.plan == PlanFit::space_similarity || m.plan == PlanFit::space_scales;
  for (bool &r : s.rotation) r = turns;
  s.scale = m.plan == PlanFit::space_scales                                    ? SpaceModel::Scale::three
            : m.plan == PlanFit::space_shift || m.plan == PlanFit::space_rigid ? SpaceModel::Scale::fixed
                                                                               : SpaceModel::Scale::one;
  return space_model(s);
}

} // namespace ampletie
