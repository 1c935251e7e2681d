#include "gnss/static/session_solution.h"
#include "base/error.h"
#include "gnss/static/filter.h"
#include <Eigen/Dense>
#include <set>

namespace ampletie {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;

DifferencedSession differenced(const OccupationModel &base, const SessionLeg &l, const StaticOptions &o) {
  return difference(l.base ? *l.base : base, *l.rover, l.options ? *l.options : o, l.left_out, l.solved->breaks);
}

FilterLeg filter_leg(const OccupationModel &base, const SessionLeg &l, const DifferencedSession &data) {
  return {&data, l.rover->marker - base.marker, l.rover->height - base.height,
          !base.receiver.empty() && base.receiver == l.rover->receiver, l.solved->noise};
}

/// How the accepted integers of a leg act on its estimate: with `coefficients` G, x −= P Gᵀ S⁻¹ (G a − z).
struct HeldIntegers {
  MatrixXd g, pg;
  Eigen::LDLT<MatrixXd> s;
  HeldIntegers(const SessionFilter::Estimate &e, std::size_t leg, std::size_t arcs, const AcceptedIntegers &a) {
    const Index m = a.coefficients.cols(), first = e.first_of_leg[leg];
    if (m != static_cast<Index>(arcs))
      throw InputError("the arcs of a session and of its vectors differ: solve the vectors again");
    g = a.coefficients.cast<double>();
    pg = e.p.middleCols(first, m) * g.transpose();
    MatrixXd v = g * pg.middleRows(first, m);
    v.diagonal().array() += 1e-12;
    s.compute(v);
  }
  void hold(SessionFilter::Estimate &e, std::size_t leg, const AcceptedIntegers &a) const {
    e.x -= pg * s.solve(g * e.x.segment(e.first_of_leg[leg], g.cols()) - a.values.cast<double>());
    e.p -= pg * s.solve(pg.transpose());
  }
};

/// Adds what a session cannot show of itself; half of it belongs to the base.
void add_type_b(SessionSolution &out, const OccupationModel &base, const std::vector<SessionLeg> &legs,
                const Orbits &orbits, const StaticOptions &o) {
  std::vector<Mat3> extra;
  for (const SessionLeg &l : legs) extra.push_back(type_b(base, *l.rover, orbits, o, l.solved->satellites));
  for (std::size_t k = 0; k < legs.size(); ++k)
    for (std::size_t l = 0; l < legs.size(); ++l)
      out.cov.block<3, 3>(static_cast<Index>(3 * k), static_cast<Index>(3 * l)) +=
          k == l ? extra[k] : Mat3(0.25 * (extra[k] + extra[l]));
}

/// One leg by itself, with what it took from the common sources.
struct LegAlone {
  Vec3 d;
  Mat3 cov;
  double fit;
  CommonShare share;
  std::vector<std::pair<CarrierArc, Vec3>> constants, drifts;
};

LegAlone solve_alone(const OccupationModel &base, const SessionLeg &l, const DifferencedSession &data,
                     const StaticOptions &o, const std::vector<GpsTime> &times, const Progress &progress) {
  const FilterLeg leg = filter_leg(base, l, data);
  FilterTape tape;
  SessionFilter filter({leg}, o, &tape);
  filter.run(progress, times);
  auto e = filter.estimate();
  // The vector's weights on the states of the end: itself, and by the integers the arcs.
  Eigen::MatrixX3d on_estimate = Eigen::MatrixX3d::Zero(e.x.size(), 3);
  on_estimate.topRows<3>().setIdentity();
  const AcceptedIntegers &a = l.solved->integers;
  if (a.values.size() > 0) {
    const HeldIntegers held(e, 0, data.arcs.size(), a);
    on_estimate.middleRows(e.first_arc, held.g.cols()) -=
        held.g.transpose() * held.s.solve(held.pg.topRows<3>().transpose());
    held.hold(e, 0, a);
  }
  Eigen::MatrixX3d weights = Eigen::MatrixX3d::Zero(filter.states(), 3);
  for (std::size_t i = 0; i < e.stands.size(); ++i)
    if (e.stands[i] >= 0) weights.row(e.stands[i]) = on_estimate.row(static_cast<Index>(i));
  LegAlone out;
  for (const auto &c : filter.arc_constants())
    out.constants.emplace_back(data.arcs[static_cast<std::size_t>(c.arc)],
                               c.sd * on_estimate.row(e.first_arc + c.arc).transpose());
  out.share = common_share(tape, std::move(weights), leg.start.normalized());
  for (const auto &[arc, by] : out.share.drifts) out.drifts.emplace_back(data.arcs[static_cast<std::size_t>(arc)], by);
  out.d = leg.start + e.x.head<3>();
  out.cov = (e.p.topLeftCorner<3, 3>() + e.p.topLeftCorner<3, 3>().transpose()) / 2;
  out.fit = filter.fit();
  return out;
}

/// Covariances between legs: products of what a common source did to each.
void add_common(MatrixXd &cov, const std::vector<LegAlone> &legs) {
  const auto size = static_cast<Index>(3 * legs.size());
  MatrixXd between = MatrixXd::Zero(size, size);
  std::vector<std::size_t> at(legs.size(), 0);
  constexpr Index width = 512;
  for (bool more = true; more;) {
    MatrixXd block = MatrixXd::Zero(size, width);
    Index column = 0;
    for (; column < width; ++column) {
      const CommonShare::Value *next = nullptr;
      for (std::size_t k = 0; k < legs.size(); ++k)
        if (const auto &v = legs[k].share.values; at[k] < v.size() && (!next || v[at[k]].order() < next->order()))
          next = &v[at[k]];
      if (!next) break;
      const auto order = next->order();
      for (std::size_t k = 0; k < legs.size(); ++k)
        if (const auto &v = legs[k].share.values; at[k] < v.size() && v[at[k]].order() == order)
          block.col(column).segment<3>(static_cast<Index>(3 * k)) = v[at[k]++].by.cast<double>();
    }
    more = column == width;
    between.selfadjointView<Eigen::Lower>().rankUpdate(block.leftCols(column));
  }
  for (std::size_t k = 0; k < legs.size(); ++k)
    for (std::size_t l = 0; l < k; ++l) {
      Mat3 c = between.block<3, 3>(static_cast<Index>(3 * k), static_cast<Index>(3 * l));
      for (auto part : {&LegAlone::constants, &LegAlone::drifts})
        for (const auto &[arc, by] : legs[k].*part)
          for (const auto &[other, theirs] : legs[l].*part)
            if (const double share = common_of_arcs(arc, other); share > 0) c += share * by * theirs.transpose();
      cov.block<3, 3>(static_cast<Index>(3 * k), static_cast<Index>(3 * l)) = c;
      cov.block<3, 3>(static_cast<Index>(3 * l), static_cast<Index>(3 * k)) = c.transpose();
    }
}

} // namespace

SessionSolution solve_jointly(const OccupationModel &base, const std::vector<SessionLeg> &legs, const Orbits &orbits,
                              const StaticOptions &o, const Progress &progress) {
  SessionSolution out;
  std::vector<DifferencedSession> data;
  std::vector<FilterLeg> filter_legs;
  std::size_t epochs = 0;
  for (const SessionLeg &l : legs) {
    data.push_back(differenced(base, l, o));
    epochs = std::max(epochs, data.back().epochs.size());
  }
  const auto n = legs.size();
  // The work grows with the cube of the number of receivers: longer windows keep it near that of three of them.
  if (n > 2 && epochs > 60) {
    const double interval = data.front().interval;
    out.window_s = std::min(n > 4 ? 180.0 : 120.0, interval * std::floor(static_cast<double>(epochs) / 20));
    if (out.window_s > interval)
      for (DifferencedSession &s : data) s = normal_points(s, out.window_s);
    else
      out.window_s = 0;
  }
  for (std::size_t k = 0; k < n; ++k) filter_legs.push_back(filter_leg(base, legs[k], data[k]));
  SessionFilter filter(filter_legs, o);
  filter.run(progress);
  auto e = filter.estimate();
  out.model_fit = filter.fit();
  // Hold what was accepted, leg by leg.
  for (std::size_t k = 0; k < n; ++k) {
    progress.check();
    const AcceptedIntegers &a = legs[k].solved->integers;
    if (a.values.size() > 0) HeldIntegers(e, k, data[k].arcs.size(), a).hold(e, k, a);
  }
  const auto size = static_cast<Index>(3 * n);
  out.cov = e.p.topLeftCorner(size, size);
  out.cov = ((out.cov + out.cov.transpose()) / 2).eval();
  for (std::size_t k = 0; k < n; ++k) out.d.push_back(filter_legs[k].start + e.x.segment<3>(static_cast<Index>(3 * k)));
  add_type_b(out, base, legs, orbits, o);
  return out;
}

SessionSolution solve_by_legs(const OccupationModel &base, const std::vector<SessionLeg> &legs, const Orbits &orbits,
                              const StaticOptions &o, const Progress &progress) {
  SessionSolution out;
  // One grid of time for all, short enough to hold what each epoch did to each leg.
  constexpr int most_epochs = 120;
  int epochs = 0;
  double interval = 0;
  for (const SessionLeg &l : legs) {
    epochs = std::max(epochs, l.solved->epochs);
    interval = std::max(interval, l.solved->interval_s);
  }
  if (epochs > most_epochs) out.window_s = interval * std::ceil(static_cast<double>(epochs) / most_epochs);
  std::vector<DifferencedSession> data;
  std::set<GpsTime> all;
  for (const SessionLeg &l : legs) {
    progress.check();
    data.push_back(differenced(base, l, o));
    if (out.window_s > 0) data.back() = normal_points(data.back(), out.window_s);
    for (const DifferenceEpoch &e : data.back().epochs) all.insert(e.time);
  }
  const std::vector<GpsTime> times(all.begin(), all.end());
  std::vector<LegAlone> solved;
  double fit = 0;
  for (std::size_t k = 0; k < legs.size(); ++k) {
    solved.push_back(solve_alone(base, legs[k], data[k], o, times, progress));
    fit += solved.back().fit / static_cast<double>(legs.size());
    data[k] = {};
  }
  out.model_fit = fit;
  const auto size = static_cast<Index>(3 * legs.size());
  out.cov = MatrixXd::Zero(size, size);
  for (std::size_t k = 0; k < legs.size(); ++k) {
    out.d.push_back(solved[k].d);
    out.cov.block<3, 3>(static_cast<Index>(3 * k), static_cast<Index>(3 * k)) = solved[k].cov;
  }
  add_common(out.cov, solved);
  add_type_b(out, base, legs, orbits, o);
  return out;
}

SessionSolution solve_session(const OccupationModel &base, const std::vector<SessionLeg> &legs, const Orbits &orbits,
                              const StaticOptions &options, const Progress &progress) {
  if (legs.empty()) throw InputError("a session needs a base and at least one rover");
  return (legs.size() > legs_in_one_filter ? solve_by_legs : solve_jointly)(base, legs, orbits, options, progress);
}

} // namespace ampletie
