#include "network/influence.h"
#include "base/parallel.h"
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
      p.weighted = Eigen::LLT<Eigen::MatrixXd>(b->covariance).solve(p.jacobian);
      prepared_.push_back(std::move(p));
    }
  }

  /// The mark's `axis` (east, north, up) as a sum of unknowns. Up is that of the height that is asked for.
  Eigen::VectorXd wanted(const std::string &mark, int axis, HeightOf height) const {
    const AdjustmentResult &a = r_.adjustment;
    const int first = r_.parameter.at(mark);
    Eigen::VectorXd out = Eigen::VectorXd::Zero(a.unknowns);
    if (const int u = a.index[static_cast<std::size_t>(first + axis)]; u >= 0) out[u] = 1;
    const auto add = [&](const std::vector<std::pair<int, double>> &nodes, double sign) {
      for (const auto &[node, weight] : nodes)
        if (const int u = a.index[static_cast<std::size_t>(node)]; u >= 0) out[u] += sign * weight;
    };
    if (const auto lift = r_.lift.find(mark); axis == 2 && lift != r_.lift.end()) {
      const bool physical = !lift->second.empty();
      if (height == HeightOf::ellipsoid && physical) add(lift->second, 1);
      if (height == HeightOf::levels && !physical) add(r_.surface.at(mark), -1);
    }
    return out;
  }

  /// Change of what each column of `sought` sums up per change of each observation, block by block: `visit(block,
  /// gains)`, a row for every observation, a column for every one sought.
  template <class Visit> void along(const NormalEquations::Sides &sought, Visit &&visit) const {
    const AdjustmentResult &a = r_.adjustment;
    const NormalEquations::Sides q = a.normals->solve_all(sought);
    NormalEquations::Sides own, gains;
    for (std::size_t n = 0; n < r_.blocks.size(); ++n) {
      const Block &b = *r_.blocks[n];
      own.setZero(static_cast<Eigen::Index>(b.unknowns.size()), q.cols());
      for (std::size_t i = 0; i < b.unknowns.size(); ++i)
        if (const int c = a.index[static_cast<std::size_t>(b.unknowns[i])]; c >= 0)
          own.row(static_cast<Eigen::Index>(i)) = q.row(c);
      const Eigen::MatrixXd &of = prepared_[n].weighted;
      if (of.size() < 200) // packing for the cache costs more than such a product
        gains.noalias() = of.lazyProduct(own);
      else
        gains.noalias() = of * own;
      visit(n, gains);
    }
  }
  const Eigen::MatrixXd &jacobian(std::size_t block) const { return prepared_[block].jacobian; }

private:
  struct Prepared {
    Eigen::MatrixXd jacobian, weighted; ///< A, P A
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

/// An observation that somebody may have got wrong.
struct Suspect {
  Block::Part part;
  Eigen::Index observation = 0; ///< of its block
  std::optional<double> detectable;
};

/// Those of every block.
std::vector<std::vector<Suspect>> suspects_of(const NetworkResult &r) {
  std::map<std::pair<std::size_t, std::string>, const BlockTest *> tests;
  for (const BlockTest &t : r.adjustment.tests)
    if (!t.observations.empty()) tests.emplace(std::pair(t.block, t.id), &t);
  std::vector<std::vector<Suspect>> out(r.blocks.size());
  for (std::size_t n = 0; n < r.blocks.size(); ++n)
    for (const Block::Part &part : parts_of(*r.blocks[n])) {
      if (is_model(part.kind)) continue;
      const auto t = tests.find({n, part.id});
      for (Eigen::Index i = 0; i < part.count; ++i) {
        Suspect s{part, part.first + i, {}};
        if (t != tests.end() && static_cast<std::size_t>(i) < t->second->observations.size())
          s.detectable = t->second->observations[static_cast<std::size_t>(i)].smallest_detectable;
        out[n].push_back(std::move(s));
      }
    }
  return out;
}

/// What one observation does to a mark: east, north, up and physical height per unit of its error.
struct Effect {
  const Block &block;
  const Suspect &by;
  Eigen::Vector4d unit = Eigen::Vector4d::Zero();

  double in_space() const { return unit.head<3>().norm(); }
  double in_height() const { return std::abs(unit[3]); }
  /// With the smallest error that is found; of 1 where none is.
  UndetectedError error() const {
    const double size = by.detectable.value_or(1);
    return {by.part.id, by.part.kind,          block.components[static_cast<std::size_t>(by.observation)],
            size,       size * unit.head<3>(), size * unit[3]};
  }
};

using Marks = std::vector<std::string>;

/// Tells `take(which, effect)` of every observation that moves one of the marks. What it takes grows with their number
/// times that of the observations.
template <class Take>
void each_effect(const NetworkResult &r, const Followed &followed, const std::vector<std::vector<Suspect>> &suspects,
                 const Marks &marks, Take &&take) {
  NormalEquations::Sides sought(r.adjustment.unknowns, 4 * static_cast<Eigen::Index>(marks.size()));
  Eigen::Index k = 0;
  for (const std::string &m : marks) {
    for (int axis = 0; axis < 3; ++axis) sought.col(k++) = followed.wanted(m, axis, HeightOf::ellipsoid);
    sought.col(k++) = followed.wanted(m, 2, HeightOf::levels);
  }
  followed.along(sought, [&](std::size_t n, const NormalEquations::Sides &gains) {
    for (const Suspect &s : suspects[n])
      for (std::size_t i = 0; i < marks.size(); ++i) {
        const Effect e{*r.blocks[n], s, gains.row(s.observation).segment<4>(4 * static_cast<Eigen::Index>(i))};
        if (e.in_space() >= nothing || e.in_height() >= nothing) take(i, e);
      }
  });
}

/// The largest of a mark in one respect; nothing where an untested observation moves it by more than a thousandth.
class Largest {
public:
  void take(const Effect &e, double unit) {
    constexpr double whole = 1e-3;
    if (!e.by.detectable) {
      open_ = open_ || unit > whole;
      return;
    }
    if (const double size = unit * *e.by.detectable; size > most_) most_ = size, error_ = e.error();
  }
  std::optional<UndetectedError> found() const { return open_ ? std::nullopt : error_; }

private:
  bool open_ = false;
  double most_ = 0;
  std::optional<UndetectedError> error_;
};

LargestUndetected asked_of(const AdjustedMark &m) {
  LargestUndetected out;
  out.has_place = m.plan_known && m.hold != Hold::full, out.has_height = m.height_sd > 0 && m.hold != Hold::height;
  return out;
}

/// Marks that are followed at once: the factor is walked once for all, and what is gathered stays in the cache.
constexpr std::size_t together = 12;

/// Several at a time, on as many threads as there are; each mark's numbers are the same on any of them.
std::vector<LargestUndetected> largest_of(const NetworkResult &r, const Marks &marks) {
  std::vector<Largest> place(marks.size()), height(marks.size());
  const Followed followed(r);
  const auto suspects = suspects_of(r);
  fetch_and_work((marks.size() + together - 1) / together, [](std::size_t batch) { return batch * together; },
                 [&](std::size_t, std::size_t first) {
                   const std::size_t last = std::min(first + together, marks.size());
                   const Marks batch(marks.begin() + static_cast<std::ptrdiff_t>(first),
                                     marks.begin() + static_cast<std::ptrdiff_t>(last));
                   each_effect(r, followed, suspects, batch, [&](std::size_t i, const Effect &e) {
                     place[first + i].take(e, e.in_space()), height[first + i].take(e, e.in_height());
                   });
                 });
  std::vector<LargestUndetected> out(marks.size());
  for (std::size_t i = 0; i < marks.size(); ++i) out[i].place = place[i].found(), out[i].height = height[i].found();
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
  NormalEquations::Sides sought(a.unknowns, 3);
  for (int k = 0; k < 3; ++k) sought.col(k) = followed.wanted(mark, k, HeightOf::ellipsoid);
  followed.along(sought, [&](std::size_t n, const NormalEquations::Sides &gains) {
    const Block &b = *r.blocks[n];
    for (const Block::Part &part : parts_of(b)) {
      double &largest = out[part.id];
      largest = std::max(largest, gains.middleRows(part.first, part.count).cwiseAbs().maxCoeff());
    }
    for (std::size_t i = 0; i < b.unknowns.size(); ++i) {
      const int p = b.unknowns[i];
      if (a.index[static_cast<std::size_t>(p)] >= 0 || !owner.count(p)) continue;
      for (int k = 0; k < 3; ++k)
        held[{owner[p], 3 * p + k}] += gains.col(k).dot(followed.jacobian(n).col(static_cast<Eigen::Index>(i)));
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
  each_effect(r, Followed(r), suspects_of(r), {mark}, [&](std::size_t, const Effect &e) {
    (e.by.detectable ? out.errors : out.unbounded).push_back(e.error());
  });
  const auto larger = [](const UndetectedError &a, const UndetectedError &b) {
    return a.effect_enu.norm() > b.effect_enu.norm();
  };
  std::stable_sort(out.errors.begin(), out.errors.end(), larger);
  std::stable_sort(out.unbounded.begin(), out.unbounded.end(), larger);
  return out;
}

LargestUndetected largest_undetected(const NetworkResult &r, const AdjustedMark &m) {
  if (!r.parameter.count(m.name)) return {};
  LargestUndetected out = asked_of(m);
  if (!out.has_place && !out.has_height) return out;
  const LargestUndetected found = largest_of(r, {m.name}).front();
  if (out.has_place) out.place = found.place;
  if (out.has_height) out.height = found.height;
  return out;
}

std::map<std::string, LargestUndetected> largest_undetected(const NetworkResult &r) {
  std::map<std::string, LargestUndetected> out;
  Marks marks;
  for (const AdjustedMark &m : r.marks) {
    if (m.hold == Hold::full) continue;
    const LargestUndetected &asked = out[m.name] = asked_of(m);
    if (asked.has_place || asked.has_height) marks.push_back(m.name);
  }
  const auto found = largest_of(r, marks);
  for (std::size_t i = 0; i < marks.size(); ++i) {
    LargestUndetected &e = out.at(marks[i]);
    if (e.has_place) e.place = found[i].place;
    if (e.has_height) e.height = found[i].height;
  }
  return out;
}

} // namespace ampletie
