#include "network/level_network.h"
#include "base/error.h"
#include "network/groups.h"
#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <deque>
#include <set>

namespace ampletie {

const LevelNetworkMark *LevelNetworkResult::find(const std::string &mark) const {
  for (const LevelNetworkMark &m : marks)
    if (m.name == mark) return &m;
  return nullptr;
}

LevelNetworkResult adjust_levels(const LevelNetworkInput &in, const Progress &progress) {
  if (in.levels.empty()) throw InputError("there is nothing to adjust: no levelled differences are used");
  LevelNetworkResult out;
  Groups groups;
  std::set<std::string> names;
  for (const NetworkLevel &l : in.levels) {
    if (!(l.sd > 0))
      throw InputError("the levelled difference " + l.from + " to " + l.to + " has no standard deviation");
    groups.join(l.from, l.to);
    names.insert({l.from, l.to});
  }
  std::map<std::string, std::string> anchor; // group → the first held mark in it
  for (const auto &n : names)
    if (in.held.count(n)) anchor.emplace(groups.root(n), n);
  std::set<std::string> relative;
  // Where nothing holds a height, heights count from where the first line of a group begins, as its book does.
  for (const NetworkLevel &l : in.levels)
    if (anchor.emplace(groups.root(l.from), l.from).second) relative.insert(groups.root(l.from));
  // Heights from the anchors outwards, so that the numbers of the adjustment stay small.
  std::map<std::string, double> start;
  std::map<std::string, bool> fixed;
  for (const auto &n : names) {
    const bool is_anchor = anchor.at(groups.root(n)) == n;
    fixed[n] = is_anchor || (in.held.count(n) && !in.minimal);
    if (fixed[n]) start[n] = in.held.count(n) ? in.held.at(n).first : 0;
  }
  std::map<std::string, std::vector<const NetworkLevel *>> meeting;
  for (const NetworkLevel &l : in.levels) meeting[l.from].push_back(&l), meeting[l.to].push_back(&l);
  std::deque<std::string> reached;
  for (const auto &[n, h] : start) reached.push_back(n);
  for (; !reached.empty(); reached.pop_front()) {
    const std::string &n = reached.front();
    const double h = start.at(n);
    for (const NetworkLevel *l : meeting.at(n)) {
      const std::string &other = l->from == n ? l->to : l->from;
      if (start.emplace(other, l->from == n ? h + l->difference : h - l->difference).second) reached.push_back(other);
    }
  }
  Problem p;
  std::map<std::string, int> index;
  for (const auto &n : names) {
    index[n] = static_cast<int>(p.parameters.size());
    p.parameters.push_back({n, 0, fixed[n]});
  }
  for (const NetworkLevel &l : in.levels) {
    auto b = std::make_unique<LinearBlock>();
    b->id = l.id, b->kind = "level", b->group = "levels";
    b->components = {"height difference"};
    b->unknowns = {index[l.from], index[l.to]};
    b->a = Eigen::RowVector2d(-1, 1);
    b->observed = Eigen::VectorXd::Constant(1, l.difference - (start[l.to] - start[l.from]));
    b->covariance = Eigen::MatrixXd::Constant(1, 1, l.sd * l.sd);
    p.blocks.push_back(std::move(b));
    out.levels.push_back(l.id);
  }
  out.adjustment = adjust(p, in.options, progress);
  const AdjustmentResult &r = out.adjustment;
  // What each held height adds to the others' uncertainty.
  std::vector<std::pair<double, Eigen::VectorXd>> held; // variance, influence on the unknowns
  for (const auto &n : names) {
    const auto h = in.held.find(n);
    if (!fixed[n] || h == in.held.end() || h->second.second <= 0) continue;
    Eigen::VectorXd rhs = Eigen::VectorXd::Zero(r.unknowns);
    for (const NetworkLevel *l : meeting.at(n)) {
      const int u = r.index[static_cast<std::size_t>(index[l->from == n ? l->to : l->from])];
      if (u >= 0) rhs[u] += 1 / (l->sd * l->sd);
    }
    held.emplace_back(h->second.second * h->second.second, r.unknowns ? r.normals->solve(rhs) : rhs);
  }
  for (const auto &n : names) {
    LevelNetworkMark m;
    m.name = n;
    const int i = index[n], u = r.index[static_cast<std::size_t>(i)];
    m.height = start[n] + r.values[static_cast<std::size_t>(i)];
    m.held = fixed[n] && in.held.count(n) > 0;
    m.relative = relative.count(groups.root(n)) > 0;
    double variance = u >= 0 ? r.covariance(i, i) : 0;
    if (u >= 0)
      for (const auto &[v, influence] : held) variance += v * influence[u] * influence[u];
    else if (m.held)
      variance = in.held.at(n).second * in.held.at(n).second;
    m.sd = std::sqrt(variance);
    m.sections = static_cast<int>(meeting.at(n).size());
    out.marks.push_back(std::move(m));
  }
  if (r.redundancy > 0) {
    double sum = 0;
    bool lengths = true;
    for (std::size_t k = 0; k < in.levels.size(); ++k) {
      const double v = r.tests[k].observations.front().residual;
      lengths = lengths && in.levels[k].length > 0;
      if (lengths) sum += v * v / (in.levels[k].length / 1000);
    }
    if (lengths) out.sd_km = std::sqrt(sum / r.redundancy);
  }
  return out;
}

} // namespace ampletie
