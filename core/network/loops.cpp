#include "network/loops.h"
#include "adjustment/statistics.h"
#include "base/hash.h"
#include "network/groups.h"
#include <Eigen/Dense>
#include <algorithm>
#include <optional>
#include <queue>
#include <set>

namespace ampletie {
namespace {

struct Step {
  const NetworkVector *vector;
  int sign;
};

class Closures {
public:
  Closures(const NetworkInput &in, const LoopLimits &limits)
      : limits_(limits), statistic_limit_(chi_squared_quantile(1 - limits.alpha, 3)) {
    for (const auto &m : in.marks) axes_[m.name] = local_axes(to_geodetic(m.position.xyz));
    for (const auto &s : in.setups) setups_[s.id] = s.sd_enu, antennas_[s.id] = s.antenna;
    calibration_ = in.calibration_sd;
    for (const auto &s : in.sessions)
      for (std::size_t i = 0; i < s.vectors.size(); ++i) place_[s.vectors[i]] = {&s, static_cast<Eigen::Index>(3 * i)};
  }

  Loop close(std::vector<Step> steps, bool propagate) const {
    // The same loop, whoever finds it, begins at its first mark and runs to the smaller neighbour.
    turn(steps);
    Loop l;
    Mat3 cov = Mat3::Zero();
    Vec3 sum = Vec3::Zero();
    std::set<std::string> sessions;
    int new_setups = 0;
    std::string key;
    for (std::size_t i = 0; i < steps.size(); ++i) {
      const auto &[v, sign] = steps[i];
      l.marks.push_back(sign > 0 ? v->from : v->to);
      l.vectors.push_back(v->id);
      l.signs.push_back(sign);
      sum += sign * v->d;
      l.length += v->d.norm();
      sessions.insert(v->session);
      for (std::size_t k = 0; k < steps.size(); ++k) cov += sign * steps[k].sign * covariance(*v, *steps[k].vector);
      const auto &next = steps[(i + 1) % steps.size()];
      const std::string &here = sign > 0 ? v->to_setup : v->from_setup,
                        &there = next.sign > 0 ? next.vector->from_setup : next.vector->to_setup;
      if (here == there) continue;
      ++new_setups;
      const Mat3 &axes = axes_.at(sign > 0 ? v->to : v->from);
      for (const auto *id : {&here, &there})
        if (const auto s = setups_.find(*id); s != setups_.end())
          cov += axes.transpose() * Mat3(s->second.cwiseAbs2().asDiagonal()) * axes;
      // Two calibrations at one mark; what they have in common with other marks of the loop is left out: on the safe
      // side within a site, where the axes are alike.
      const auto a = antennas_.find(here), z = antennas_.find(there);
      if (a != antennas_.end() && z != antennas_.end() && a->second != z->second && !a->second.empty() &&
          !z->second.empty())
        cov += 2 * axes.transpose() * Mat3(calibration_.cwiseAbs2().asDiagonal()) * axes;
    }
    std::vector<std::string> sorted = l.vectors;
    std::sort(sorted.begin(), sorted.end());
    for (const auto &id : sorted) key += id;
    l.id = content_id("l", key);
    if (steps.size() == 2) l.length /= 2; // two vectors between the same marks: the limit is that of one
    const Mat3 &axes = axes_.at(l.marks.front());
    l.misclosure = sum;
    l.misclosure_enu = axes * sum;
    l.cov_enu = axes * cov * axes.transpose();
    l.limit_m = limits_.mm * 1e-3 + limits_.ppm * 1e-6 * l.length;
    l.check = new_setups ? LoopCheck::full : sessions.size() > 1 ? LoopCheck::same_setups : LoopCheck::none;
    if (propagate) {
      l.statistic = l.misclosure_enu.dot(l.cov_enu.ldlt().solve(l.misclosure_enu));
      l.statistic_limit = statistic_limit_;
    }
    return l;
  }

private:
  static std::string start(const Step &s) { return s.sign > 0 ? s.vector->from : s.vector->to; }
  static void turn(std::vector<Step> &steps) {
    std::size_t first = 0;
    for (std::size_t i = 1; i < steps.size(); ++i)
      if (start(steps[i]) < start(steps[first])) first = i;
    std::rotate(steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(first), steps.end());
    const bool back =
        steps.size() == 2 ? steps.back().vector->id < steps.front().vector->id : start(steps.back()) < start(steps[1]);
    if (!back) return;
    std::reverse(steps.begin(), steps.end());
    for (Step &s : steps) s.sign = -s.sign;
  }
  Mat3 covariance(const NetworkVector &a, const NetworkVector &b) const {
    const auto x = place_.find(a.id), y = place_.find(b.id);
    if (x != place_.end() && y != place_.end())
      return x->second.first == y->second.first
                 ? Mat3(x->second.first->cov.block<3, 3>(x->second.second, y->second.second))
                 : Mat3(Mat3::Zero());
    return a.id == b.id ? a.cov : Mat3(Mat3::Zero());
  }

  LoopLimits limits_;
  double statistic_limit_;
  std::map<std::string, Mat3> axes_;
  std::map<std::string, Vec3> setups_;
  std::map<std::string, std::string> antennas_;
  Vec3 calibration_ = Vec3::Zero();
  std::map<std::string, std::pair<const NetworkSession *, Eigen::Index>> place_;
};

/// What a chain runs through: marks, or inside a session set-ups.
using Node = const std::string &(*)(const NetworkVector &v, bool from);
const std::string &mark_node(const NetworkVector &v, bool from) { return from ? v.from : v.to; }
const std::string &setup_node(const NetworkVector &v, bool from) { return from ? v.from_setup : v.to_setup; }

/// Shortest chain, by the number of vectors and then their length, between two nodes over the edges given.
std::vector<Step> shortest(const std::map<std::string, std::vector<Step>> &edges, Node node, const std::string &from,
                           const std::string &to, const std::set<const NetworkVector *> &without) {
  using Cost = std::pair<int, double>;
  std::map<std::string, Cost> best{{from, {0, 0.0}}};
  std::map<std::string, Step> by;
  std::priority_queue<std::pair<Cost, std::string>, std::vector<std::pair<Cost, std::string>>, std::greater<>> open;
  open.push({{0, 0.0}, from});
  while (!open.empty()) {
    const auto [cost, here] = open.top();
    open.pop();
    if (cost > best.at(here)) continue;
    if (here == to) break;
    const auto out = edges.find(here);
    if (out == edges.end()) continue;
    for (const Step &s : out->second) {
      if (without.count(s.vector)) continue;
      const std::string &there = node(*s.vector, s.sign < 0);
      const Cost next{cost.first + 1, cost.second + s.vector->d.norm()};
      const auto known = best.find(there);
      if (known != best.end() && known->second <= next) continue;
      best[there] = next;
      by.insert_or_assign(there, s);
      open.push({next, there});
    }
  }
  std::vector<Step> out;
  if (!best.count(to)) return out;
  for (std::string at = to; at != from;) {
    const Step s = by.at(at);
    out.push_back(s);
    at = node(*s.vector, s.sign > 0);
  }
  std::reverse(out.begin(), out.end());
  return out;
}

std::map<std::string, std::vector<Step>> edges_of(const std::vector<const NetworkVector *> &vectors, Node node) {
  std::map<std::string, std::vector<Step>> out;
  for (const NetworkVector *v : vectors) {
    out[node(*v, true)].push_back({v, 1});
    out[node(*v, false)].push_back({v, -1});
  }
  return out;
}

double worst(const Loop &l) {
  return std::max(l.statistic_limit > 0 ? std::sqrt(l.statistic / l.statistic_limit) : 0,
                  l.misclosure_enu.norm() / std::max(1e-9, l.limit_m));
}

} // namespace

std::string Loop::name() const {
  std::string out;
  for (const auto &m : marks) out += (out.empty() ? "" : " – ") + m;
  return out;
}

std::string loop_check_name(LoopCheck c) {
  switch (c) {
  case LoopCheck::none:
    return "no check";
  case LoopCheck::same_setups:
    return "same set-ups";
  case LoopCheck::full:
    return "check";
  }
  return "";
}

namespace {
/// Closures of the vectors that the network uses: repeated ones, then one loop for each beyond a spanning tree of the
/// short ones. With `stop_at_failure` nothing when one of them fails its propagated limit.
std::optional<std::vector<Loop>> close_used(const Closures &closures, const std::vector<NetworkVector> &vectors,
                                            bool stop_at_failure) {
  std::vector<Loop> out;
  std::set<std::string> seen;
  bool failed = false;
  const auto add = [&](Loop l) {
    failed = failed || !l.within_propagated();
    if (seen.insert(l.id).second) out.push_back(std::move(l));
  };
  std::vector<const NetworkVector *> all;
  for (const auto &v : vectors) all.push_back(&v);
  std::sort(all.begin(), all.end(), [](const auto *a, const auto *b) { return a->id < b->id; });
  std::map<std::pair<std::string, std::string>, std::vector<const NetworkVector *>> pairs;
  for (const auto *v : all) pairs[std::minmax(v->from, v->to)].push_back(v);
  std::vector<const NetworkVector *> single; // the first between each two marks
  for (auto &[ends, list] : pairs) {
    std::stable_sort(list.begin(), list.end(), [](const auto *a, const auto *b) { return a->epoch < b->epoch; });
    for (std::size_t i = 1; i < list.size(); ++i)
      add(closures.close({{list[i - 1], 1}, {list[i], list[i]->from == list[i - 1]->from ? -1 : 1}}, true));
    if (failed && stop_at_failure) return {};
    single.push_back(list.front());
  }
  std::stable_sort(single.begin(), single.end(),
                   [](const auto *a, const auto *b) { return a->d.squaredNorm() < b->d.squaredNorm(); });
  Groups joined;
  const auto edges = edges_of(single, mark_node);
  for (const auto *v : single) {
    if (joined.join(v->from, v->to)) continue;
    std::vector<Step> chain = shortest(edges, mark_node, v->to, v->from, {v});
    if (chain.empty()) continue;
    chain.push_back({v, 1});
    add(closures.close(std::move(chain), true));
    if (failed && stop_at_failure) return {};
  }
  return out;
}
} // namespace

std::vector<Loop> find_loops(const NetworkInput &in, const std::vector<NetworkVector> &dependent,
                             const LoopLimits &limits) {
  const Closures closures(in, limits);
  std::vector<Loop> out = *close_used(closures, in.vectors, false);
  std::set<std::string> seen;
  for (const Loop &l : out) seen.insert(l.id);
  // Inside a session: what a dependent vector says against the chain that is used.
  std::map<std::string, std::vector<const NetworkVector *>> by_session;
  for (const auto &v : in.vectors) by_session[v.session].push_back(&v);
  std::map<std::string, std::map<std::string, std::vector<Step>>> edges;
  for (auto &[session, own] : by_session) {
    std::sort(own.begin(), own.end(), [](const auto *a, const auto *b) { return a->id < b->id; });
    edges[session] = edges_of(own, setup_node);
  }
  for (const NetworkVector &v : dependent) {
    std::vector<Step> chain = shortest(edges[v.session], setup_node, v.to_setup, v.from_setup, {});
    if (chain.empty()) continue;
    chain.push_back({&v, 1});
    // What it shares with the others is not known, so only the plain limit can be applied.
    Loop l = closures.close(std::move(chain), false);
    l.check = LoopCheck::none;
    if (seen.insert(l.id).second) out.push_back(std::move(l));
  }
  std::vector<std::pair<double, std::size_t>> order;
  for (std::size_t i = 0; i < out.size(); ++i) order.emplace_back(-worst(out[i]), i);
  std::sort(order.begin(), order.end(), [&](const auto &a, const auto &b) {
    return std::tie(a.first, out[a.second].id) < std::tie(b.first, out[b.second].id);
  });
  std::vector<Loop> sorted;
  for (const auto &[badness, i] : order) sorted.push_back(std::move(out[i]));
  return sorted;
}

namespace {
/// Another antenna height of one set-up: its size by least squares from all closures, and what it leaves of them.
std::optional<LoopCause> height_cause(const NetworkSetup &s, const Mat3 &mark_axes,
                                      const std::vector<const Loop *> &judged,
                                      const std::vector<std::vector<const NetworkVector *>> &vectors,
                                      const std::map<std::string, Mat3> &axes, double limit) {
  // A height error moves a closure by ± the vertical of the mark, unless the loop enters and leaves by this set-up.
  std::vector<std::pair<std::size_t, Vec3>> moved;
  double numerator = 0, denominator = 0, left = 0;
  for (std::size_t k = 0; k < judged.size(); ++k) {
    const Loop &l = *judged[k];
    int sign = 0;
    for (std::size_t i = 0; i < l.vectors.size(); ++i) {
      if (vectors[k][i]->to_setup == s.id) sign += l.signs[i];
      if (vectors[k][i]->from_setup == s.id) sign -= l.signs[i];
    }
    if (sign == 0) {
      left = std::max(left, l.statistic / limit);
      if (left > 1) return {}; // one that it does not touch fails
      continue;
    }
    const Vec3 e = sign * (axes.at(l.marks.front()) * mark_axes.row(2).transpose());
    const Vec3 q = l.cov_enu.ldlt().solve(e);
    numerator += q.dot(l.misclosure_enu);
    denominator += q.dot(e);
    moved.emplace_back(k, e);
  }
  if (denominator <= 0) return {};
  // The vector to a marker is short by what the antenna height was keyed in too large.
  const double size = numerator / denominator;
  for (const auto &[k, e] : moved) {
    const Vec3 m = judged[k]->misclosure_enu - size * e;
    left = std::max(left, m.dot(judged[k]->cov_enu.ldlt().solve(m)) / limit);
  }
  if (left > 1) return {};
  return LoopCause{LoopCause::Kind::height, s.id, "", size, 1 / std::sqrt(denominator), left};
}
} // namespace

std::vector<LoopCause> explain_loops(const NetworkInput &in, const std::vector<Loop> &loops, const LoopLimits &limits) {
  const double limit = chi_squared_quantile(1 - limits.alpha, 3);
  std::vector<const Loop *> judged;
  bool failing = false;
  for (const Loop &l : loops)
    if (l.statistic_limit > 0) judged.push_back(&l), failing = failing || !l.within_propagated();
  std::vector<LoopCause> out;
  if (!failing) return out;
  std::map<std::string, const NetworkVector *> by_id;
  for (const auto &v : in.vectors) by_id[v.id] = &v;
  std::map<std::string, Mat3> axes;
  for (const auto &m : in.marks) axes[m.name] = local_axes(to_geodetic(m.position.xyz));

  std::vector<std::vector<const NetworkVector *>> chains;
  for (const Loop *l : judged) {
    chains.emplace_back();
    for (const auto &id : l->vectors) chains.back().push_back(by_id.at(id));
  }
  for (const NetworkSetup &s : in.setups)
    if (const auto a = axes.find(s.mark); a != axes.end())
      if (auto c = height_cause(s, a->second, judged, chains, axes, limit)) out.push_back(*c);
  // Other names: the ends of the vectors change places, and everything is closed again.
  std::map<std::string, std::set<std::string>> by_session; // session → set-ups
  std::map<std::string, std::string> mark_of;
  for (const auto &v : in.vectors) {
    by_session[v.session].insert({v.from_setup, v.to_setup});
    mark_of[v.from_setup] = v.from, mark_of[v.to_setup] = v.to;
  }
  const Closures all_closures(in, limits);
  int tries = 0;
  auto attempt = [&](LoopCause c, const std::map<std::string, std::string> &names, std::size_t closures) {
    if (++tries > 500) return;
    std::vector<NetworkVector> other = in.vectors;
    for (NetworkVector &v : other) {
      if (const auto n = names.find(v.from_setup); n != names.end()) v.from = n->second;
      if (const auto n = names.find(v.to_setup); n != names.end()) v.to = n->second;
      if (v.from == v.to) return;
    }
    const auto found = close_used(all_closures, other, true);
    if (!found) return;
    std::set<std::string> closed;
    for (const Loop &l : *found) {
      c.left = std::max(c.left, l.statistic / limit);
      for (const auto &id : l.vectors) closed.insert({by_id.at(id)->from_setup, by_id.at(id)->to_setup});
    }
    // Fewer closures would be an easy way to pass: those that are named must be among what closes.
    const bool proven =
        std::all_of(names.begin(), names.end(), [&](const auto &n) { return closed.count(n.first) > 0; });
    if (proven && found->size() >= closures) out.push_back(std::move(c));
  };
  std::set<std::string> suspected;
  for (const Loop *l : judged)
    if (!l->within_propagated())
      for (const auto &id : l->vectors) suspected.insert({by_id.at(id)->from_setup, by_id.at(id)->to_setup});
  std::set<std::pair<std::string, std::string>> tried;
  for (const auto &[session, ids] : by_session)
    for (const auto &a : ids)
      for (const auto &b : ids)
        if (a < b && mark_of[a] != mark_of[b] && (suspected.count(a) || suspected.count(b)) &&
            tried.insert({a, b}).second)
          attempt({LoopCause::Kind::swapped, a, b, 0, 0, 0}, {{a, mark_of[b]}, {b, mark_of[a]}}, judged.size());
  for (const auto &a : suspected)
    for (const auto &m : in.marks)
      if (m.name != mark_of[a])
        attempt({LoopCause::Kind::renamed, a, m.name, 0, 0, 0}, {{a, m.name}},
                judged.size() > 1 ? judged.size() - 1 : 1);
  std::sort(out.begin(), out.end(), [](const auto &x, const auto &y) {
    return std::tuple(x.left, x.setup, x.other) < std::tuple(y.left, y.setup, y.other);
  });
  return out;
}

} // namespace ampletie
