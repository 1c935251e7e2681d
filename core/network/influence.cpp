#include "network/influence.h"
#include "network/problem.h"
#include <Eigen/Dense>
#include <algorithm>

namespace ampletie {
namespace {

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
  /// jacobian)`. Of a mark that is known by its physical height, up is that unless `ellipsoidal`.
  template <class Visit> void along(const std::string &mark, int axis, bool ellipsoidal, Visit &&visit) const {
    const AdjustmentResult &a = r_.adjustment;
    const int first = r_.parameter.at(mark);
    Eigen::VectorXd wanted = Eigen::VectorXd::Zero(a.unknowns);
    if (const int u = a.index[static_cast<std::size_t>(first + axis)]; u >= 0) wanted[u] = 1;
    if (const auto lift = r_.lift.find(mark); axis == 2 && ellipsoidal && lift != r_.lift.end())
      for (const auto &[node, weight] : lift->second)
        if (const int u = a.index[static_cast<std::size_t>(node)]; u >= 0) wanted[u] += weight;
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
  constexpr std::string_view models[] = {"antenna calibration", "geoid",      "plumb line",
                                         "refraction",          "instrument", "datum bearing"};
  return std::find(std::begin(models), std::end(models), kind) != std::end(models);
}

/// Rounding leaves some 1e-12 where nothing passes.
constexpr double nothing = 1e-9;

ExternalReliability reliability_of(const NetworkResult &r, const Followed &followed,
                                   const std::map<std::pair<std::size_t, std::string>, const BlockTest *> &tests,
                                   const std::string &mark) {
  std::vector<std::vector<Vec3>> effects(r.blocks.size()); ///< of each observation of a block
  for (int k = 0; k < 3; ++k)
    followed.along(mark, k, false, [&](std::size_t n, const Eigen::VectorXd &gain, const Eigen::MatrixXd &) {
      effects[n].resize(static_cast<std::size_t>(gain.size()), Vec3::Zero());
      for (Eigen::Index i = 0; i < gain.size(); ++i) effects[n][static_cast<std::size_t>(i)][k] = gain[i];
    });
  ExternalReliability out;
  for (std::size_t n = 0; n < r.blocks.size(); ++n) {
    if (effects[n].empty()) continue;
    for (const Block::Part &part : Followed::parts_of(*r.blocks[n], static_cast<Eigen::Index>(effects[n].size()))) {
      if (is_model(part.kind)) continue;
      const auto t = tests.find({n, part.id});
      for (Eigen::Index i = 0; i < part.count; ++i) {
        const Vec3 &effect = effects[n][static_cast<std::size_t>(part.first + i)];
        if (effect.norm() < nothing) continue;
        UndetectedError e{part.id, part.kind, r.blocks[n]->components[static_cast<std::size_t>(part.first + i)], 1,
                          effect};
        const ObservationTest *of = t != tests.end() && static_cast<std::size_t>(i) < t->second->observations.size()
                                        ? &t->second->observations[static_cast<std::size_t>(i)]
                                        : nullptr;
        if (of && of->smallest_detectable) {
          e.detectable = *of->smallest_detectable, e.effect_enu *= e.detectable;
          out.errors.push_back(std::move(e));
        } else
          out.unbounded.push_back(std::move(e));
      }
    }
  }
  const auto larger = [](const UndetectedError &a, const UndetectedError &b) {
    return a.effect_enu.norm() > b.effect_enu.norm();
  };
  std::stable_sort(out.errors.begin(), out.errors.end(), larger);
  std::stable_sort(out.unbounded.begin(), out.unbounded.end(), larger);
  return out;
}

std::map<std::pair<std::size_t, std::string>, const BlockTest *> tests_of(const NetworkResult &r) {
  std::map<std::pair<std::size_t, std::string>, const BlockTest *> out;
  for (const BlockTest &t : r.adjustment.tests)
    if (!t.observations.empty()) out.emplace(std::pair(t.block, t.id), &t);
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
    followed.along(mark, k, true, [&](std::size_t n, const Eigen::VectorXd &gain, const Eigen::MatrixXd &j) {
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
  if (!r.parameter.count(mark)) return {};
  return reliability_of(r, Followed(r), tests_of(r), mark);
}

std::map<std::string, std::optional<UndetectedError>> largest_undetected(const NetworkResult &r) {
  std::map<std::string, std::optional<UndetectedError>> out;
  const Followed followed(r);
  const auto tests = tests_of(r);
  for (const AdjustedMark &m : r.marks) {
    if (m.hold == Hold::full) continue;
    const ExternalReliability e = reliability_of(r, followed, tests, m.name);
    const bool open = !e.unbounded.empty() && e.unbounded.front().effect_enu.norm() > 1e-3;
    out[m.name] = open || e.errors.empty() ? std::nullopt : std::optional(e.errors.front());
  }
  return out;
}

} // namespace ampletie
