#include "network/influence.h"
#include "network/problem.h"
#include <Eigen/Dense>
#include <algorithm>

namespace ampletie {
namespace {

/// Heights above the ellipsoid, or physical ones: without the geoid's corrections.
enum class HeightOf { ellipsoid, levels };

/// The network's derivatives and weights, once for all marks that are asked for.
class Followed {
public:
  explicit Followed(const NetworkResult &r) : r_(r) {
    for (const auto &b : r.blocks) {
      Eigen::VectorXd computed;
      Prepared p;
      evaluate_at(*b, r.adjustment, computed, p.jacobian);
      p.weights.compute(b->covariance);
      prepared_.push_back(std::move(p));
    }
  }

  /// Change of the mark's `axis` (east, north, up) per change of each observation, block by block; `visit(block, gain,
  /// jacobian)`. Up is that of the height that is asked for.
  template <class Visit> void along(const std::string &mark, int axis, HeightOf height, Visit &&visit) const {
    const AdjustmentResult &a = r_.adjustment;
    const int first = r_.parameter.at(mark);
    Eigen::VectorXd wanted = Eigen::VectorXd::Zero(a.unknowns);
    if (const int u = a.index[static_cast<std::size_t>(first + axis)]; u >= 0) wanted[u] = 1;
    const auto add = [&](const std::vector<std::pair<int, double>> &nodes, double sign) {
      for (const auto &[node, weight] : nodes)
        if (const int u = a.index[static_cast<std::size_t>(node)]; u >= 0) wanted[u] += sign * weight;
    };
    if (const auto lift = r_.lift.find(mark); axis == 2 && lift != r_.lift.end()) {
      const bool physical = !lift->second.empty();
      if (height == HeightOf::ellipsoid && physical) add(lift->second, 1);
      if (height == HeightOf::levels && !physical) add(r_.surface.at(mark), -1);
    }
    if (wanted.isZero()) return;
    const Eigen::VectorXd q = a.normals->solve(wanted);
    for (std::size_t n = 0; n < r_.blocks.size(); ++n) {
      const Block &b = *r_.blocks[n];
      const Eigen::MatrixXd &j = prepared_[n].jacobian;
      Eigen::VectorXd own = Eigen::VectorXd::Zero(j.rows()); // A q
      for (std::size_t i = 0; i < b.unknowns.size(); ++i)
        if (const int c = a.index[static_cast<std::size_t>(b.unknowns[i])]; c >= 0)
          own += j.col(static_cast<Eigen::Index>(i)) * q[c];
      visit(n, Eigen::VectorXd(prepared_[n].weights.solve(own)), j);
    }
  }
  static std::vector<Block::Part> parts_of(const Block &b, Eigen::Index observations) {
    return b.parts.empty() ? std::vector<Block::Part>{{b.id, b.kind, 0, observations}} : b.parts;
  }

private:
  struct Prepared {
    Eigen::MatrixXd jacobian;
    Eigen::LLT<Eigen::MatrixXd> weights;
  };
  const NetworkResult &r_;
  std::vector<Prepared> prepared_;
};

/// What is known of a model beforehand (calibrations, geoid, plumb lines, air, instruments) is no observation that
/// somebody could have got wrong in this job: its uncertainty is in the mark's.
bool is_model(const std::string &kind) {
  constexpr std::string_view models[] = {"antenna calibration", "geoid",           "plumb line",
                                         "refraction",          "instrument",      "datum bearing",
                                         "frame of a group",    "azimuth constant"};
  return std::find(std::begin(models), std::end(models), kind) != std::end(models);
}

/// Rounding leaves some 1e-12 where nothing passes.
constexpr double nothing = 1e-9;

using Tests = std::map<std::pair<std::size_t, std::string>, const BlockTest *>;
Tests tests_of(const NetworkResult &r) {
  Tests out;
  for (const BlockTest &t : r.adjustment.tests)
    if (!t.observations.empty()) out.emplace(std::pair(t.block, t.id), &t);
  return out;
}

/// What one observation does to a mark: east, north, up and physical height per unit of its error.
struct Effect {
  const Block &block;
  const Block::Part &part;
  Eigen::Index observation = 0;
  Eigen::Vector4d unit = Eigen::Vector4d::Zero();
  std::optional<double> detectable;

  double in_space() const { return unit.head<3>().norm(); }
  double in_height() const { return std::abs(unit[3]); }
  /// With the smallest error that is found; of 1 where none is.
  UndetectedError error() const {
    const double size = detectable.value_or(1);
    return {
        part.id,       part.kind, block.components[static_cast<std::size_t>(observation)], size, size * unit.head<3>(),
        size * unit[3]};
  }
};

/// Tells `take` of every observation that moves a mark.
template <class Take>
void each_effect(const NetworkResult &r, const Followed &followed, const Tests &tests, const std::string &mark,
                 Take &&take) {
  std::vector<Eigen::Matrix4Xd> effects(r.blocks.size()); ///< columns: of each observation of a block
  // Without a surface of the geoid both heights move alike.
  const auto surface = r.surface.find(mark);
  const bool two_heights = surface != r.surface.end() && !surface->second.empty();
  for (int k = 0; k < (two_heights ? 4 : 3); ++k)
    followed.along(mark, std::min(k, 2), k == 3 ? HeightOf::levels : HeightOf::ellipsoid,
                   [&](std::size_t n, const Eigen::VectorXd &gain, const Eigen::MatrixXd &) {
                     if (!effects[n].size()) effects[n].setZero(4, gain.size());
                     effects[n].row(k) = gain.transpose();
                     if (k == 2 && !two_heights) effects[n].row(3) = gain.transpose();
                   });
  for (std::size_t n = 0; n < r.blocks.size(); ++n) {
    if (!effects[n].size()) continue;
    for (const Block::Part &part : Followed::parts_of(*r.blocks[n], effects[n].cols())) {
      if (is_model(part.kind)) continue;
      const auto t = tests.find({n, part.id});
      for (Eigen::Index i = 0; i < part.count; ++i) {
        Effect e{*r.blocks[n], part, part.first + i, effects[n].col(part.first + i), {}};
        if (e.in_space() < nothing && e.in_height() < nothing) continue;
        if (t != tests.end() && static_cast<std::size_t>(i) < t->second->observations.size())
          e.detectable = t->second->observations[static_cast<std::size_t>(i)].smallest_detectable;
        take(e);
      }
    }
  }
}

/// The largest of a mark in one respect; nothing where an untested observation moves it by more than a thousandth.
class Largest {
public:
  void take(const Effect &e, double unit) {
    constexpr double whole = 1e-3;
    if (!e.detectable) {
      open_ = open_ || unit > whole;
      return;
    }
    if (const double size = unit * *e.detectable; size > most_) most_ = size, error_ = e.error();
  }
  std::optional<UndetectedError> found() const { return open_ ? std::nullopt : error_; }

private:
  bool open_ = false;
  double most_ = 0;
  std::optional<UndetectedError> error_;
};

LargestUndetected largest_for(const NetworkResult &r, const Followed &followed, const Tests &tests,
                              const AdjustedMark &m) {
  LargestUndetected out;
  out.has_place = m.plan_known && m.hold != Hold::full, out.has_height = m.height_sd > 0 && m.hold != Hold::height;
  if (!out.has_place && !out.has_height) return out;
  Largest place, height;
  each_effect(r, followed, tests, m.name,
              [&](const Effect &e) { place.take(e, e.in_space()), height.take(e, e.in_height()); });
  if (out.has_place) out.place = place.found();
  if (out.has_height) out.height = height.found();
  return out;
}
} // namespace

std::map<std::string, double> influences_on(const NetworkResult &r, const std::string &mark) {
  std::map<std::string, double> out;
  if (!r.parameter.count(mark)) return out;
  const AdjustmentResult &a = r.adjustment;
  std::map<int, std::string> owner;
  for (const auto &[name, p] : r.parameter)
    for (int k = 0; k < 3; ++k) owner[p + k] = name;
  std::map<std::pair<std::string, int>, double> held;
  const Followed followed(r);
  for (int k = 0; k < 3; ++k)
    followed.along(mark, k, HeightOf::ellipsoid,
                   [&](std::size_t n, const Eigen::VectorXd &gain, const Eigen::MatrixXd &j) {
                     const Block &b = *r.blocks[n];
                     for (const Block::Part &part : Followed::parts_of(b, gain.size())) {
                       double &largest = out[part.id];
                       largest = std::max(largest, gain.segment(part.first, part.count).cwiseAbs().maxCoeff());
                     }
                     for (std::size_t i = 0; i < b.unknowns.size(); ++i) {
                       const int p = b.unknowns[i];
                       if (a.index[static_cast<std::size_t>(p)] < 0 && owner.count(p))
                         held[{owner[p], 3 * p + k}] += gain.dot(j.col(static_cast<Eigen::Index>(i)));
                     }
                   });
  for (const auto &[key, sum] : held) {
    double &largest = out["held " + key.first];
    largest = std::max(largest, std::abs(sum));
  }
  std::erase_if(out, [](const auto &e) { return e.second < nothing; });
  return out;
}

ExternalReliability external_reliability(const NetworkResult &r, const std::string &mark) {
  ExternalReliability out;
  if (!r.parameter.count(mark)) return out;
  each_effect(r, Followed(r), tests_of(r), mark,
              [&](const Effect &e) { (e.detectable ? out.errors : out.unbounded).push_back(e.error()); });
  const auto larger = [](const UndetectedError &a, const UndetectedError &b) {
    return a.effect_enu.norm() > b.effect_enu.norm();
  };
  std::stable_sort(out.errors.begin(), out.errors.end(), larger);
  std::stable_sort(out.unbounded.begin(), out.unbounded.end(), larger);
  return out;
}

LargestUndetected largest_undetected(const NetworkResult &r, const AdjustedMark &m) {
  return r.parameter.count(m.name) ? largest_for(r, Followed(r), tests_of(r), m) : LargestUndetected{};
}

std::map<std::string, LargestUndetected> largest_undetected(const NetworkResult &r) {
  std::map<std::string, LargestUndetected> out;
  const Followed followed(r);
  const Tests tests = tests_of(r);
  for (const AdjustedMark &m : r.marks)
    if (m.hold != Hold::full) out[m.name] = largest_for(r, followed, tests, m);
  return out;
}

} // namespace ampletie
