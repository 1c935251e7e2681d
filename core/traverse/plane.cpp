#include "traverse/plane.h"
#include "base/error.h"
#include "traverse/sets.h"

namespace ampletie {

double bearing(const PlanePoint &from, const PlanePoint &to) {
  return positive_angle(std::atan2(to.east - from.east, to.north - from.north));
}
double distance(const PlanePoint &a, const PlanePoint &b) { return std::hypot(b.east - a.east, b.north - a.north); }
PlanePoint polar(const PlanePoint &from, double b, double d) {
  return {from.east + d * std::sin(b), from.north + d * std::cos(b)};
}

namespace {

/// Observations between plane points; `unknowns` are east and north of each, then the orientation of a direction.
class PlaneBlock : public Block {
public:
  PlaneObservation::Kind of = PlaneObservation::Kind::distance;

  void evaluate(const Eigen::VectorXd &p, Eigen::VectorXd &computed, Eigen::MatrixXd &jacobian) const override {
    using K = PlaneObservation::Kind;
    computed.resize(1);
    jacobian = Eigen::MatrixXd::Zero(1, p.size());
    const double de = p[2] - p[0], dn = p[3] - p[1], square = de * de + dn * dn;
    if (of == K::distance) {
      const double d = std::sqrt(square);
      computed[0] = d;
      jacobian.row(0).head<4>() << -de / d, -dn / d, de / d, dn / d;
      return;
    }
    double angle = std::atan2(de, dn);
    jacobian.row(0).head<4>() << -dn / square, de / square, dn / square, -de / square;
    if (of == K::direction) {
      angle -= p[4];
      jacobian(0, 4) = -1;
    } else if (of == K::angle) {
      const double be = p[4] - p[0], bn = p[5] - p[1], bs = be * be + bn * bn;
      angle -= std::atan2(be, bn);
      jacobian(0, 0) += bn / bs, jacobian(0, 1) -= be / bs;
      jacobian(0, 4) = -bn / bs, jacobian(0, 5) = be / bs;
    }
    // Next to what was observed, so that the turn of the circle is no residual.
    computed[0] = observed[0] + small_angle(angle - observed[0]);
  }
};

} // namespace

PlaneResult adjust_plane(const PlaneNetwork &n, const Progress &progress) {
  Problem problem;
  std::map<std::string, int> index, orientation;
  auto point = [&](const std::string &name) {
    const auto [it, fresh] = index.try_emplace(name, static_cast<int>(problem.parameters.size()));
    if (!fresh) return it->second;
    const auto held = n.fixed.find(name), begin = n.start.find(name);
    if (held == n.fixed.end() && begin == n.start.end())
      throw InputError("nothing says where " + name + " is, not even roughly");
    const PlanePoint &p = held != n.fixed.end() ? held->second : begin->second;
    problem.parameters.push_back({name + " east", p.east, held != n.fixed.end()});
    problem.parameters.push_back({name + " north", p.north, held != n.fixed.end()});
    return it->second;
  };
  auto place = [&](const std::string &name) {
    const auto held = n.fixed.find(name);
    return held != n.fixed.end() ? held->second : n.start.at(name);
  };
  for (const PlaneObservation &o : n.observations) {
    using K = PlaneObservation::Kind;
    auto b = std::make_unique<PlaneBlock>();
    b->of = o.kind;
    b->id = o.id;
    b->kind = o.kind == K::distance  ? "distance"
              : o.kind == K::angle   ? "angle"
              : o.kind == K::bearing ? "bearing"
                                     : "direction";
    b->components = {b->kind};
    const int at = point(o.at), to = point(o.to);
    b->unknowns = {at, at + 1, to, to + 1};
    if (o.kind == K::angle) {
      const int back = point(o.back);
      b->unknowns.insert(b->unknowns.end(), {back, back + 1});
    } else if (o.kind == K::direction) {
      const auto [it, fresh] = orientation.try_emplace(o.set, static_cast<int>(problem.parameters.size()));
      if (fresh)
        problem.parameters.push_back({"orientation " + o.set, bearing(place(o.at), place(o.to)) - o.value, false});
      b->unknowns.push_back(it->second);
    }
    b->observed = Eigen::VectorXd::Constant(1, o.value);
    b->covariance = Eigen::MatrixXd::Constant(1, 1, o.sd * o.sd);
    problem.blocks.push_back(std::move(b));
  }
  if (problem.blocks.empty()) throw InputError("there is nothing to adjust");
  PlaneResult out;
  out.adjustment = adjust(problem, n.options, progress);
  for (const auto &[name, i] : index) {
    const auto k = static_cast<std::size_t>(i);
    out.points[name] = {out.adjustment.values[k], out.adjustment.values[k + 1]};
    out.covariance[name] = out.adjustment.covariance({i, i + 1});
  }
  for (const auto &[set, i] : orientation)
    out.orientations[set] = positive_angle(out.adjustment.values[static_cast<std::size_t>(i)]);
  return out;
}

} // namespace ampletie
