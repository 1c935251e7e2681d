#include "gnss/kinematic/epoch_solver.h"
#include "gnss/static/filter.h"
#include <Eigen/Dense>
#include <cmath>
#include <set>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;
using Kind = SlowKey::Kind;

StaticOptions without_correlation(StaticOptions o) {
  o.correlated_noise = false;
  return o;
}
/// Share of the variance of reflections that the mean over a standstill keeps.
double kept_share(const NoiseModel &noise, double span, double elevation) {
  const double all = noise.total(elevation), lasting = noise.multipath(elevation);
  const double quick = (all - lasting) * std::min(1.0, 30 / (span + 30)) + noise.beyond(span) * all;
  return std::min(1.0, (quick + lasting) / all);
}
constexpr double gate = 5;
/// Within this many seconds what lasts is taken for what it was.
constexpr double near_s = 5;
/// Places worse than this are none, m.
constexpr double worst_place = 50;
} // namespace

struct EpochSolver::Row {
  std::vector<std::pair<Index, double>> h; ///< slow states, by their place
  Vec3 place;
  double y, weight;
  std::size_t group; ///< epoch and system: they share a clock
  int arc, unit;
  SatId sat;
  int band = 0;
  const MovingEpoch *epoch = nullptr;
  const MovingDifference *difference = nullptr;
  bool used = true;
  double left = 0; ///< of the last solution
};

EpochSolver::EpochSolver(const MovingSession &s, const MovingSetting &setting, const StaticOptions &o,
                         const Relations &known)
    : s_(s), setting_(setting), o_(o), unit_of_(units_of(known)), components_(component_count(known)),
      noise_(o, 1, setting.like_receivers), single_(without_correlation(o), 1, setting.like_receivers) {}

/// A checkpoint's inverse serves all epochs that lie near it. Without the ionosphere its delays are open.
const EpochSolver::Told &EpochSolver::told_by(const SlowState &given, GpsTime t, bool ionosphere) {
  const double dt = std::abs(t - given.time);
  const bool near = dt <= near_s;
  if (near)
    for (const Told &x : told_)
      if (x.by == &given && x.ionosphere == ionosphere) return x;
  Told x{near ? &given : nullptr, ionosphere, {}, {}, {}, {}};
  const SlowState *s = &given;
  SlowState moved;
  if (!near) {
    moved = given;
    advance_slow(moved, dt, o_);
    s = &moved;
  }
  std::vector<Index> of;
  for (std::size_t i = 0; i < s->keys.size(); ++i)
    if (ionosphere || s->keys[i].kind != Kind::ionosphere)
      of.push_back(static_cast<Index>(i)), x.keys.push_back(s->keys[i]);
  const MatrixXd whole = s->p.selfadjointView<Eigen::Lower>();
  const MatrixXd p = whole(of, of);
  const Eigen::LLT<MatrixXd> llt(p);
  if (!of.empty() && llt.info() == Eigen::Success) {
    x.information = llt.solve(MatrixXd::Identity(p.rows(), p.cols()));
    x.vector = x.information * s->x(of);
    x.prior = VectorXd(s->prior(of)).cwiseMax(p.diagonal());
  } else
    x.keys.clear();
  if (told_.size() >= 4) told_.erase(told_.begin());
  told_.push_back(std::move(x));
  return told_.back();
}

void EpochSolver::take(const SlowState *before, const SlowState *after, GpsTime t) {
  at_.clear();
  std::vector<Told> both_ways;
  for (const SlowState *s : {before, after})
    // The ionosphere's prior goes with the distance: what one direction knows of it cannot be added to the other's.
    if (s && !s->keys.empty()) both_ways.push_back(told_by(*s, t, both_ways.empty()));
  for (const Told &x : both_ways)
    for (const SlowKey &k : x.keys) at_.try_emplace(k, static_cast<Index>(at_.size()));
  const Index n = static_cast<Index>(at_.size());
  information_ = MatrixXd::Zero(n, n);
  vector_ = VectorXd::Zero(n);
  std::vector<int> told(static_cast<std::size_t>(n), 0);
  VectorXd prior = VectorXd::Zero(n);
  std::vector<Index> to;
  for (const Told &x : both_ways) {
    to.clear();
    for (const SlowKey &k : x.keys) to.push_back(at_.at(k));
    for (std::size_t i = 0; i < to.size(); ++i) {
      const auto row = static_cast<Index>(i);
      vector_[to[i]] += x.vector[row];
      ++told[static_cast<std::size_t>(to[i])];
      prior[to[i]] = std::max(prior[to[i]], x.prior[row]);
      for (std::size_t k = 0; k < to.size(); ++k)
        information_(to[k], to[i]) += x.information(static_cast<Index>(k), row);
    }
  }
  // What was known beforehand is in both directions; it counts once (where too much would be taken off, less is).
  const MatrixXd both = information_;
  for (const double more : {1.0, 1.1, 1.3, 2.0, 8.0, HUGE_VAL}) {
    information_ = both;
    for (Index i = 0; i < n; ++i)
      if (told[static_cast<std::size_t>(i)] == 2 && std::isfinite(prior[i]))
        information_(i, i) -= 1 / (more * prior[i]);
    if (n == 0 || Eigen::LLT<MatrixXd>(information_).info() == Eigen::Success) break;
  }
}

/// Such that the mean over `count` epochs within `span` seconds has the variance that it has.
double EpochSolver::variance(const MovingDifference &d, const MovingRow &r, double count, double span) const {
  if (r.arc < 0) {
    const double all = single_.code(d.sat, d.elevation);
    return count > 1 ? all * count * std::max(1 / count, std::min(1.0, 600 / (span + 600))) : all;
  }
  const double total = noise_.total(d.elevation), white = single_.phase_white(d.elevation) - total;
  return white + d.interpolated * count + (count > 1 ? count * total * kept_share(noise_, span, d.elevation) : total);
}

void EpochSolver::collect(const std::vector<const MovingEpoch *> &epochs, std::vector<Row> &rows,
                          std::vector<SlowKey> &added, bool codes) const {
  const double count = static_cast<double>(epochs.size()), span = epochs.back()->time - epochs.front()->time;
  const Vec3 start = epochs.front()->start;
  std::map<std::pair<std::size_t, char>, std::size_t> groups;
  std::map<SlowKey, Index> more;
  std::vector<MovingRow> list;
  for (std::size_t n = 0; n < epochs.size(); ++n)
    for (const MovingDifference &d : epochs[n]->sats) {
      list.clear();
      rows_of(*epochs[n], d, s_, setting_, o_, unit_of_, list);
      for (const MovingRow &r : list) {
        if (!codes && r.arc < 0) continue;
        Row row{
            {},   r.place, r.y - r.place.dot(start - epochs[n]->start), 0, 0, r.arc, -1, d.sat, r.band, epochs[n], &d,
            true, 0};
        bool known = true;
        for (const auto &[k, h] : r.slow) {
          if (k.kind == Kind::unit) row.unit = k.a;
          auto it = at_.find(k);
          if (it != at_.end()) {
            row.h.emplace_back(it->second, h);
            continue;
          }
          // A real number that nothing tells makes a carrier worthless; what has a prior begins with it.
          if (k.kind == Kind::unit) {
            known = false;
            break;
          }
          const auto [place, fresh] = more.try_emplace(k, static_cast<Index>(at_.size() + more.size()));
          if (fresh) added.push_back(k);
          row.h.emplace_back(place->second, h);
        }
        if (!known) continue;
        row.weight = 1 / variance(d, r, count, span);
        row.group = groups.try_emplace({n, r.system}, groups.size()).first->second;
        rows.push_back(std::move(row));
      }
    }
}

namespace {
/// Normal equations of the slow states and a place; every system's clock at every epoch is free and taken out.
struct Normal {
  MatrixXd m;
  VectorXd v;
  std::vector<double> weight;

  Normal(Index n, std::size_t groups) : m(MatrixXd::Zero(n, n)), v(VectorXd::Zero(n)), weight(groups, 0) {
    sums_.assign(groups, VectorXd::Zero(n)), sum_y_.assign(groups, 0);
  }
  template <class Row> void add(const Row &r) {
    const Index slow = m.rows() - 3;
    weight[r.group] += r.weight, sum_y_[r.group] += r.weight * r.y;
    VectorXd &sum = sums_[r.group];
    for (auto [i, h] : r.h) sum[i] += r.weight * h;
    sum.tail<3>() += r.weight * r.place;
    for (auto [i, h] : r.h) {
      const double wh = r.weight * h;
      for (auto [k, g] : r.h) m(i, k) += wh * g;
      v[i] += wh * r.y;
      for (Index k = 0; k < 3; ++k) m(slow + k, i) += wh * r.place[k], m(i, slow + k) += wh * r.place[k];
    }
    m.bottomRightCorner<3, 3>() += r.weight * r.place * r.place.transpose();
    v.tail<3>() += r.weight * r.y * r.place;
  }
  void free_clocks() {
    for (std::size_t g = 0; g < weight.size(); ++g)
      if (weight[g] > 0) {
        m.selfadjointView<Eigen::Lower>().rankUpdate(sums_[g], -1 / weight[g]);
        v -= sums_[g] * (sum_y_[g] / weight[g]);
      }
  }

private:
  std::vector<VectorXd> sums_;
  std::vector<double> sum_y_;
};
} // namespace

/// What the residuals of a solution say; gives the worst of those beyond the gate, null: none is.
EpochSolver::Row *EpochSolver::judge(std::vector<Row> &rows, const VectorXd &x, const std::vector<double> &weight,
                                     Placed &out) {
  std::vector<double> clock(weight.size(), 0);
  const auto predicted = [&](const Row &r) {
    double p = r.place.dot(x.tail<3>());
    for (auto [i, h] : r.h) p += h * x[i];
    return p;
  };
  for (const Row &r : rows)
    if (r.used) clock[r.group] += r.weight * (r.y - predicted(r)) / weight[r.group];
  double squares = 0, worst = gate * gate;
  int carriers = 0;
  Row *off = nullptr;
  out.misfit = 0;
  for (Row &r : rows) {
    if (!r.used) continue;
    const double e = r.left = r.y - predicted(r) - clock[r.group];
    const double square = e * e * r.weight;
    if (r.arc >= 0) out.misfit += square, squares += e * e, ++carriers;
    if (square > worst) worst = square, off = &r;
  }
  out.rms_m = std::sqrt(squares / std::max(1, carriers));
  out.redundancy = carriers - 3 - static_cast<int>(weight.size());
  return off;
}

Placed EpochSolver::solve(const std::vector<const MovingEpoch *> &epochs, bool codes,
                          std::vector<ResidualSample> *residuals) const {
  constexpr int attempts = 12;
  Placed out;
  if (epochs.empty()) return out;
  std::vector<Row> rows;
  std::vector<SlowKey> added;
  collect(epochs, rows, added, codes);
  if (rows.size() < 4) return out;
  const Index known = static_cast<Index>(at_.size()), slow = known + static_cast<Index>(added.size()), n = slow + 3;
  std::size_t groups = 0;
  for (const Row &r : rows) groups = std::max(groups, r.group + 1);
  const double iono = moving_ionosphere_sd(*epochs.front(), setting_, o_);
  for (int attempt = 0; attempt < attempts; ++attempt) {
    Normal normal(n, groups);
    normal.m.topLeftCorner(known, known) = information_;
    normal.v.head(known) = vector_;
    for (Index i = known; i < slow; ++i) {
      const double prior = prior_variance(added[static_cast<std::size_t>(i - known)], s_, setting_, o_, 2 * iono);
      normal.m(i, i) = prior > 0 ? 1 / prior : 1e-8;
    }
    for (Index i = slow; i < n; ++i) normal.m(i, i) = 1e-8;
    for (const Row &r : rows)
      if (r.used) normal.add(r);
    normal.free_clocks();
    const Eigen::LLT<MatrixXd, Eigen::Lower> llt(normal.m);
    if (llt.info() != Eigen::Success) return out;
    const VectorXd x = llt.solve(normal.v);
    if (Row *off = judge(rows, x, normal.weight, out); off && attempt + 1 < attempts) {
      off->used = false;
      ++out.rejected;
      continue;
    }
    MatrixXd unit = MatrixXd::Zero(n, 3);
    unit.bottomRows<3>().setIdentity();
    out.cov = llt.solve(unit).bottomRows<3>();
    out.cov = (out.cov + out.cov.transpose()).eval() / 2;
    out.own = Mat3(normal.m.bottomRightCorner<3, 3>().selfadjointView<Eigen::Lower>()).inverse();
    out.position = epochs.front()->start + x.tail<3>();
    classify(rows, out);
    if (residuals) tell(rows, *residuals);
    break;
  }
  return out;
}

void EpochSolver::tell(const std::vector<Row> &rows, std::vector<ResidualSample> &out) {
  const MovingDifference *last = nullptr; // the rows of a difference follow one another
  for (const Row &r : rows) {
    if (!r.used || r.arc < 0) continue;
    if (r.difference != last) {
      last = r.difference;
      ResidualSample s;
      s.time = r.epoch->time, s.sat = r.sat;
      s.elevation = static_cast<float>(last->elevation), s.azimuth = static_cast<float>(last->azimuth);
      out.push_back(s);
    }
    out.back().residual[static_cast<std::size_t>(r.band)] = static_cast<float>(r.left);
  }
}

/// Fixed: more differences of whole cycles than the place needs; partly: fewer.
void EpochSolver::classify(const std::vector<Row> &rows, Placed &out) const {
  std::map<int, std::set<SatId>> by_unit;
  std::set<SatId> all;
  bool carriers = false;
  for (const Row &r : rows) {
    if (!r.used) continue;
    all.insert(r.sat);
    if (r.arc < 0) continue;
    carriers = true;
    if (r.unit < components_) by_unit[r.unit].insert(r.sat);
  }
  std::map<char, std::size_t> differences;
  for (const auto &[unit, sats] : by_unit) {
    auto &most = differences[sats.begin()->system];
    most = std::max(most, sats.size() - 1);
  }
  std::size_t fixed = 0;
  for (const auto &[system, count] : differences) fixed += count;
  out.satellites = static_cast<int>(all.size());
  if (std::sqrt(out.cov.trace()) > worst_place)
    out.state = TrackState::none;
  else if (!carriers)
    out.state = TrackState::code;
  else if (fixed >= 4)
    out.state = TrackState::fixed;
  else
    out.state = fixed > 0 ? TrackState::partly_fixed : TrackState::floating;
}

} // namespace ampletie
