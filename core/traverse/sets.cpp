#include "traverse/sets.h"
#include "base/angle.h"
#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <boost/math/distributions/normal.hpp>
#include <fmt/format.h>
#include <map>

namespace ampletie {

double positive_angle(double a) {
  a = std::fmod(a, 2 * pi);
  return a < 0 ? a + 2 * pi : a;
}
double small_angle(double a) {
  a = std::fmod(a, 2 * pi);
  return a > pi ? a - 2 * pi : a <= -pi ? a + 2 * pi : a;
}

std::string pointing_kind_name(PointingKind k) {
  return k == PointingKind::orientation ? "orientation" : k == PointingKind::control ? "control" : "detail";
}

const TargetMean *SetReduction::find(const std::string &target) const {
  for (const TargetMean &t : targets)
    if (t.target == target) return &t;
  return nullptr;
}

namespace {

/// Mean of angles that lie close together.
double mean_angle(const std::vector<double> &all) {
  double sum = 0;
  for (double a : all) sum += small_angle(a - all.front());
  return all.front() + sum / static_cast<double>(all.size());
}
double mean(const std::vector<double> &all) {
  double sum = 0;
  for (double a : all) sum += a;
  return sum / static_cast<double>(all.size());
}

/// What the range of n equally good means may be, in standard deviations of one of them.
double range_factor(int n) {
  if (n < 2) return 0;
  const double pairs = n * (n - 1) / 2.0;
  const boost::math::normal standard;
  return std::sqrt(2.0) * boost::math::quantile(boost::math::complement(standard, 0.001 / (2 * pairs)));
}

FaceMean mean_of_faces(const StationSetup &s, int set, const std::string &target) {
  FaceMean out;
  out.set = set, out.target = target;
  std::vector<double> direction[2], zenith[2], slope;
  bool reduced = false;
  for (std::size_t i = 0; i < s.pointings.size(); ++i) {
    const Pointing &p = s.pointings[i];
    if (!p.used || p.set != set || p.target != target) continue;
    out.pointings.push_back(i);
    const int f = p.face == 2;
    if (std::isfinite(p.circle)) direction[f].push_back(p.circle - (f ? pi : 0));
    if (std::isfinite(p.zenith)) zenith[f].push_back(f ? 2 * pi - p.zenith : p.zenith);
    if (std::isfinite(p.slope)) slope.push_back(p.slope);
    reduced = reduced || p.reduced;
    if (p.direction_sd > 0) out.direction_sd = p.direction_sd;
  }
  if (!direction[0].empty() && !direction[1].empty()) {
    const double one = mean_angle(direction[0]), two = mean_angle(direction[1]);
    out.collimation = small_angle(two - one) / 2;
    out.direction = positive_angle(one + out.collimation);
    out.both_faces = true;
  } else if (!direction[0].empty() || !direction[1].empty())
    out.direction = positive_angle(mean_angle(direction[direction[0].empty()]));
  if (!zenith[0].empty() && !zenith[1].empty()) {
    const double one = mean(zenith[0]), two = mean(zenith[1]);
    out.index = (two - one) / 2;
    out.zenith = (one + two) / 2;
  } else if (!zenith[0].empty() || !zenith[1].empty())
    out.zenith = mean(zenith[zenith[0].empty()]);
  if (!slope.empty()) out.slope = mean(slope);
  if (reduced) out.both_faces = true;
  return out;
}

double sight_length(const TargetMean &t) {
  const double length = std::isfinite(t.slope) ? t.slope : t.horizontal;
  return std::isfinite(length) ? std::max(1.0, length) : 100;
}

/// Mean of values with standard deviations.
struct Weighted {
  double sum = 0, weight = 0;
  void add(double v, double sd) { sum += v / (sd * sd), weight += 1 / (sd * sd); }
  double mean() const { return weight > 0 ? sum / weight : NAN; }
  double sd() const { return weight > 0 ? 1 / std::sqrt(weight) : 0; }
};

/// Largest less smallest of repeated values, and what it may be.
struct Spread {
  double least = INFINITY, most = -INFINITY, sd = 0;
  int count = 0;
  void add(double v, double own) {
    least = std::min(least, v), most = std::max(most, v), sd = std::max(sd, own), ++count;
  }
  double size() const { return most - least; }
  double limit() const { return range_factor(count) * sd; }
};

/// Values of reduced observations and what was stated about them.
void take_reduced(TargetMean &t, const StationSetup &s, const InstrumentStandard &standard, SetReduction &r) {
  Weighted zenith, slope, horizontal, rise, azimuth;
  Spread of_horizontal, of_rise;
  double first = NAN;
  bool stated_zenith = false, stated_slope = false, stated_rise = true;
  for (const Pointing &p : s.pointings) {
    if (!p.used || p.target != t.target) continue;
    const double length = std::isfinite(p.slope) ? p.slope : std::isfinite(p.horizontal) ? p.horizontal : 100;
    const double distance_sd = p.distance_sd > 0 ? p.distance_sd : standard.distance_sd(length);
    stated_zenith = stated_zenith || p.zenith_sd > 0, stated_slope = stated_slope || p.distance_sd > 0;
    if (std::isfinite(p.zenith)) {
      const double z = p.face == 2 ? 2 * pi - p.zenith : p.zenith;
      zenith.add(z, p.zenith_sd > 0 ? p.zenith_sd : standard.zenith_sd(std::max(1.0, length)));
    }
    if (std::isfinite(p.slope)) slope.add(p.slope, distance_sd);
    if (std::isfinite(p.horizontal))
      horizontal.add(p.horizontal, distance_sd), of_horizontal.add(p.horizontal, distance_sd);
    if (std::isfinite(p.rise)) {
      const double sd = p.rise_sd > 0 ? p.rise_sd : length * standard.zenith_sd(std::max(1.0, length));
      rise.add(p.rise, sd), of_rise.add(p.rise, sd);
      stated_rise = stated_rise && p.rise_sd > 0;
    }
    if (std::isfinite(p.azimuth)) {
      if (!std::isfinite(first))
        first = p.azimuth, t.grid_bearing = p.grid_bearing;
      else if (t.grid_bearing != p.grid_bearing) {
        r.troubles.push_back({"line " + std::to_string(p.line) + ": a grid bearing and an azimuth of " + t.target +
                              ": the first one counts"});
        continue;
      }
      azimuth.add(first + small_angle(p.azimuth - first), p.direction_sd > 0 ? p.direction_sd
                                                          : !p.grid_bearing && standard.gyro.sd > 0
                                                              ? standard.gyro.sd
                                                              : standard.direction_sd(std::max(1.0, length)));
    }
  }
  if (stated_zenith) t.zenith = zenith.mean(), t.zenith_sd = zenith.sd();
  if (stated_slope) t.slope = slope.mean(), t.slope_sd = slope.sd();
  // Repeated rows must agree as sets do; height differences count as zenith angles over the sight's length.
  if (of_horizontal.count > 1 && !std::isfinite(t.slope))
    t.slope_spread = of_horizontal.size(), t.slope_limit = of_horizontal.limit();
  if (of_rise.count > 1 && !std::isfinite(t.zenith)) {
    const double length = horizontal.weight > 0 ? horizontal.mean() : std::isfinite(t.slope) ? t.slope : 100;
    t.zenith_spread = of_rise.size() / length, t.zenith_limit = of_rise.limit() / length;
  }
  t.horizontal = horizontal.mean(), t.horizontal_sd = horizontal.sd();
  t.rise = rise.mean(), t.rise_sd = stated_rise ? rise.sd() : 0;
  if (azimuth.weight > 0) {
    // A bearing in the grid was reduced by whoever stated it.
    const double constant = t.grid_bearing ? 0 : standard.gyro.constant;
    t.azimuth = positive_angle(azimuth.mean() + constant), t.azimuth_sd = azimuth.sd();
  }
}

/// Of one direction in one set; one face alone is worse by √2 than the pair that the standard speaks of.
double direction_sd(const TargetMean &t, const InstrumentStandard &standard) {
  const double length = sight_length(t);
  return standard.direction_sd(length) * (t.both_faces ? 1 : std::sqrt(2.0));
}

/// Directions of targets and orientations of sets by least squares; the first target's direction is 0.
void join_sets(SetReduction &r, const std::vector<std::string> &order, const InstrumentStandard &standard) {
  std::map<std::string, int> target; // with a direction, by order
  std::map<int, int> set;
  for (const auto &t : order)
    for (const FaceMean &f : r.faces)
      if (f.target == t && std::isfinite(f.direction)) target.emplace(t, static_cast<int>(target.size()));
  for (const FaceMean &f : r.faces)
    if (std::isfinite(f.direction)) set.emplace(f.set, static_cast<int>(set.size()));
  if (target.empty()) return;
  // Approximate orientations: sets hang together by the targets they share.
  std::map<std::string, double> direction;
  std::map<int, double> orientation;
  std::string first;
  for (const auto &t : order)
    if (first.empty() && target.count(t)) first = t;
  direction[first] = 0;
  for (bool moved = true; moved;) {
    moved = false;
    for (const FaceMean &f : r.faces) {
      if (!std::isfinite(f.direction)) continue;
      const bool known_target = direction.count(f.target), known_set = orientation.count(f.set);
      if (known_target && !known_set)
        orientation[f.set] = f.direction - direction[f.target], moved = true;
      else if (!known_target && known_set)
        direction[f.target] = f.direction - orientation[f.set], moved = true;
    }
  }
  std::map<std::string, double> weight;
  double scale = 0; // keeps the normal equations near one
  for (const TargetMean &t : r.targets)
    if (target.count(t.target)) {
      weight[t.target] = 1 / std::pow(direction_sd(t, standard), 2);
      scale = std::max(scale, weight[t.target]);
    }
  const auto weight_of = [&](const FaceMean &f) {
    return f.direction_sd > 0 ? 1 / (f.direction_sd * f.direction_sd) : weight.at(f.target);
  };
  for (const FaceMean &f : r.faces)
    if (std::isfinite(f.direction)) scale = std::max(scale, weight_of(f));
  const auto nt = static_cast<Eigen::Index>(target.size()), ns = static_cast<Eigen::Index>(set.size());
  Eigen::MatrixXd n = Eigen::MatrixXd::Zero(nt + ns, nt + ns);
  Eigen::VectorXd b = Eigen::VectorXd::Zero(nt + ns);
  for (const FaceMean &f : r.faces) {
    if (!std::isfinite(f.direction) || !direction.count(f.target) || !orientation.count(f.set)) continue;
    const Eigen::Index i = target.at(f.target), k = nt + set.at(f.set);
    const double l = small_angle(f.direction - direction[f.target] - orientation[f.set]);
    const double p = weight_of(f) / scale;
    n(i, i) += p, n(k, k) += p, n(i, k) += p, n(k, i) += p;
    b[i] += p * l, b[k] += p * l;
  }
  // The sets' orientations go out; what is left is singular by a common turn, which any weight for it fills in.
  Eigen::MatrixXd own = n.topLeftCorner(nt, nt);
  for (Eigen::Index k = nt; k < nt + ns; ++k)
    if (n(k, k) > 0) own -= n.block(0, k, nt, 1) * n.block(k, 0, 1, nt) / n(k, k);
  for (Eigen::Index i = 0; i < nt; ++i)
    if (n(i, i) == 0) own(i, i) = 1e-12; // stands alone: says nothing
  own.array() += n.topLeftCorner(nt, nt).trace() / static_cast<double>(nt * nt);
  r.direction_covariance = own.inverse() / scale;
  n(target.at(first), target.at(first)) += 1e6; // the first target stays at 0
  for (Eigen::Index i = 0; i < nt + ns; ++i)
    if (n(i, i) == 0) n(i, i) = 1;
  const Eigen::VectorXd x = n.ldlt().solve(b);
  const double zero = x[target.at(first)];
  for (FaceMean &f : r.faces) {
    if (!std::isfinite(f.direction)) continue;
    if (!direction.count(f.target) || !orientation.count(f.set)) {
      r.troubles.push_back({fmt::format("set {} shares no target with the others: its directions stand alone", f.set)});
      continue;
    }
    f.residual = small_angle(f.direction - direction[f.target] - orientation[f.set]) - x[target.at(f.target)] -
                 x[nt + set.at(f.set)];
  }
  for (TargetMean &t : r.targets)
    if (const auto it = direction.find(t.target); it != direction.end())
      t.direction = t.target == first ? 0 : positive_angle(it->second + x[target.at(t.target)] - zero);
}

} // namespace

namespace {
/// The line of sight and the index from the pairs of faces. A face that stands alone carries the instrument's errors:
/// those of the other pairs are taken off.
void take_off_instrument(const StationSetup &s, SetReduction &r) {
  double collimation = 0, index = 0;
  int pairs = 0, zenith_pairs = 0;
  for (const FaceMean &f : r.faces) {
    if (std::isfinite(f.collimation)) collimation += f.collimation, ++pairs;
    if (std::isfinite(f.index)) index += f.index, ++zenith_pairs;
  }
  r.pairs = pairs;
  if (pairs) r.collimation = collimation / pairs;
  if (zenith_pairs) r.index = index / zenith_pairs;
  for (FaceMean &f : r.faces) {
    const bool two = s.pointings[f.pointings.front()].face == 2;
    if (!f.both_faces && std::isfinite(f.direction) && pairs)
      f.direction = positive_angle(f.direction + (two ? -1 : 1) * r.collimation);
    if (!std::isfinite(f.index) && std::isfinite(f.zenith) && zenith_pairs) f.zenith += (two ? -1 : 1) * r.index;
  }
}

TargetMean mean_of_target(const StationSetup &s, const std::string &name, SetReduction &r) {
  TargetMean t;
  t.target = name;
  std::vector<double> zenith, slope;
  bool first = true;
  for (const FaceMean &f : r.faces) {
    if (f.target != name) continue;
    ++t.sets;
    t.pointings += static_cast<int>(f.pointings.size());
    t.both_faces = t.both_faces && f.both_faces;
    if (std::isfinite(f.zenith)) zenith.push_back(f.zenith);
    if (std::isfinite(f.slope)) slope.push_back(f.slope);
    for (std::size_t i : f.pointings) {
      const Pointing &p = s.pointings[i];
      if (first)
        t.target_height = p.target_height, t.prism_constant = p.prism_constant, t.kind = p.kind, first = false;
      else if (p.target_height != t.target_height)
        r.troubles.push_back({fmt::format("line {}: the target height of {} changes from {:.4f} to {:.4f} m", p.line,
                                          name, t.target_height, p.target_height)});
    }
  }
  if (!zenith.empty()) t.zenith = mean(zenith);
  if (!slope.empty()) t.slope = mean(slope);
  return t;
}

/// What one set of a target is good for: direction, zenith, distance; stated errors come before the standard's, of
/// several the largest, as it makes the limit.
std::array<double, 3> one_set(const StationSetup &s, const SetReduction &r, const InstrumentStandard &standard,
                              const TargetMean &t) {
  const double length = sight_length(t);
  std::array<double, 3> one{standard.direction_sd(length), standard.zenith_sd(length), standard.distance};
  bool stated[3] = {false, false, false};
  for (const FaceMean &f : r.faces)
    if (f.target == t.target && f.direction_sd > 0)
      one[0] = stated[0] ? std::max(one[0], f.direction_sd) : f.direction_sd, stated[0] = true;
  for (const Pointing &p : s.pointings)
    if (p.used && p.target == t.target) {
      if (p.zenith_sd > 0) one[1] = stated[1] ? std::max(one[1], p.zenith_sd) : p.zenith_sd, stated[1] = true;
      if (p.distance_sd > 0) one[2] = stated[2] ? std::max(one[2], p.distance_sd) : p.distance_sd, stated[2] = true;
    }
  return one;
}

/// Spreads of a target against their limits. `joined`: the share that the orientation of each set leaves of what
/// directions scatter.
void judge_spreads(const StationSetup &s, SetReduction &r, const InstrumentStandard &standard, double joined,
                   TargetMean &t) {
  double least[3] = {INFINITY, INFINITY, INFINITY}, most[3] = {-INFINITY, -INFINITY, -INFINITY};
  int count[3] = {0, 0, 0};
  for (FaceMean &f : r.faces) {
    if (f.target != t.target) continue;
    if (std::isfinite(f.zenith)) f.zenith_residual = f.zenith - t.zenith;
    if (std::isfinite(f.slope)) f.slope_residual = f.slope - t.slope;
    const double v[3] = {f.residual, f.zenith_residual, f.slope_residual};
    for (int i = 0; i < 3; ++i)
      if (std::isfinite(v[i])) least[i] = std::min(least[i], v[i]), most[i] = std::max(most[i], v[i]), ++count[i];
  }
  const std::array<double, 3> one = one_set(s, r, standard, t);
  double *spread[3] = {&t.direction_spread, &t.zenith_spread, &t.slope_spread},
         *limit[3] = {&t.direction_limit, &t.zenith_limit, &t.slope_limit},
         *sd[3] = {&t.direction_sd, &t.zenith_sd, &t.slope_sd};
  for (int i = 0; i < 3; ++i) {
    if (count[i] == 0) continue;
    *spread[i] = most[i] - least[i];
    // One face alone is worse by √2 than the pair that the standard speaks of.
    const double each = one[i] * (i < 2 && !t.both_faces ? std::sqrt(2.0) : 1);
    // The orientation of each set takes up its share of what directions scatter.
    *limit[i] = range_factor(count[i]) * each * (i == 0 ? joined : 1);
    *sd[i] = each / std::sqrt(count[i]);
  }
}
} // namespace

SetReduction reduce_sets(const StationSetup &s, const InstrumentStandard &standard) {
  SetReduction r;
  std::vector<std::string> order;
  std::vector<int> sets;
  for (const Pointing &p : s.pointings) {
    if (!p.used) continue;
    if (std::find(order.begin(), order.end(), p.target) == order.end()) order.push_back(p.target);
    if (std::find(sets.begin(), sets.end(), p.set) == sets.end()) sets.push_back(p.set);
  }
  for (int set : sets)
    for (const auto &t : order) {
      FaceMean f = mean_of_faces(s, set, t);
      if (!f.pointings.empty()) r.faces.push_back(std::move(f));
    }
  take_off_instrument(s, r);
  for (const auto &name : order) r.targets.push_back(mean_of_target(s, name, r));
  join_sets(r, order, standard);
  const auto with_direction = static_cast<double>(std::count_if(
      r.targets.begin(), r.targets.end(), [](const TargetMean &t) { return std::isfinite(t.direction); }));
  const bool reduced = std::any_of(s.pointings.begin(), s.pointings.end(),
                                   [](const Pointing &p) { return p.reduced || p.zenith_sd > 0 || p.distance_sd > 0; });
  const double joined = with_direction > 1 ? std::sqrt(1 - 1 / with_direction) : 0;
  for (TargetMean &t : r.targets) {
    judge_spreads(s, r, standard, joined, t);
    t.slope_sd = std::isfinite(t.slope) ? standard.distance_sd(t.slope) : 0; // scale and constant do not average out
    if (reduced) take_reduced(t, s, standard, r);
  }
  for (const FaceMean &f : r.faces)
    if (!f.both_faces && r.pairs && std::isfinite(f.direction))
      r.troubles.push_back({fmt::format("{} in set {}: one face only", f.target, f.set), true});
  return r;
}

} // namespace ampletie
