#include "network/blocks.h"
#include "base/error.h"

namespace ampletie {
namespace {
/// One more column of a linear block, or what it adds to the one that is there.
void add_column(LinearBlock &b, int parameter, const Eigen::VectorXd &column) {
  for (std::size_t i = 0; i < b.unknowns.size(); ++i)
    if (b.unknowns[i] == parameter) {
      b.a.col(static_cast<Eigen::Index>(i)) += column;
      return;
    }
  b.unknowns.push_back(parameter);
  b.a.conservativeResize(Eigen::NoChange, b.a.cols() + 1);
  b.a.rightCols<1>() = column;
}
} // namespace

std::unique_ptr<LinearBlock> vector_block(const NetworkVector &v, const MarkAxes &from, const MarkAxes &to,
                                          const EndUnknowns &ends) {
  auto b = std::make_unique<LinearBlock>();
  b->id = v.id;
  b->kind = "vector";
  b->group = v.group;
  b->components = {"dX", "dY", "dZ"};
  b->observed = v.d;
  b->covariance = v.cov;
  b->offset = to.origin - from.origin;
  b->a.resize(3, 0);
  // A set-up error carries the antenna away from the marker: it adds to what the vector, reduced to the marker, shows.
  auto add = [&](int first, const Mat3 &axes, double sign) {
    for (int i = 0; first >= 0 && i < 3; ++i) add_column(*b, first + i, sign * axes.row(i).transpose());
  };
  add(from.first, from.axes, -1);
  add(to.first, to.axes, 1);
  add(ends.from_setup, from.axes, -1);
  add(ends.to_setup, to.axes, 1);
  add(ends.from_antenna, from.axes, -1);
  add(ends.to_antenna, to.axes, 1);
  // A frame that is turned by small angles r and stretched by s shows d + r × d + s d.
  const Vec3 d = to.origin - from.origin;
  for (const int first : ends.turns) {
    for (int i = 0; i < 3; ++i) add_column(*b, first + i, Vec3(ends.turn_axes.row(i)).cross(d));
    add_column(*b, first + 3, d);
  }
  // Marks known by their physical heights rest on the geoid's corrections.
  for (const auto &[mark, sign] : {std::pair{&from, -1.0}, {&to, 1.0}})
    for (const auto &[node, weight] : mark->lift) add_column(*b, node, sign * weight * mark->axes.row(2).transpose());
  return b;
}

MarkMap enu_map(const MarkAxes &a) {
  MarkMap m;
  m.parameters = {a.first, a.first + 1, a.first + 2};
  m.rows = Eigen::MatrixXd::Zero(3, static_cast<Eigen::Index>(3 + a.lift.size()));
  m.rows.leftCols<3>().setIdentity();
  for (std::size_t i = 0; i < a.lift.size(); ++i) {
    m.parameters.push_back(a.lift[i].first);
    m.rows(2, static_cast<Eigen::Index>(3 + i)) = a.lift[i].second;
  }
  return m;
}

MarkMap height_map(const MarkAxes &a) {
  // H = h − N − s; where the parameter is H itself, s is in both and falls out.
  MarkMap m;
  m.parameters = {a.first + 2};
  const bool physical = !a.lift.empty();
  m.rows = Eigen::MatrixXd::Zero(1, static_cast<Eigen::Index>(1 + (physical ? 0 : a.surface.size())));
  m.rows(0, 0) = 1;
  if (!physical)
    for (std::size_t i = 0; i < a.surface.size(); ++i) {
      m.parameters.push_back(a.surface[i].first);
      m.rows(0, static_cast<Eigen::Index>(1 + i)) = -a.surface[i].second;
    }
  return m;
}

std::unique_ptr<Block> level_block(const NetworkLevel &l, const MarkAxes &from, const MarkAxes &to) {
  auto b = std::make_unique<LinearBlock>();
  b->id = l.id;
  b->kind = "level";
  b->group = "levels";
  b->components = {"height difference"};
  b->observed = Eigen::VectorXd::Constant(1, l.difference);
  b->covariance = Eigen::MatrixXd::Constant(1, 1, l.sd * l.sd);
  b->offset = Eigen::VectorXd::Constant(1, to.physical_origin - from.physical_origin);
  b->a.resize(1, 0);
  for (const auto &[mark, sign] : {std::pair{&from, -1.0}, {&to, 1.0}}) {
    const MarkMap m = height_map(*mark);
    for (std::size_t i = 0; i < m.parameters.size(); ++i)
      add_column(*b, m.parameters[i], sign * m.rows.col(static_cast<Eigen::Index>(i)));
  }
  return b;
}

std::unique_ptr<Block> geoid_block(int first, const std::vector<Eigen::Vector2d> &places, double sd,
                                   double correlation) {
  auto b = std::make_unique<LinearBlock>();
  b->id = "geoid";
  b->kind = "geoid";
  b->group = "geoid";
  const auto n = static_cast<Eigen::Index>(places.size());
  b->observed = Eigen::VectorXd::Zero(n);
  b->a = Eigen::MatrixXd::Identity(n, n);
  b->covariance.resize(n, n);
  for (Eigen::Index i = 0; i < n; ++i) {
    b->unknowns.push_back(first + static_cast<int>(i));
    b->components.push_back("node " + std::to_string(i + 1));
    for (Eigen::Index k = 0; k < n; ++k) {
      const double d = (places[static_cast<std::size_t>(i)] - places[static_cast<std::size_t>(k)]).norm() / correlation;
      b->covariance(i, k) = sd * sd * std::exp(-d * d);
    }
    // A Gaussian covariance is all but singular: a thousandth of its standard deviation is each node's own.
    b->covariance(i, i) *= 1 + 1e-6;
  }
  return b;
}

std::unique_ptr<Block> session_block(const NetworkSession &s,
                                     const std::map<std::string, std::unique_ptr<LinearBlock>> &vectors) {
  auto b = std::make_unique<LinearBlock>();
  b->id = s.id;
  b->kind = "session";
  const auto rows = static_cast<Eigen::Index>(3 * s.vectors.size());
  if (s.cov.rows() != rows || s.cov.cols() != rows)
    throw InputError(s.id + ": the covariance does not suit the number of its vectors");
  b->observed.resize(rows);
  b->offset.resize(rows);
  b->covariance = s.cov;
  std::map<int, Eigen::Index> column;
  for (const auto &id : s.vectors) {
    const auto v = vectors.find(id);
    if (v == vectors.end()) throw InputError(s.id + ": the vector " + id + " is not in the network");
    for (int u : v->second->unknowns)
      if (column.emplace(u, static_cast<Eigen::Index>(b->unknowns.size())).second) b->unknowns.push_back(u);
  }
  b->a = Eigen::MatrixXd::Zero(rows, static_cast<Eigen::Index>(b->unknowns.size()));
  Eigen::Index first = 0;
  for (const auto &id : s.vectors) {
    const LinearBlock &v = *vectors.at(id);
    b->group = v.group;
    b->observed.segment<3>(first) = v.observed;
    b->offset.segment<3>(first) = v.offset;
    for (std::size_t c = 0; c < v.unknowns.size(); ++c)
      b->a.block<3, 1>(first, column.at(v.unknowns[c])) += v.a.col(static_cast<Eigen::Index>(c));
    b->components.insert(b->components.end(), v.components.begin(), v.components.end());
    b->parts.push_back({id, v.kind, first, 3});
    first += 3;
  }
  return b;
}

namespace {
std::unique_ptr<Block> three(std::string id, std::string kind, int first, const Vec3 &observed, const Mat3 &cov,
                             std::vector<std::string> names) {
  auto b = std::make_unique<LinearBlock>();
  b->id = std::move(id);
  b->kind = std::move(kind);
  b->group = b->kind;
  b->components = std::move(names);
  b->unknowns = {first, first + 1, first + 2};
  b->observed = observed;
  b->covariance = cov;
  b->a = Mat3::Identity();
  return b;
}
} // namespace

std::unique_ptr<Block> setup_block(const NetworkSetup &s, int first) {
  return three(s.id, "set-up", first, Vec3::Zero(), s.sd_enu.cwiseAbs2().asDiagonal(),
               {"centring east", "centring north", "antenna height"});
}

std::unique_ptr<Block> antenna_block(const std::string &antenna, int first, const Vec3 &sd) {
  return three("antenna " + antenna, "antenna calibration", first, Vec3::Zero(), sd.cwiseAbs2().asDiagonal(),
               {"phase centre east", "phase centre north", "phase centre up"});
}

std::unique_ptr<Block> coordinate_block(const std::string &mark, int first, const Vec3 &observed, const Mat3 &cov) {
  return three(mark, "weighted coordinates", first, observed, cov, {"east", "north", "up"});
}

} // namespace ampletie
