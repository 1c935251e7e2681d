#include "datum/fit/fit_model.h"
#include <Eigen/SVD>
#include <cmath>

namespace ampletie {
namespace {
using Eigen::VectorXd;

/// Position vectors turned about an axis: a positive angle turns them anticlockwise seen from its end.
Mat3 about(int axis, double angle) {
  Mat3 m = Mat3::Identity();
  const int i = (axis + 1) % 3, k = (axis + 2) % 3;
  m(i, i) = m(k, k) = std::cos(angle);
  m(i, k) = -std::sin(angle), m(k, i) = std::sin(angle);
  return m;
}
Mat3 about_rate(int axis, double angle) {
  Mat3 m = Mat3::Zero();
  const int i = (axis + 1) % 3, k = (axis + 2) % 3;
  m(i, i) = m(k, k) = -std::sin(angle);
  m(i, k) = -std::cos(angle), m(k, i) = std::cos(angle);
  return m;
}

class Space : public FitModel {
public:
  explicit Space(const SpaceModel &m) : m_(m) {
    const auto named = [&](const char *what, int i) { return std::string(what) + " " + m.axes[i]; };
    for (int i = 0; i < 3; ++i) place_[i] = m.shift[i] ? add(named("shift", i)) : -1;
    for (int i = 0; i < 3; ++i) place_[3 + i] = m.rotation[i] ? add(named("rotation", i)) : -1;
    for (int i = 0; i < 3; ++i)
      place_[6 + i] = m.scale == SpaceModel::Scale::three   ? add(named("scale", i))
                      : m.scale == SpaceModel::Scale::fixed ? -1
                      : i == 0                              ? add("scale")
                                                            : place_[6];
  }
  std::vector<std::string> names() const override { return names_; }
  bool has_plan() const override { return true; }
  bool has_height() const override { return true; }

  Vec3 apply(const VectorXd &p, const Vec3 &x) const override { return m_.to + shift(p) + matrix(p) * (x - m_.from); }
  Mat3 by_point(const VectorXd &p, const Vec3 &) const override { return matrix(p); }

  Eigen::Matrix<double, 3, Eigen::Dynamic> by_parameters(const VectorXd &p, const Vec3 &x) const override {
    Eigen::Matrix<double, 3, Eigen::Dynamic> out = Eigen::Matrix<double, 3, Eigen::Dynamic>::Zero(3, count());
    const Vec3 d = x - m_.from;
    const Mat3 r[3] = {about(0, turn(p, 0)), about(1, turn(p, 1)), about(2, turn(p, 2))};
    const Vec3 turned = r[0] * r[1] * r[2] * d;
    for (int i = 0; i < 3; ++i) {
      if (place_[i] >= 0) out(i, place_[i]) = 1;
      if (place_[6 + i] >= 0) out(i, place_[6 + i]) += turned[i];
      if (place_[3 + i] < 0) continue;
      Mat3 m = Mat3::Identity();
      for (int k = 0; k < 3; ++k) m = m * (k == i ? about_rate(k, turn(p, k)) : r[k]);
      out.col(place_[3 + i]) = scales(p).asDiagonal() * m * d;
    }
    return out;
  }

  VectorXd start(const std::vector<Vec3> &from, const std::vector<Vec3> &to, const std::vector<bool> &plan,
                 const std::vector<bool> &) const override {
    // The closed solution for a turned and scaled body (Umeyama 1991, doi:10.1109/34.88573).
    Vec3 a = Vec3::Zero(), b = Vec3::Zero();
    int n = 0;
    for (std::size_t i = 0; i < from.size(); ++i)
      if (plan[i]) a += from[i], b += to[i], ++n;
    VectorXd p = VectorXd::Zero(count());
    if (n == 0) return p;
    a /= n, b /= n;
    Mat3 h = Mat3::Zero();
    double before = 0;
    for (std::size_t i = 0; i < from.size(); ++i)
      if (plan[i]) h += (to[i] - b) * (from[i] - a).transpose(), before += (from[i] - a).squaredNorm();
    const Eigen::JacobiSVD<Mat3> svd(h, Eigen::ComputeFullU | Eigen::ComputeFullV);
    Vec3 sign = Vec3::Ones();
    if ((svd.matrixU() * svd.matrixV().transpose()).determinant() < 0) sign.z() = -1;
    const Mat3 r = svd.matrixU() * sign.asDiagonal() * svd.matrixV().transpose();
    const double scale = before > 0 ? svd.singularValues().dot(sign) / before : 1;
    // r = Rx Ry Rz.
    const double angles[3] = {std::atan2(-r(1, 2), r(2, 2)), std::asin(std::clamp(r(0, 2), -1.0, 1.0)),
                              std::atan2(-r(0, 1), r(0, 0))};
    for (int i = 0; i < 3; ++i) {
      if (place_[3 + i] >= 0) p[place_[3 + i]] = angles[i];
      if (place_[6 + i] >= 0) p[place_[6 + i]] = scale - 1;
    }
    const Vec3 t = b - m_.to - matrix(p) * (a - m_.from);
    for (int i = 0; i < 3; ++i)
      if (place_[i] >= 0) p[place_[i]] = t[i];
    return p;
  }

private:
  int add(std::string name) {
    names_.push_back(std::move(name));
    return static_cast<int>(names_.size()) - 1;
  }
  double turn(const VectorXd &p, int axis) const { return place_[3 + axis] >= 0 ? p[place_[3 + axis]] : 0; }
  Vec3 shift(const VectorXd &p) const {
    Vec3 s = Vec3::Zero();
    for (int i = 0; i < 3; ++i)
      if (place_[i] >= 0) s[i] = p[place_[i]];
    return s;
  }
  Vec3 scales(const VectorXd &p) const {
    Vec3 s = Vec3::Ones();
    for (int i = 0; i < 3; ++i)
      if (place_[6 + i] >= 0) s[i] += p[place_[6 + i]];
    return s;
  }
  Mat3 matrix(const VectorXd &p) const {
    return scales(p).asDiagonal() * (about(0, turn(p, 0)) * about(1, turn(p, 1)) * about(2, turn(p, 2)));
  }
  SpaceModel m_;
  std::vector<std::string> names_;
  int place_[9] = {}; ///< of each parameter, −1 where it stays as it is; one scale stands at three places
};
} // namespace

std::unique_ptr<FitModel> space_model(const SpaceModel &m) { return std::make_unique<Space>(m); }

} // namespace ampletie
