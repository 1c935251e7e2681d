#include "network/network.h"
#include "adjustment/statistics.h"
#include "base/error.h"
#include "network/blocks.h"
#include "network/groups.h"
#include <Eigen/Dense>
#include <algorithm>
#include <fmt/format.h>
#include <numeric>
#include <set>

namespace ampletie {
namespace {

bool holds_plan(Hold h) { return h == Hold::full || h == Hold::plan; }
bool holds_height(Hold h) { return h == Hold::full || h == Hold::height; }

std::string listed(const std::vector<std::string> &names) {
  std::string out;
  for (std::size_t i = 0; i < names.size() && i < 4; ++i) out += (i ? ", " : "") + names[i];
  if (names.size() > 4) out += fmt::format(" and {} more", names.size() - 4);
  return out;
}

/// Which marks stay fixed in a mode: the held ones, or one per group.
std::map<std::string, Hold> effective_holds(const NetworkInput &in) {
  std::map<std::string, Hold> out;
  for (const auto &m : in.marks) out[m.name] = m.hold == Hold::check ? Hold::none : m.hold;
  if (in.mode == DatumMode::held) return out;
  Groups g;
  for (const auto &v : in.vectors) g.join(v.from, v.to);
  // Minimal: the first held mark of every group, else its first mark; only a shift of the group is open.
  std::map<std::string, std::string> chosen;
  for (const auto &m : in.marks)
    if (holds_plan(m.hold) && holds_height(m.hold)) chosen.emplace(g.root(m.name), m.name);
  for (const auto &m : in.marks) chosen.emplace(g.root(m.name), m.name);
  for (auto &[name, h] : out) h = Hold::none;
  for (const auto &[root, name] : chosen) out[name] = Hold::full;
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
}

/// Change of the free unknowns when a fixed parameter moves by one unit, all observations kept.
Eigen::VectorXd influence(const Problem &p, const AdjustmentResult &r, int parameter) {
  Eigen::VectorXd rhs = Eigen::VectorXd::Zero(r.unknowns);
  for (const auto &b : p.blocks) {
    const auto at = std::find(b->unknowns.begin(), b->unknowns.end(), parameter);
    if (at == b->unknowns.end()) continue;
    Eigen::VectorXd values(static_cast<Eigen::Index>(b->unknowns.size())), computed;
    for (std::size_t i = 0; i < b->unknowns.size(); ++i)
      values[static_cast<Eigen::Index>(i)] = r.values[static_cast<std::size_t>(b->unknowns[i])];
    Eigen::MatrixXd a;
    b->evaluate(values, computed, a);
    const Eigen::VectorXd wa = b->covariance.llt().solve(a.col(at - b->unknowns.begin()));
    for (std::size_t i = 0; i < b->unknowns.size(); ++i) {
      const int u = r.index[static_cast<std::size_t>(b->unknowns[i])];
      if (u >= 0) rhs[u] -= a.col(static_cast<Eigen::Index>(i)).dot(wa);
    }
  }
  return r.normals->solve(rhs);
}

struct Built {
  Problem problem;
  std::map<std::string, MarkAxes> axes;
};

Built build(const NetworkInput &in, NetworkResult &out) {
  Built b;
  const auto holds = effective_holds(in);
  auto add = [&](const std::string &name, bool fixed) { b.problem.parameters.push_back({name, 0.0, fixed}); };
  for (const auto &m : in.marks) {
    MarkAxes a;
    a.first = static_cast<int>(b.problem.parameters.size());
    a.origin = m.position.xyz;
    a.axes = local_axes(to_geodetic(a.origin));
    if (!b.axes.emplace(m.name, a).second) throw InputError("the mark " + m.name + " is given twice");
    out.parameter[m.name] = a.first;
    const Hold h = holds.at(m.name);
    add(m.name + " east", holds_plan(h));
    add(m.name + " north", holds_plan(h));
    add(m.name + " up", holds_height(h));
    if (h == Hold::weighted) {
      if (m.published_sd.minCoeff() <= 0)
        throw InputError(m.name + " cannot be weighted: no standard deviations were published for it");
      b.problem.blocks.push_back(
          coordinate_block(m.name, a.first, Vec3::Zero(), m.published_sd.cwiseAbs2().asDiagonal()));
    }
  }
  std::map<std::string, int> set_ups;
  std::set<std::string> in_use;
  for (const auto &v : in.vectors) in_use.insert({v.from_set_up, v.to_set_up});
  if (in.set_up_unknowns)
    for (const auto &s : in.set_ups) {
      if (!in_use.count(s.id)) continue;
      const int first = static_cast<int>(b.problem.parameters.size());
      set_ups[s.id] = first;
      out.set_ups.push_back(s.id);
      for (const char *what : {" centring east", " centring north", " antenna height"}) add(s.id + what, false);
      b.problem.blocks.push_back(set_up_block(s, first));
    }
  std::map<std::string, const NetworkSession *> session_of;
  for (const auto &s : in.sessions)
    for (const auto &id : s.vectors) session_of[id] = &s;
  std::map<const NetworkSession *, std::map<std::string, std::unique_ptr<LinearBlock>>> members;
  for (const auto &v : in.vectors) {
    const auto from = b.axes.find(v.from), to = b.axes.find(v.to);
    if (from == b.axes.end() || to == b.axes.end())
      throw InputError("vector " + v.id + " ends at a mark without a position");
    auto set_up = [&](const std::string &id) {
      const auto it = set_ups.find(id);
      return it == set_ups.end() ? -1 : it->second;
    };
    auto block = vector_block(v, from->second, to->second, set_up(v.from_set_up), set_up(v.to_set_up));
    if (const auto s = session_of.find(v.id); s != session_of.end())
      members[s->second][v.id] = std::move(block);
    else
      b.problem.blocks.push_back(std::move(block));
  }
  for (const auto &[session, own] : members) b.problem.blocks.push_back(session_block(*session, own));
  return b;
}

void accuracy95(const Mat3 &cov, double &plan, double &up) {
  plan = circle95(ellipse(cov.topLeftCorner<2, 2>()));
  up = factor95(1) * std::sqrt(std::max(0.0, cov(2, 2)));
}

std::vector<ControlCheck> check_control(const NetworkInput &in, const Progress &progress) {
  std::vector<ControlCheck> out;
  std::vector<std::size_t> held;
  for (std::size_t i = 0; i < in.marks.size(); ++i)
    if (in.marks[i].hold == Hold::full) held.push_back(i);
  if (held.size() < 2) return out;
  for (std::size_t i : held) {
    // Built from parts: a copy of the input with this one mark released.
    NetworkInput without = in;
    without.marks[i].hold = Hold::none;
    if (!datum_defects(without).empty()) continue;
    NetworkResult r;
    Built b = build(without, r);
    r.adjustment = adjust(b.problem, in.options, progress);
    const int p = r.parameter.at(in.marks[i].name);
    ControlCheck c;
    c.mark = in.marks[i].name;
    for (int k = 0; k < 3; ++k) c.difference_enu[k] = -r.adjustment.values[static_cast<std::size_t>(p + k)];
    Mat3 q = r.adjustment.covariance({p, p + 1, p + 2});
    q += Mat3(in.marks[i].published_sd.cwiseAbs2().asDiagonal());
    // The marks it is predicted from carry their published uncertainty too.
    for (std::size_t o : held) {
      if (o == i) continue;
      for (int k = 0; k < 3; ++k) {
        const Eigen::VectorXd h = influence(b.problem, r.adjustment, r.parameter.at(in.marks[o].name) + k);
        Vec3 own;
        for (int e = 0; e < 3; ++e) own[e] = h[r.adjustment.index[static_cast<std::size_t>(p + e)]];
        const double sd = in.marks[o].published_sd[k];
        q += sd * sd * own * own.transpose();
      }
    }
    c.statistic = c.difference_enu.dot(q.inverse() * c.difference_enu);
    c.limit = chi_squared_quantile(1 - in.options.alpha_single, 3);
    c.passes = c.statistic <= c.limit;
    out.push_back(c);
  }
  return out;
}

} // namespace

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
  for (const auto &v : in.vectors) g.join(v.from, v.to);
  std::map<std::string, std::vector<const NetworkMark *>> groups;
  for (const auto &m : in.marks) groups[g.root(m.name)].push_back(&m);
  for (const auto &[root, members] : groups) {
    bool plan = false, height = false;
    std::vector<std::string> names;
    for (const auto *m : members) {
      const bool weighted = m->hold == Hold::weighted;
      plan = plan || weighted || holds_plan(m->hold);
      height = height || weighted || holds_height(m->hold);
      names.push_back(m->name);
    }
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

NetworkResult adjust_network(const NetworkInput &in, const Progress &progress) {
  check_tags(in);
  const auto defects = datum_defects(in);
  if (!defects.empty()) throw InputError("no datum: " + defects.front());
  if (in.vectors.empty()) throw InputError("there is nothing to adjust: no vectors are used");
  NetworkResult out;
  out.mode = in.mode;
  Built b = build(in, out);
  try {
    out.adjustment = adjust(b.problem, in.options, progress);
  } catch (const SingularError &e) {
    throw InputError("the network is not determined at " +
                     b.problem.parameters[static_cast<std::size_t>(e.unknown)].name);
  }
  const AdjustmentResult &r = out.adjustment;

  // Free: the shift that leaves the datum marks, on the mean, where they were (inner constraints for translations).
  const bool free = in.mode == DatumMode::free;
  std::vector<const NetworkMark *> datum;
  if (free) {
    for (const auto &m : in.marks)
      if (m.hold == Hold::full) datum.push_back(&m);
    if (datum.empty())
      for (const auto &m : in.marks) datum.push_back(&m);
  }
  Vec3 mean_shift = Vec3::Zero();
  Eigen::MatrixXd with_mean; // unknowns × 3: covariance with the mean shift
  Mat3 mean_cov = Mat3::Zero();
  if (free) {
    Eigen::MatrixXd g = Eigen::MatrixXd::Zero(r.unknowns, 3);
    for (const auto *m : datum) {
      const MarkAxes &a = b.axes.at(m->name);
      Vec3 enu;
      for (int k = 0; k < 3; ++k) {
        enu[k] = r.values[static_cast<std::size_t>(a.first + k)];
        const int u = r.index[static_cast<std::size_t>(a.first + k)];
        if (u >= 0) g.row(u) += a.axes.row(k) / static_cast<double>(datum.size());
      }
      mean_shift += a.axes.transpose() * enu / static_cast<double>(datum.size());
    }
    with_mean.resize(r.unknowns, 3);
    for (int k = 0; k < 3; ++k) with_mean.col(k) = r.normals->solve(g.col(k));
    mean_cov = g.transpose() * with_mean;
  }

  // Influence of each held coordinate, for accuracy with respect to the datum.
  struct Held {
    Eigen::VectorXd column;
    int parameter;
    double variance;
  };
  std::vector<Held> held;
  if (in.mode == DatumMode::held)
    for (const auto &m : in.marks) {
      const int p = out.parameter.at(m.name);
      bool any = false, zero = false;
      for (int k = 0; k < 3; ++k) {
        if (r.index[static_cast<std::size_t>(p + k)] >= 0) continue;
        any = true;
        if (m.published_sd[k] <= 0)
          zero = true;
        else
          held.push_back({influence(b.problem, r, p + k), p + k, m.published_sd[k] * m.published_sd[k]});
      }
      if (any && zero) out.zero_sd_held.push_back(m.name);
    }

  std::map<std::string, std::set<std::string>> erections, neighbours;
  for (const auto &v : in.vectors) {
    erections[v.from].insert(v.from_set_up);
    erections[v.to].insert(v.to_set_up);
    neighbours[v.from].insert(v.to);
    neighbours[v.to].insert(v.from);
  }
  for (const auto &m : in.marks) {
    const MarkAxes &a = b.axes.at(m.name);
    AdjustedMark q;
    q.name = m.name;
    q.hold = m.hold;
    Vec3 enu;
    for (int k = 0; k < 3; ++k) enu[k] = r.values[static_cast<std::size_t>(a.first + k)];
    q.cov_enu = r.covariance({a.first, a.first + 1, a.first + 2});
    if (free) {
      enu -= a.axes * mean_shift;
      Mat3 cross = Mat3::Zero(); // cov(enu, mean)
      for (int k = 0; k < 3; ++k) {
        const int u = r.index[static_cast<std::size_t>(a.first + k)];
        if (u >= 0) cross.row(k) = with_mean.row(u);
      }
      cross = (cross * a.axes.transpose()).eval();
      q.cov_enu += -cross - cross.transpose() + a.axes * mean_cov * a.axes.transpose();
    }
    q.shift_enu = enu;
    q.position = {a.origin + a.axes.transpose() * enu, m.position.frame, m.position.epoch};
    q.network_cov_enu = q.cov_enu;
    for (const Held &h : held) {
      Vec3 own = Vec3::Zero();
      for (int k = 0; k < 3; ++k) {
        const int u = r.index[static_cast<std::size_t>(a.first + k)];
        own[k] = u >= 0 ? h.column[u] : (a.first + k == h.parameter ? 1.0 : 0.0);
      }
      q.network_cov_enu += h.variance * own * own.transpose();
    }
    accuracy95(q.network_cov_enu, q.network_plan95, q.network_up95);
    int n = 0;
    for (const auto &other : neighbours[m.name]) {
      const MarkAxes &o = b.axes.at(other);
      const Eigen::MatrixXd joint =
          r.covariance({a.first, a.first + 1, a.first + 2, o.first, o.first + 1, o.first + 2});
      Eigen::Matrix<double, 3, 6> d;
      d << Mat3::Identity(), Mat3(-(a.axes * o.axes.transpose()));
      double plan, up;
      accuracy95(d * joint * d.transpose(), plan, up);
      q.local_plan95 += plan;
      q.local_up95 += up;
      ++n;
    }
    if (n) q.local_plan95 /= n, q.local_up95 /= n;
    q.set_ups = static_cast<int>(erections[m.name].size());
    q.independent_checks = std::max(0, q.set_ups - 1);
    out.marks.push_back(std::move(q));
  }
  if (in.mode == DatumMode::held) out.control = check_control(in, progress);
  out.blocks = std::move(b.problem.blocks);
  return out;
}

std::map<std::string, double> influences_on(const NetworkResult &r, const std::string &mark) {
  std::map<std::string, double> out;
  const AdjustmentResult &a = r.adjustment;
  const int first = r.parameter.at(mark);
  std::map<int, std::string> owner;
  for (const auto &[name, p] : r.parameter)
    for (int k = 0; k < 3; ++k) owner[p + k] = name;
  std::map<std::pair<std::string, int>, double> held;
  for (int k = 0; k < 3; ++k) {
    const int u = a.index[static_cast<std::size_t>(first + k)];
    if (u < 0) continue;
    const Eigen::VectorXd q = a.normals->solve(Eigen::VectorXd::Unit(a.unknowns, u));
    for (const auto &b : r.blocks) {
      Eigen::VectorXd values(static_cast<Eigen::Index>(b->unknowns.size())), computed;
      for (std::size_t i = 0; i < b->unknowns.size(); ++i)
        values[static_cast<Eigen::Index>(i)] = a.values[static_cast<std::size_t>(b->unknowns[i])];
      Eigen::MatrixXd j;
      b->evaluate(values, computed, j);
      Eigen::VectorXd own = Eigen::VectorXd::Zero(j.rows()); // A q
      for (std::size_t i = 0; i < b->unknowns.size(); ++i)
        if (const int c = a.index[static_cast<std::size_t>(b->unknowns[i])]; c >= 0)
          own += j.col(static_cast<Eigen::Index>(i)) * q[c];
      const Eigen::VectorXd gain = b->covariance.llt().solve(own);
      std::vector<Block::Part> parts = b->parts;
      if (parts.empty()) parts.push_back({b->id, b->kind, 0, gain.size()});
      for (const Block::Part &part : parts) {
        double &largest = out[part.id];
        largest = std::max(largest, gain.segment(part.first, part.count).cwiseAbs().maxCoeff());
      }
      for (std::size_t i = 0; i < b->unknowns.size(); ++i) {
        const int p = b->unknowns[i];
        if (a.index[static_cast<std::size_t>(p)] < 0 && owner.count(p))
          held[{owner[p], 3 * p + k}] += gain.dot(j.col(static_cast<Eigen::Index>(i)));
      }
    }
  }
  for (const auto &[key, sum] : held) {
    double &largest = out["held " + key.first];
    largest = std::max(largest, std::abs(sum));
  }
  // Rounding leaves some 1e-12 where nothing passes.
  std::erase_if(out, [](const auto &e) { return e.second < 1e-9; });
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
