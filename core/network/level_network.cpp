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

namespace {
using Meeting = std::map<std::string, std::vector<const NetworkLevel *>>;
using Heights = std::map<std::string, double>;

/// Carries heights from the anchors outwards, so that the numbers of the adjustment stay small.
void carry_heights(const Meeting &meeting, Heights &start) {
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
}

/// The differences as linear observations of small changes of `start`; `index` gives each mark's unknown.
Problem level_problem(const LevelNetworkInput &in, const Heights &start, const std::map<std::string, bool> &fixed,
                      std::map<std::string, int> &index) {
  Problem p;
  for (const auto &[n, still] : fixed) {
    index[n] = static_cast<int>(p.parameters.size());
    p.parameters.push_back({n, 0, still});
  }
  for (const NetworkLevel &l : in.levels) {
    auto b = std::make_unique<LinearBlock>();
    b->id = l.id, b->kind = "level", b->group = "levels";
    b->components = {"height difference"};
    b->unknowns = {index.at(l.from), index.at(l.to)};
    b->a = Eigen::RowVector2d(-1, 1);
    b->observed = Eigen::VectorXd::Constant(1, l.difference - (start.at(l.to) - start.at(l.from)));
    b->covariance = Eigen::MatrixXd::Constant(1, 1, l.sd * l.sd);
    p.blocks.push_back(std::move(b));
  }
  return p;
}

/// What each held height adds to the others' uncertainty: its variance, its influence on the unknowns.
std::vector<std::pair<double, Eigen::VectorXd>> held_influences(const LevelNetworkInput &in, const Meeting &meeting,
                                                                const std::map<std::string, bool> &fixed,
                                                                const std::map<std::string, int> &index,
                                                                const AdjustmentResult &r) {
  std::vector<std::pair<double, Eigen::VectorXd>> held; // variance, influence on the unknowns
  for (const auto &[n, still] : fixed) {
    const auto h = in.held.find(n);
    if (!still || h == in.held.end() || h->second.second <= 0) continue;
    Eigen::VectorXd rhs = Eigen::VectorXd::Zero(r.unknowns);
    for (const NetworkLevel *l : meeting.at(n)) {
      const int u = r.index[static_cast<std::size_t>(index.at(l->from == n ? l->to : l->from))];
      if (u >= 0) rhs[u] += 1 / (l->sd * l->sd);
    }
    held.emplace_back(h->second.second * h->second.second, r.unknowns ? r.normals->solve(rhs) : rhs);
  }
  return held;
}

/// The standard error per kilometre that the residuals show, m; 0: some lengths are not known, or nothing is redundant.
double sd_of_a_kilometre(const LevelNetworkInput &in, const AdjustmentResult &r) {
  if (r.redundancy <= 0) return 0;
  double sum = 0;
  bool lengths = true;
  for (std::size_t k = 0; k < in.levels.size(); ++k) {
    const double v = r.tests[k].observations.front().residual;
    lengths = lengths && in.levels[k].length > 0;
    if (lengths) sum += v * v / (in.levels[k].length / 1000);
  }
  return lengths ? std::sqrt(sum / r.redundancy) : 0;
}
} // namespace

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
  std::map<std::string, double> start;
  std::map<std::string, bool> fixed;
  for (const auto &n : names) {
    const bool is_anchor = anchor.at(groups.root(n)) == n;
    fixed[n] = is_anchor || (in.held.count(n) && !in.minimal);
    if (fixed[n]) start[n] = in.held.count(n) ? in.held.at(n).first : 0;
  }
  std::map<std::string, std::vector<const NetworkLevel *>> meeting;
  for (const NetworkLevel &l : in.levels) meeting[l.from].push_back(&l), meeting[l.to].push_back(&l);
  carry_heights(meeting, start);
  std::map<std::string, int> index;
  const Problem p = level_problem(in, start, fixed, index);
  for (const NetworkLevel &l : in.levels) out.levels.push_back(l.id);
  out.adjustment = adjust(p, in.options, progress);
  const AdjustmentResult &r = out.adjustment;
  const auto held = held_influences(in, meeting, fixed, index, r);
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
  out.sd_km = sd_of_a_kilometre(in, r);
  return out;
}

} // namespace ampletie
