#include "network/terrestrial.h"
#include <Eigen/Dense>
#include <cmath>

namespace ampletie {
namespace {

constexpr double mean_radius = 6371e3;

/// A sight in space with everything that its observations depend on. The local frame is that of the plumb line: east,
/// north and up at the astronomic latitude Φ = φ + ξ and longitude Λ = λ + η/cos φ (Torge & Müller 2012), so that
/// azimuths carry the Laplace correction and zenith angles the deflection without a formula of their own.
class Sight {
public:
  Sight(const NetworkStation &s, const NetworkSight &t, const MarkAxes &station, const MarkAxes &target,
        const StationUnknowns &u)
      : station_(station), target_(target), height_(s.height), target_height_(t.target_height), k_(s.k),
        xi_(s.deflection.x()), eta_(s.deflection.y()), here_(to_geodetic(station.origin)), offset_(s.offset) {
    add_mark(station, 0);
    add_mark(target, 1);
    if (u.setup >= 0) setup_ = add(u.setup, 3);
    if (u.deflection >= 0) deflection_ = add(u.deflection, 1), add(u.deflection + u.deflection_step, 1);
    if (u.orientation >= 0) orientation_ = add(u.orientation, 1);
    if (u.refraction >= 0) refraction_ = add(u.refraction, 1);
    if (u.edm >= 0) edm_ = add(u.edm, 2);
  }
  const std::vector<int> &unknowns() const { return unknowns_; }

  enum Kind { direction, zenith, distance, horizontal, rise, kinds };
  struct Value {
    double value[kinds] = {};                          ///< direction, zenith, distance, horizontal, rise
    Eigen::Matrix<double, kinds, Eigen::Dynamic> rows; ///< their derivatives
    Vec3 gradient[kinds];                              ///< by the target's place, in the local frame
  };
  Value at(const Eigen::VectorXd &p) const {
    const Vec3 from = place(station_, 0, p), to = place(target_, 1, p);
    Vec3 stand(offset_.x(), offset_.y(), height_);
    if (setup_ >= 0) stand += p.segment<3>(setup_);
    const double xi = xi_ + (deflection_ >= 0 ? p[deflection_] : 0),
                 eta = eta_ + (deflection_ >= 0 ? p[deflection_ + 1] : 0);
    const Mat3 axes = local_axes(here_.lat + xi, here_.lon + eta / std::cos(here_.lat));
    // The instrument stands along its own plumb line; over its height that is the ellipsoid's normal to 0.1 mm.
    const Vec3 v =
        to + target_.axes.transpose() * Vec3(0, 0, target_height_) - from - station_.axes.transpose() * stand;
    const Vec3 d = axes * v;
    const double s = d.norm(), flat = std::hypot(d.x(), d.y()), azimuth = std::atan2(d.x(), d.y()),
                 z = std::atan2(flat, d.z());
    const double k = k_ + (refraction_ >= 0 ? p[refraction_] : 0);
    Value out;
    // A height difference was freed of curvature and of the refraction that is expected.
    const double fall = flat * flat / (2 * mean_radius), bent = refraction_ >= 0 ? p[refraction_] : 0;
    out.value[direction] = azimuth - (orientation_ >= 0 ? p[orientation_] : 0);
    out.value[zenith] = z - k * flat / (2 * mean_radius);
    out.value[distance] = s;
    out.value[horizontal] = flat;
    out.value[rise] = d.z() + fall * (1 + bent) + height_ - target_height_;
    out.gradient[0] = Vec3(d.y(), -d.x(), 0) / (flat * flat);
    out.gradient[1] = Vec3(std::cos(z) * d.x() / flat, std::cos(z) * d.y() / flat, -std::sin(z)) / s;
    out.gradient[2] = d / s;
    out.gradient[3] = Vec3(d.x(), d.y(), 0) / flat;
    out.gradient[4] = Vec3(d.x() / mean_radius, d.y() / mean_radius, 1);
    const Vec3 by_xi(0, -d.z(), d.y());
    const Vec3 by_eta(-d.z() + std::tan(here_.lat) * d.y(), -std::tan(here_.lat) * d.x(), d.x());
    out.rows = Eigen::MatrixXd::Zero(kinds, static_cast<Eigen::Index>(unknowns_.size()));
    for (int i = 0; i < kinds; ++i) {
      Vec3 g = out.gradient[i];
      // Refraction grows with the horizontal part of the sight.
      if (i == zenith) g -= k / (2 * mean_radius) * Vec3(d.x(), d.y(), 0) / flat;
      if (i == rise) g += bent / mean_radius * Vec3(d.x(), d.y(), 0);
      const Eigen::RowVector3d space = g.transpose() * axes;
      mark_columns(out.rows, i, 0, -space * station_.axes.transpose());
      mark_columns(out.rows, i, 1, space * target_.axes.transpose());
      if (setup_ >= 0) out.rows.block<1, 3>(i, setup_) = -space * station_.axes.transpose();
      if (deflection_ >= 0) {
        out.rows(i, deflection_) = g.dot(by_xi);
        out.rows(i, deflection_ + 1) = g.dot(by_eta);
      }
    }
    if (orientation_ >= 0) out.rows(direction, orientation_) = -1;
    if (refraction_ >= 0) out.rows(zenith, refraction_) = -flat / (2 * mean_radius), out.rows(rise, refraction_) = fall;
    if (edm_ >= 0)
      for (Kind i : {distance, horizontal}) {
        const double length = out.value[i];
        out.value[i] = length * (1 + p[edm_]) + p[edm_ + 1];
        out.rows.row(i) *= 1 + p[edm_];
        out.rows(i, edm_) = length, out.rows(i, edm_ + 1) = 1;
      }
    return out;
  }

private:
  int add(int first, int count) {
    const int at = static_cast<int>(unknowns_.size());
    for (int i = 0; i < count; ++i) unknowns_.push_back(first + i);
    return at;
  }
  void add_mark(const MarkAxes &m, int which) {
    map_[which] = enu_map(m);
    for (int parameter : map_[which].parameters) {
      int at = -1; // both ends may rest on the same node of the geoid's surface
      for (std::size_t i = 0; i < unknowns_.size(); ++i)
        if (unknowns_[i] == parameter) at = static_cast<int>(i);
      column_[which].push_back(at >= 0 ? at : add(parameter, 1));
    }
  }
  Vec3 place(const MarkAxes &m, int which, const Eigen::VectorXd &p) const {
    Vec3 enu = Vec3::Zero();
    for (std::size_t i = 0; i < column_[which].size(); ++i)
      enu += map_[which].rows.col(static_cast<Eigen::Index>(i)) * p[column_[which][i]];
    return m.origin + m.axes.transpose() * enu;
  }
  void mark_columns(Eigen::Matrix<double, kinds, Eigen::Dynamic> &rows, int i, int which,
                    const Eigen::RowVector3d &g) const {
    for (std::size_t c = 0; c < column_[which].size(); ++c)
      rows(i, column_[which][c]) += g * map_[which].rows.col(static_cast<Eigen::Index>(c));
  }

  MarkAxes station_, target_;
  double height_, target_height_, k_, xi_, eta_;
  Geodetic here_;
  Eigen::Vector2d offset_;
  MarkMap map_[2];
  std::vector<int> column_[2], unknowns_;
  int setup_ = -1, deflection_ = -1, orientation_ = -1, refraction_ = -1, edm_ = -1;
};

double near(double angle, double to) { return to + std::remainder(angle - to, 2 * 3.14159265358979323846); }

class DirectionBlock : public Block {
public:
  std::vector<Sight> sights;
  std::vector<std::vector<Eigen::Index>> column; ///< of each sight's unknowns
  void evaluate(const Eigen::VectorXd &p, Eigen::VectorXd &computed, Eigen::MatrixXd &jacobian) const override {
    const auto n = static_cast<Eigen::Index>(sights.size());
    computed.resize(n);
    jacobian = Eigen::MatrixXd::Zero(n, static_cast<Eigen::Index>(unknowns.size()));
    for (Eigen::Index i = 0; i < n; ++i) {
      const auto &own = column[static_cast<std::size_t>(i)];
      Eigen::VectorXd q(static_cast<Eigen::Index>(own.size()));
      for (std::size_t c = 0; c < own.size(); ++c) q[static_cast<Eigen::Index>(c)] = p[own[c]];
      const auto v = sights[static_cast<std::size_t>(i)].at(q);
      computed[i] = near(v.value[Sight::direction], observed[i]);
      for (std::size_t c = 0; c < own.size(); ++c) jacobian(i, own[c]) = v.rows(0, static_cast<Eigen::Index>(c));
    }
  }
};

class SightBlock : public Block {
public:
  explicit SightBlock(Sight s) : sight(std::move(s)) {}
  Sight sight;
  std::vector<Sight::Kind> rows;
  void evaluate(const Eigen::VectorXd &p, Eigen::VectorXd &computed, Eigen::MatrixXd &jacobian) const override {
    const auto v = sight.at(p);
    computed.resize(static_cast<Eigen::Index>(rows.size()));
    jacobian.resize(computed.size(), p.size());
    for (Eigen::Index i = 0; i < computed.size(); ++i) {
      const Sight::Kind r = rows[static_cast<std::size_t>(i)];
      computed[i] = r == Sight::direction ? near(v.value[r], observed[i]) : v.value[r];
      jacobian.row(i) = v.rows.row(r);
    }
  }
};

/// A place to look at the geometry from: all unknowns zero.
Sight::Value begin(const Sight &s) {
  return s.at(Eigen::VectorXd::Zero(static_cast<Eigen::Index>(s.unknowns().size())));
}

} // namespace

std::unique_ptr<Block> direction_block(const NetworkStation &s, const MarkAxes &station,
                                       const std::map<std::string, MarkAxes> &marks, const StationUnknowns &u) {
  auto b = std::make_unique<DirectionBlock>();
  b->id = s.id;
  b->kind = "directions";
  b->group = "total station";
  std::map<int, Eigen::Index> at;
  std::vector<double> observed;
  StationUnknowns own = u;
  own.refraction = own.edm = -1;
  for (const NetworkSight &t : s.sights) {
    if (!std::isfinite(t.direction)) continue;
    b->sights.emplace_back(s, t, station, marks.at(t.to), own);
    b->column.emplace_back();
    for (int parameter : b->sights.back().unknowns()) {
      const auto [it, fresh] = at.try_emplace(parameter, static_cast<Eigen::Index>(b->unknowns.size()));
      if (fresh) b->unknowns.push_back(parameter);
      b->column.back().push_back(it->second);
    }
    b->components.push_back("direction");
    b->parts.push_back({t.id, "direction", static_cast<Eigen::Index>(observed.size()), 1});
    observed.push_back(t.direction);
  }
  b->observed = Eigen::Map<const Eigen::VectorXd>(observed.data(), static_cast<Eigen::Index>(observed.size()));
  b->covariance = s.direction_covariance;
  Eigen::Index i = 0;
  for (const NetworkSight &t : s.sights)
    if (std::isfinite(t.direction)) {
      const auto g = begin(b->sights[static_cast<std::size_t>(i)]).gradient[0];
      b->covariance(i, i) += std::pow(t.target_centring * g.head<2>().norm(), 2);
      ++i;
    }
  return b;
}

std::unique_ptr<Block> azimuth_block(const NetworkStation &s, const NetworkSight &t, const MarkAxes &station,
                                     const MarkAxes &target, const StationUnknowns &u) {
  StationUnknowns own = u;
  own.refraction = own.edm = -1;
  own.orientation = t.geodetic_azimuth ? -1 : u.azimuth; // like the zero of a circle, but of all set-ups together
  NetworkStation here = s;
  if (t.geodetic_azimuth) own.deflection = -1, here.deflection.setZero();
  auto b = std::make_unique<SightBlock>(Sight(here, t, station, target, own));
  b->id = s.id + " " + t.id + " azimuth";
  b->kind = "azimuth";
  b->group = "total station";
  b->unknowns = b->sight.unknowns();
  b->rows = {Sight::direction};
  b->components = {"azimuth"};
  b->parts.push_back({t.id, "azimuth", 0, 1});
  b->observed = Eigen::VectorXd::Constant(1, t.azimuth);
  const double off = t.target_centring * begin(b->sight).gradient[Sight::direction].head<2>().norm();
  b->covariance = Eigen::MatrixXd::Constant(1, 1, t.azimuth_sd * t.azimuth_sd + off * off);
  return b;
}

std::unique_ptr<Block> sight_block(const NetworkStation &s, const NetworkSight &t, const MarkAxes &station,
                                   const MarkAxes &target, const StationUnknowns &u) {
  StationUnknowns own = u;
  own.orientation = -1;
  if (!std::isfinite(t.zenith) && !std::isfinite(t.rise)) own.refraction = -1;
  if (!std::isfinite(t.distance) && !std::isfinite(t.horizontal)) own.edm = -1;
  auto b = std::make_unique<SightBlock>(Sight(s, t, station, target, own));
  b->id = s.id + " " + t.id;
  b->kind = "sight";
  b->group = "total station";
  b->unknowns = b->sight.unknowns();
  const auto v = begin(b->sight);
  const Mat3 tilt = Vec3(t.target_centring, t.target_centring, t.target_height_sd).cwiseAbs2().asDiagonal();
  std::vector<double> observed, sd;
  for (const auto &[row, value, own_sd, name] :
       {std::tuple{Sight::zenith, t.zenith, t.zenith_sd, "zenith angle"},
        {Sight::distance, t.distance, t.distance_sd, "distance"},
        {Sight::horizontal, t.horizontal, t.horizontal_sd, "horizontal distance"},
        {Sight::rise, t.rise, t.rise_sd, "height difference"}}) {
    if (!std::isfinite(value)) continue;
    b->rows.push_back(row);
    b->components.push_back(name);
    b->parts.push_back({t.id, name, static_cast<Eigen::Index>(observed.size()), 1});
    observed.push_back(value), sd.push_back(own_sd);
  }
  const auto n = static_cast<Eigen::Index>(observed.size());
  b->observed = Eigen::Map<const Eigen::VectorXd>(observed.data(), n);
  b->covariance = Eigen::MatrixXd::Zero(n, n);
  for (Eigen::Index i = 0; i < n; ++i)
    for (Eigen::Index k = 0; k < n; ++k) {
      b->covariance(i, k) =
          v.gradient[b->rows[static_cast<std::size_t>(i)]].dot(tilt * v.gradient[b->rows[static_cast<std::size_t>(k)]]);
      if (i == k) b->covariance(i, i) += std::pow(sd[static_cast<std::size_t>(i)], 2);
    }
  return b;
}

std::unique_ptr<Block> prior_block(const std::string &id, const std::string &kind, int first,
                                   const std::vector<std::pair<std::string, double>> &component_sd) {
  auto b = std::make_unique<LinearBlock>();
  b->id = id, b->kind = kind, b->group = kind;
  const auto n = static_cast<Eigen::Index>(component_sd.size());
  b->observed = Eigen::VectorXd::Zero(n);
  b->a = Eigen::MatrixXd::Identity(n, n);
  b->covariance = Eigen::MatrixXd::Zero(n, n);
  for (Eigen::Index i = 0; i < n; ++i) {
    b->unknowns.push_back(first + static_cast<int>(i));
    b->components.push_back(component_sd[static_cast<std::size_t>(i)].first);
    b->covariance(i, i) = std::pow(component_sd[static_cast<std::size_t>(i)].second, 2);
  }
  return b;
}

} // namespace ampletie
