#include "network/network.h"
#include "adjustment/statistics.h"
#include "base/error.h"
#include "network/groups.h"
#include "network/problem.h"
#include <Eigen/Dense>
#include <algorithm>
#include <fmt/format.h>
#include <numeric>
#include <set>

namespace ampletie {
namespace {

std::string listed(const std::vector<std::string> &names) {
  std::string out;
  for (std::size_t i = 0; i < names.size() && i < 4; ++i) out += (i ? ", " : "") + names[i];
  if (names.size() > 4) out += fmt::format(" and {} more", names.size() - 4);
  return out;
}

void check_tags(const NetworkInput &in) {
  if (in.marks.empty()) throw InputError("there is nothing to adjust: no mark has a position yet");
  const TaggedPoint &first = in.marks.front().position;
  for (const auto &m : in.marks)
    if (!(m.position.frame == first.frame) || std::abs(m.position.epoch - first.epoch) > 1e-6)
      throw InputError(fmt::format(
          "{} is given in {} at {:.3f}, {} in {} at {:.3f}: the adjustment does not mix frames or epochs", m.name,
          frame_name(m.position.frame), m.position.epoch, in.marks.front().name, frame_name(first.frame), first.epoch));
  for (const auto &v : in.vectors)
    if (!(v.frame == first.frame))
      throw InputError(fmt::format("vector {} is in {}, the marks in {}: the adjustment does not mix frames", v.id,
                                   frame_name(v.frame), frame_name(first.frame)));
    else if (std::abs(v.epoch - first.epoch) > 1e-6)
      throw InputError(fmt::format("vector {} is at {:.3f}, the marks at {:.3f}: the adjustment does not mix epochs",
                                   v.id, v.epoch, first.epoch));
}

/// Values of a mark's east, north, up.
Vec3 enu_of(const MarkAxes &a, const AdjustmentResult &r) {
  const MarkMap m = enu_map(a);
  Vec3 out = Vec3::Zero();
  for (std::size_t i = 0; i < m.parameters.size(); ++i)
    out += m.rows.col(static_cast<Eigen::Index>(i)) * r.values[static_cast<std::size_t>(m.parameters[i])];
  return out;
}
/// One row and column to a row of the map.
Eigen::MatrixXd covariance_of(const MarkMap &m, const AdjustmentResult &r) {
  return m.rows * r.covariance(m.parameters) * m.rows.transpose();
}
/// How a mark follows a change of the free unknowns given as a column, and of one fixed parameter.
Eigen::VectorXd follow(const MarkMap &m, const AdjustmentResult &r, const Eigen::VectorXd &column, int fixed) {
  Eigen::VectorXd out = Eigen::VectorXd::Zero(m.rows.rows());
  for (std::size_t i = 0; i < m.parameters.size(); ++i) {
    const int u = r.index[static_cast<std::size_t>(m.parameters[i])];
    out += m.rows.col(static_cast<Eigen::Index>(i)) * (u >= 0 ? column[u] : m.parameters[i] == fixed ? 1.0 : 0.0);
  }
  return out;
}

void accuracy95(const Mat3 &cov, int degrees, double &plan, double &up) {
  plan = circle95(ellipse(cov.topLeftCorner<2, 2>()), degrees);
  up = factor95(1, degrees) * std::sqrt(std::max(0.0, cov(2, 2)));
}

/// What the equations say of held parameters: how the free unknowns follow each by one unit, all observations kept,
/// −N_ff⁻¹ N_fh; the equations with those eliminated, C = N_hh − N_hf N_ff⁻¹ N_fh; and what the observations pull, g.
/// With them any held mark is released without adjusting anew.
struct HeldEquations {
  std::map<int, Eigen::Index> place; ///< parameter → its column
  Eigen::MatrixXd follow, reduced;
  Eigen::VectorXd pull;
};
HeldEquations held_equations(const NetworkInput &in, const Problem &p, const NetworkResult &out) {
  const AdjustmentResult &r = out.adjustment;
  HeldEquations e;
  for (const NetworkMark &m : in.marks)
    for (int k = 0; k < 3; ++k)
      if (const int i = out.parameter.at(m.name) + k;
          r.index[static_cast<std::size_t>(i)] < 0 && (k == 2 || m.plan_known))
        e.place.emplace(i, 0);
  const auto n = static_cast<Eigen::Index>(e.place.size());
  Eigen::Index next = 0;
  for (auto &[parameter, column] : e.place) column = next++;
  e.reduced = Eigen::MatrixXd::Zero(n, n), e.pull = Eigen::VectorXd::Zero(n);
  Eigen::MatrixXd across = Eigen::MatrixXd::Zero(r.unknowns, n);
  for (const auto &b : p.blocks) {
    std::vector<std::pair<Eigen::Index, Eigen::Index>> own; // column of the block, of the held parameters
    for (std::size_t i = 0; i < b->unknowns.size(); ++i)
      if (const auto h = e.place.find(b->unknowns[i]); h != e.place.end())
        own.emplace_back(static_cast<Eigen::Index>(i), h->second);
    if (own.empty()) continue;
    Eigen::VectorXd computed;
    Eigen::MatrixXd a;
    evaluate_at(*b, r, computed, a);
    const auto weight = b->covariance.llt();
    const Eigen::VectorXd misclosure = weight.solve(b->observed - computed);
    const Eigen::MatrixXd wa = weight.solve(a);
    for (const auto &[column, h] : own) {
      e.pull[h] += a.col(column).dot(misclosure);
      for (const auto &[other, k] : own) e.reduced(h, k) += a.col(column).dot(wa.col(other));
      for (std::size_t i = 0; i < b->unknowns.size(); ++i)
        if (const int u = r.index[static_cast<std::size_t>(b->unknowns[i])]; u >= 0)
          across(u, h) += a.col(static_cast<Eigen::Index>(i)).dot(wa.col(column));
    }
  }
  e.follow.resize(r.unknowns, n);
  for (Eigen::Index k = 0; k < n; ++k) e.follow.col(k) = -r.normals->solve(across.col(k));
  e.reduced += across.transpose() * e.follow;
  return e;
}

/// Each held mark predicted from all others: released, it moves by δ = C_ii⁻¹ g_i, and with the others by −C_ii⁻¹ C_io.
/// Of a mark known by its physical height that is compared.
std::vector<ControlCheck> check_control(const NetworkInput &in, const HeldEquations &e, const NetworkResult &all,
                                        const Progress &progress) {
  std::vector<ControlCheck> out;
  std::vector<const NetworkMark *> held;
  for (const NetworkMark &m : in.marks)
    if (m.hold == Hold::full) held.push_back(&m);
  if (held.size() < 2) return out;
  const auto first = [&](const NetworkMark &m) {
    return e.place.at(all.parameter.at(m.name));
  }; // east; the others follow
  NetworkInput without = in;
  for (std::size_t i = 0; i < held.size(); ++i) {
    progress.check();
    NetworkMark &released = without.marks[static_cast<std::size_t>(held[i] - in.marks.data())];
    released.hold = Hold::none;
    const bool determined = datum_defects(without).empty();
    released.hold = Hold::full;
    const Eigen::Index at = first(*held[i]);
    const Eigen::LLT<Mat3> own(e.reduced.block<3, 3>(at, at));
    if (!determined || own.info() != Eigen::Success) continue;
    ControlCheck c;
    c.mark = held[i]->name;
    c.difference_enu = -own.solve(Vec3(e.pull.segment<3>(at)));
    Mat3 q = own.solve(Mat3::Identity());
    q += Mat3(held[i]->published_sd.cwiseAbs2().asDiagonal());
    // The marks it is predicted from carry their published uncertainty too.
    for (std::size_t o = 0; o < held.size(); ++o) {
      if (o == i) continue;
      const Mat3 follows = own.solve(Mat3(e.reduced.block<3, 3>(at, first(*held[o]))));
      q += follows * held[o]->published_sd.cwiseAbs2().asDiagonal() * follows.transpose();
    }
    c.statistic = c.difference_enu.dot(q.inverse() * c.difference_enu);
    c.limit = chi_squared_quantile(1 - in.options.alpha_single, 3);
    c.passes = c.statistic <= c.limit;
    out.push_back(c);
  }
  return out;
}

} // namespace

bool is_angle(std::string_view kind) {
  return kind == "direction" || kind == "zenith angle" || kind == "azimuth" || kind == "azimuth constant";
}

std::string hold_name(Hold h) {
  switch (h) {
  case Hold::none:
    return "none";
  case Hold::plan:
    return "plan";
  case Hold::height:
    return "height";
  case Hold::full:
    return "full";
  case Hold::weighted:
    return "weighted";
  case Hold::check:
    return "check";
  }
  return "";
}

std::string datum_mode_name(DatumMode m) {
  return m == DatumMode::held ? "held" : m == DatumMode::minimal ? "minimal" : "free";
}

std::vector<std::string> datum_defects(const NetworkInput &in) {
  if (in.mode != DatumMode::held) return {};
  std::vector<std::string> out;
  Groups g;
  std::set<std::string> with_vectors;
  for (const auto &v : in.vectors) with_vectors.insert({v.from, v.to});
  join_marks(g, in);
  std::set<std::string> with_azimuth;
  for (const auto &s : in.stations)
    for (const auto &t : s.sights)
      if (std::isfinite(t.azimuth)) with_azimuth.insert(g.root(s.mark));
  Groups by_height = g;
  for (const auto &l : in.levels) by_height.join(l.from, l.to);
  std::set<std::string> with_height;
  for (const auto &m : in.marks)
    if (m.hold == Hold::weighted || holds_height(m.hold)) with_height.insert(by_height.root(m.name));
  std::map<std::string, std::vector<const NetworkMark *>> groups;
  for (const auto &m : in.marks) groups[g.root(m.name)].push_back(&m);
  for (const auto &[root, members] : groups) {
    // Levels bring heights from one group of vectors to another; marks that only they lead to need no plan.
    bool plan = !members.front()->plan_known, height = with_height.count(by_height.root(root)) > 0;
    std::vector<std::string> names;
    for (const auto *m : members) {
      const bool weighted = m->hold == Hold::weighted;
      plan = plan || weighted || holds_plan(m->hold);
      height = height || weighted || holds_height(m->hold);
      names.push_back(m->name);
    }
    // Sights alone turn around a single mark; vectors bring the bearing with them.
    const auto in_plan = std::count_if(members.begin(), members.end(), [](const NetworkMark *m) {
      return m->hold == Hold::weighted || holds_plan(m->hold);
    });
    if (plan && height && members.size() > 1 && in_plan < 2 && members.front()->plan_known &&
        !with_azimuth.count(root) &&
        std::none_of(members.begin(), members.end(), [&](const auto *m) { return with_vectors.count(m->name) > 0; }))
      out.push_back(fmt::format(
          "{} hang on one held mark by sights alone: hold a second one, which gives the bearing, or measure an azimuth",
          listed(names)));
    if (plan && height) continue;
    const std::string what = plan ? "in height" : height ? "in plan" : "to no held mark";
    if (plan || height)
      out.push_back(fmt::format("{} {} held {} nowhere: hold one of them {}", listed(names),
                                names.size() == 1 ? "is" : "are", what, what));
    else
      out.push_back(fmt::format("{} {} connected {}: hold one of them, or use a vector that leads to a held mark",
                                listed(names), names.size() == 1 ? "is" : "are", what));
  }
  return out;
}

namespace {
/// How many ways over levels, no difference used twice, lead from a mark to marks whose heights are held or come from
/// vectors; at most three are sought. A mark in the middle of a spur has two differences and one way.
class LevelWays {
public:
  explicit LevelWays(const NetworkInput &in) {
    for (const NetworkLevel &l : in.levels) {
      const std::size_t e = ends_.size();
      ends_.push_back({l.from, l.to});
      at_[l.from].push_back(e), at_[l.to].push_back(e);
    }
    for (const NetworkMark &m : in.marks)
      if (m.plan_known || m.hold == Hold::weighted || holds_height(m.hold)) known_.insert(m.name);
  }
  int from(const std::string &mark) const {
    std::map<std::size_t, std::string> flow; // difference → the mark that it is walked from
    int ways = 0;
    while (ways < 3 && augment(mark, flow)) ++ways;
    return ways;
  }

private:
  bool augment(const std::string &mark, std::map<std::size_t, std::string> &flow) const {
    std::map<std::string, std::pair<std::string, std::size_t>> came; // mark → (mark before, difference)
    std::vector<std::string> queue{mark};
    for (std::size_t i = 0; i < queue.size(); ++i) {
      const std::string here = queue[i];
      if (here != mark && known_.count(here)) {
        for (std::string x = here; x != mark;) {
          const auto [before, e] = came.at(x);
          if (flow.count(e))
            flow.erase(e);
          else
            flow[e] = before;
          x = before;
        }
        return true;
      }
      const auto list = at_.find(here);
      if (list == at_.end()) continue;
      for (std::size_t e : list->second) {
        const std::string &there = ends_[e].first == here ? ends_[e].second : ends_[e].first;
        const auto used = flow.find(e);
        if (there == mark || came.count(there) || (used != flow.end() && used->second == here)) continue;
        came[there] = {here, e};
        queue.push_back(there);
      }
    }
    return false;
  }
  std::vector<std::pair<std::string, std::string>> ends_;
  std::map<std::string, std::vector<std::size_t>> at_;
  std::set<std::string> known_;
};
} // namespace

namespace {
/// Free: the shift that leaves the datum marks, on the mean, where they were (inner constraints for translations).
struct MeanShift {
  Vec3 mean = Vec3::Zero();
  Eigen::MatrixXd with_unknowns; ///< unknowns × 3: covariance with the shift
  Mat3 cov = Mat3::Zero();
};
MeanShift mean_shift(const NetworkInput &in, const NetworkProblem &b, const AdjustmentResult &r) {
  std::vector<const NetworkMark *> datum;
  for (const auto &m : in.marks)
    if (m.hold == Hold::full) datum.push_back(&m);
  if (datum.empty())
    for (const auto &m : in.marks) datum.push_back(&m);
  MeanShift out;
  Eigen::MatrixXd g = Eigen::MatrixXd::Zero(r.unknowns, 3);
  for (const auto *m : datum) {
    const MarkAxes &a = b.axes.at(m->name);
    const MarkMap map = enu_map(a);
    for (std::size_t i = 0; i < map.parameters.size(); ++i) {
      const int u = r.index[static_cast<std::size_t>(map.parameters[i])];
      if (u >= 0)
        g.row(u) += (a.axes.transpose() * map.rows.col(static_cast<Eigen::Index>(i))).transpose() /
                    static_cast<double>(datum.size());
    }
    out.mean += a.axes.transpose() * enu_of(a, r) / static_cast<double>(datum.size());
  }
  out.with_unknowns.resize(r.unknowns, 3);
  for (int k = 0; k < 3; ++k) out.with_unknowns.col(k) = r.normals->solve(g.col(k));
  out.cov = g.transpose() * out.with_unknowns;
  return out;
}

/// Influence of a held coordinate on the unknowns, for accuracy with respect to the datum.
struct HeldInfluence {
  Eigen::VectorXd column;
  int parameter;
  double variance;
};
std::vector<HeldInfluence> held_influences(const NetworkInput &in, const HeldEquations &e, NetworkResult &out) {
  std::vector<HeldInfluence> held;
  for (const auto &m : in.marks) {
    bool zero = false;
    for (int k = 0; k < 3; ++k) {
      const auto h = e.place.find(out.parameter.at(m.name) + k);
      if (h == e.place.end()) continue;
      if (m.published_sd[k] <= 0)
        zero = true;
      else
        held.push_back({e.follow.col(h->second), h->first, m.published_sd[k] * m.published_sd[k]});
    }
    if (zero) out.zero_sd_held.push_back(m.name);
  }
  return held;
}

/// What each mark is connected with, and by what.
struct Connections {
  std::map<std::string, std::set<std::string>> erections, sighted, neighbours; ///< set-ups of vectors; marks; marks
  std::map<std::string, int> levelled;
};
Connections connections(const NetworkInput &in) {
  Connections out;
  for (const auto &v : in.vectors) {
    out.erections[v.from].insert(v.from_setup);
    out.erections[v.to].insert(v.to_setup);
    out.neighbours[v.from].insert(v.to);
    out.neighbours[v.to].insert(v.from);
  }
  for (const auto &s : in.stations)
    for (const auto &t : s.sights) {
      out.sighted[s.mark].insert(t.to), out.sighted[t.to].insert(s.mark);
      out.neighbours[s.mark].insert(t.to), out.neighbours[t.to].insert(s.mark);
    }
  for (const auto &l : in.levels) {
    ++out.levelled[l.from], ++out.levelled[l.to];
    out.neighbours[l.from].insert(l.to);
    out.neighbours[l.to].insert(l.from);
  }
  return out;
}

/// The geoid's correction at a mark, and the standard deviation of its physical height.
void geoid_at(const MarkAxes &a, const AdjustmentResult &r, double height_variance, AdjustedMark &q) {
  q.height_sd = std::sqrt(std::max(0.0, height_variance));
  MarkMap s;
  s.rows = Eigen::MatrixXd::Zero(1, static_cast<Eigen::Index>(a.surface.size()));
  for (std::size_t i = 0; i < a.surface.size(); ++i) {
    s.parameters.push_back(a.surface[i].first);
    s.rows(0, static_cast<Eigen::Index>(i)) = a.surface[i].second;
    q.geoid_correction += a.surface[i].second * r.values[static_cast<std::size_t>(a.surface[i].first)];
  }
  q.geoid_correction_sd = std::sqrt(std::max(0.0, covariance_of(s, r)(0, 0)));
}

AdjustedMark adjusted_mark(const NetworkMark &m, const NetworkProblem &b, const AdjustmentResult &r,
                           const MeanShift *shift, const std::vector<HeldInfluence> &held, int geoid_nodes,
                           int scale_degrees) {
  const MarkAxes &a = b.axes.at(m.name);
  AdjustedMark q;
  q.name = m.name;
  q.hold = m.hold;
  q.plan_known = m.plan_known;
  const MarkMap map = enu_map(a);
  Vec3 enu = enu_of(a, r);
  q.cov_enu = covariance_of(map, r);
  if (shift) {
    enu -= a.axes * shift->mean;
    Mat3 cross = Mat3::Zero(); // cov(enu, mean)
    for (std::size_t i = 0; i < map.parameters.size(); ++i)
      if (const int u = r.index[static_cast<std::size_t>(map.parameters[i])]; u >= 0)
        cross += map.rows.col(static_cast<Eigen::Index>(i)) * shift->with_unknowns.row(u);
    cross = (cross * a.axes.transpose()).eval();
    q.cov_enu += -cross - cross.transpose() + a.axes * shift->cov * a.axes.transpose();
  }
  q.shift_enu = enu;
  q.position = {a.origin + a.axes.transpose() * enu, m.position.frame, m.position.epoch};
  q.network_cov_enu = q.cov_enu;
  const bool with_heights = geoid_nodes > 0;
  const MarkMap height = height_map(a);
  double height_variance = with_heights ? covariance_of(height, r)(0, 0) : 0;
  for (const HeldInfluence &h : held) {
    const Vec3 own = follow(map, r, h.column, h.parameter);
    q.network_cov_enu += h.variance * own * own.transpose();
    if (with_heights) {
      const double up = follow(height, r, h.column, h.parameter)[0];
      height_variance += h.variance * up * up;
    }
  }
  if (with_heights) geoid_at(a, r, height_variance, q);
  accuracy95(q.network_cov_enu, scale_degrees, q.network_plan95, q.network_up95);
  return q;
}

/// The mean 95 % accuracy of a mark to those that it is connected with.
void local_accuracy(const NetworkProblem &b, const AdjustmentResult &r, const std::set<std::string> &neighbours,
                    int scale_degrees, AdjustedMark &q) {
  const MarkAxes &a = b.axes.at(q.name);
  const MarkMap map = enu_map(a);
  int n = 0;
  for (const auto &other : neighbours) {
    const MarkAxes &o = b.axes.at(other);
    const MarkMap theirs = enu_map(o);
    std::vector<int> both = map.parameters;
    both.insert(both.end(), theirs.parameters.begin(), theirs.parameters.end());
    Eigen::MatrixXd d(3, static_cast<Eigen::Index>(both.size()));
    d << map.rows, -(a.axes * o.axes.transpose()) * theirs.rows;
    double plan, up;
    accuracy95(d * r.covariance(both) * d.transpose(), scale_degrees, plan, up);
    q.local_plan95 += plan;
    q.local_up95 += up;
    ++n;
  }
  if (n) q.local_plan95 /= n, q.local_up95 /= n;
}

/// Orientation, refraction and plumb line of every set-up of a total station; constants of azimuths.
void station_results(const NetworkInput &in, const NetworkProblem &b, NetworkResult &out) {
  const AdjustmentResult &r = out.adjustment;
  for (auto &[id, s] : out.stations) {
    const StationUnknowns &u = b.stations.at(id);
    const auto value = [&](int p) { return p < 0 ? 0.0 : r.values[static_cast<std::size_t>(p)]; };
    const auto own = std::find_if(in.stations.begin(), in.stations.end(), [&](const auto &x) { return x.id == id; });
    s.orientation = value(u.orientation);
    s.k = own->k + value(u.refraction);
    s.k_sd = u.refraction < 0 ? own->k_sd : std::sqrt(r.covariance(u.refraction, u.refraction));
    s.deflection = own->deflection;
    if (u.deflection >= 0)
      s.deflection += Eigen::Vector2d(value(u.deflection), value(u.deflection + u.deflection_step));
  }
  for (const auto &[instrument, p] : b.azimuths)
    out.azimuth_constants[instrument] = {r.values[static_cast<std::size_t>(p)], std::sqrt(r.covariance(p, p)), 0};
  for (const NetworkStation &s : in.stations)
    if (const auto it = out.azimuth_constants.find(s.instrument); it != out.azimuth_constants.end())
      for (const NetworkSight &t : s.sights) it->second.azimuths += std::isfinite(t.azimuth) && !t.geodetic_azimuth;
}
} // namespace

namespace {
/// What a block observed, in words.
std::string observation_name(const NetworkInput &in, const Block &b) {
  for (const NetworkVector &v : in.vectors)
    if (v.id == b.id) return "the vector " + v.from + " → " + v.to;
  for (const NetworkLevel &l : in.levels)
    if (l.id == b.id) return "the levels " + l.from + " – " + l.to;
  for (const NetworkStation &s : in.stations) {
    if (s.id == b.id) return "the set-up on " + s.mark;
    for (const NetworkSight &t : s.sights)
      if (t.id == b.id) return "the " + b.kind + " " + s.mark + " → " + t.to;
  }
  return b.kind + " " + b.id;
}
} // namespace

namespace {
/// How the groups that may be turned turned out.
std::vector<NetworkResult::TurnResult> turn_results(const NetworkProblem &b, const AdjustmentResult &r) {
  std::vector<NetworkResult::TurnResult> out;
  for (const auto &[group, first] : b.turns) {
    NetworkResult::TurnResult t;
    t.group = group;
    const auto sd = [&](int parameter) { return std::sqrt(std::max(0.0, r.covariance(parameter, parameter))); };
    for (int i = 0; i < 3; ++i) {
      t.rotation[i] = r.values[static_cast<std::size_t>(first + i)];
      t.rotation_sd[i] = sd(first + i);
    }
    t.scale = r.values[static_cast<std::size_t>(first + 3)], t.scale_sd = sd(first + 3);
    out.push_back(std::move(t));
  }
  return out;
}
} // namespace

NetworkResult adjust_network(const NetworkInput &in, const Progress &progress) {
  check_tags(in);
  const auto defects = datum_defects(in);
  if (!defects.empty()) throw InputError("no datum: " + defects.front());
  if (in.vectors.empty() && in.levels.empty() && in.stations.empty())
    throw InputError("there is nothing to adjust: no vectors, no levels and no sights are used");
  NetworkResult out;
  out.mode = in.mode;
  NetworkProblem b = build_problem(in, out);
  try {
    out.adjustment = adjust(b.problem, in.options, progress);
  } catch (const SingularError &e) {
    throw InputError("the network is not determined at " +
                     b.problem.parameters[static_cast<std::size_t>(e.unknown)].name);
  } catch (const ConvergenceError &e) {
    throw InputError("the adjustment does not converge: look first at " +
                     observation_name(in, *b.problem.blocks[e.block]) +
                     ", which fits worst, and at where the marks begin");
  }
  const AdjustmentResult &r = out.adjustment;
  if (in.estimated_scale) out.scale_degrees = std::max(0, r.redundancy);
  std::optional<MeanShift> shift;
  if (in.mode == DatumMode::free) shift = mean_shift(in, b, r);
  std::vector<HeldInfluence> held;
  HeldEquations equations;
  if (in.mode == DatumMode::held) {
    equations = held_equations(in, b.problem, out);
    held = held_influences(in, equations, out);
  }
  Connections c = connections(in);
  const LevelWays ways(in);
  for (const auto &m : in.marks) {
    AdjustedMark q = adjusted_mark(m, b, r, shift ? &*shift : nullptr, held, out.geoid_nodes, out.scale_degrees);
    local_accuracy(b, r, c.neighbours[m.name], out.scale_degrees, q);
    q.levels = c.levelled[m.name];
    q.setups = static_cast<int>(c.erections[m.name].size());
    // A set-up fixes a mark, and so does a way over levels in height.
    q.sighted_from = static_cast<int>(c.sighted[m.name].size());
    q.independent_checks = std::max(0, (m.plan_known ? q.setups + q.sighted_from : ways.from(m.name)) - 1);
    out.marks.push_back(std::move(q));
  }
  station_results(in, b, out);
  out.turns = turn_results(b, r);
  if (in.mode == DatumMode::held) out.control = check_control(in, equations, out, progress);
  out.blocks = std::move(b.problem.blocks);
  return out;
}

std::vector<std::string> independent_vectors(std::vector<SessionVector> session) {
  std::sort(session.begin(), session.end(), [](const auto &a, const auto &b) {
    return std::tuple(!a.together, !a.trusted, a.length, a.id) < std::tuple(!b.together, !b.trusted, b.length, b.id);
  });
  Groups g;
  std::vector<std::string> out;
  for (const auto &v : session) {
    if (g.join(v.from, v.to)) out.push_back(v.id);
  }
  std::sort(out.begin(), out.end());
  return out;
}

} // namespace ampletie
