#include "network/stacking.h"
#include "adjustment/statistics.h"
#include "base/error.h"
#include "geodesy/ellipsoid.h"
#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <numbers>
#include <set>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr double shortest_span = 0.05, wave_span = 2.0; ///< years
constexpr std::size_t fewest_days = 3;

/// What a datum may do to a network: shift, turn it and stretch it, about its middle and in units of its size, so that
/// the columns are of one size however small the network is.
class Datum {
public:
  Datum() = default;
  Datum(const std::vector<Vec3> &places, bool rotation, bool scale) : rotation_(rotation), scale_(scale) {
    for (const Vec3 &p : places) middle_ += p / static_cast<double>(places.size());
    for (const Vec3 &p : places) size_ = std::max(size_, (p - middle_).norm());
    if (size_ <= 0) throw InputError("all marks stand at one place");
  }
  Index columns() const { return 3 + (rotation_ ? 3 : 0) + (scale_ ? 1 : 0); }
  MatrixXd at(const std::vector<Vec3> &places) const {
    MatrixXd h = MatrixXd::Zero(static_cast<Index>(3 * places.size()), columns());
    for (std::size_t i = 0; i < places.size(); ++i) {
      const auto row = static_cast<Index>(3 * i);
      const Vec3 p = (places[i] - middle_) / size_;
      h.block<3, 3>(row, 0).setIdentity();
      if (rotation_) h.block<3, 3>(row, 3) << 0, -p.z(), p.y(), p.z(), 0, -p.x(), -p.y(), p.x(), 0;
      if (scale_) h.block<3, 1>(row, columns() - 1) = p;
    }
    return h;
  }

private:
  Vec3 middle_ = Vec3::Zero();
  double size_ = 0;
  bool rotation_ = false, scale_ = false;
};

/// The part of a weight that the parameters `h` cannot take away. Where the weight tells nothing of them there is
/// nothing to be taken.
MatrixXd without(const MatrixXd &w, const MatrixXd &h) {
  const MatrixXd wh = w * h;
  const Eigen::SelfAdjointEigenSolver<MatrixXd> e(h.transpose() * wh);
  const double largest = e.eigenvalues().maxCoeff(), usual = w.trace() / static_cast<double>(w.rows());
  MatrixXd out = w;
  for (Index k = 0; k < e.eigenvalues().size(); ++k) {
    const double lambda = e.eigenvalues()(k);
    if (lambda < 1e-9 * largest || lambda < 1e-12 * usual) continue;
    const VectorXd u = wh * e.eigenvectors().col(k);
    out.noalias() -= u * u.transpose() / lambda;
  }
  return (out + out.transpose()) / 2;
}

/// A weight without some of its marks: they may be anywhere.
MatrixXd marginal(const MatrixXd &w, const std::vector<Index> &keep, const std::vector<Index> &drop) {
  if (drop.empty()) return w(keep, keep);
  const Eigen::LDLT<MatrixXd> inner(w(drop, drop));
  return w(keep, keep) - w(keep, drop) * inner.solve(MatrixXd(w(drop, keep)));
}

std::vector<Index> rows_of(const std::vector<std::size_t> &places) {
  std::vector<Index> out;
  for (const std::size_t p : places)
    for (Index k = 0; k < 3; ++k) out.push_back(static_cast<Index>(3 * p) + k);
  return out;
}

/// A day as it is used: marks that take part and are no outliers, the day's own datum taken from the weight.
struct UsedDay {
  std::size_t day = 0;
  std::vector<std::size_t> marks, places; ///< of the input; in the day
  VectorXd at;
  MatrixXd weight;
};

class Stacking {
public:
  explicit Stacking(const StackInput &in) : in_(in) {
    if (in.days.size() < 2) throw InputError("one day alone tells of no movement");
    double sum = 0;
    for (const DaySolution &d : in.days) sum += d.year;
    out_.epoch = in.epoch > 0 ? in.epoch : sum / static_cast<double>(in.days.size());
    choose_marks();
    std::vector<Vec3> places;
    for (const std::size_t m : marks_) places.push_back(in.reference[m]);
    datum_ = Datum(places, in.rotation, in.scale);
    choose_functions();
  }

  Stack result() && {
    for (int round = 0;; ++round) {
      use_days();
      solve();
      if (!take_out_outliers() || round == 20) break;
    }
    describe();
    return std::move(out_);
  }

private:
  /// Marks that enough days have, over a span that a velocity can be told from.
  void choose_marks() {
    std::map<std::size_t, std::vector<double>> years;
    for (const DaySolution &d : in_.days)
      for (const std::size_t m : d.marks) years[m].push_back(d.year);
    for (auto &[m, y] : years) {
      const auto [first, last] = std::minmax_element(y.begin(), y.end());
      if (y.size() < fewest_days || *last - *first < shortest_span)
        out_.left_out.push_back(fmt::format("{}: on {} day{} over {:.2f} years, which tells no velocity", in_.marks[m],
                                            y.size(), y.size() == 1 ? "" : "s", *last - *first));
      else
        place_[m] = marks_.size(), marks_.push_back(m), span_.push_back({*first, *last}), days_of_.push_back(y);
    }
    if (marks_.size() < 2) throw InputError("fewer than two marks stand on several days");
    for (const StackInput::Core &c : in_.core)
      if (place_.count(c.mark)) core_.push_back(c);
    if (core_.empty() && !in_.core.empty()) throw InputError("none of the marks that give the datum takes part");
    if (core_.empty())
      for (const std::size_t m : marks_) core_.push_back({m, Vec3::Zero(), Vec3::Zero()});
    if (in_.rotation && core_.size() < 3)
      throw InputError(fmt::format("{} mark{} cannot give a datum with rotation: three at least", core_.size(),
                                   core_.size() == 1 ? "" : "s"));
  }

  /// What is estimated of each mark: functions of time.
  void choose_functions() {
    first_.resize(marks_.size());
    for (std::size_t i = 0; i < marks_.size(); ++i) {
      for (const MarkStep &s : in_.steps) {
        if (s.mark != marks_[i]) continue;
        const auto before = std::count_if(days_of_[i].begin(), days_of_[i].end(), [&](double y) { return y < s.year; });
        const auto after = static_cast<long>(days_of_[i].size()) - before;
        if (before < 2 || after < 2)
          out_.left_out.push_back(fmt::format("step of {} at {:.4f}: {} days before it and {} after", in_.marks[s.mark],
                                              s.year, before, after));
        else
          steps_[i].push_back(s.year);
      }
      std::sort(steps_[i].begin(), steps_[i].end());
      if (in_.seasonal && span_[i].second - span_[i].first < wave_span) no_waves_.insert(i);
    }
    // Waves are the datum's as long as all marks have them.
    waves_ = in_.seasonal;
    for (const std::size_t i : no_waves_)
      out_.left_out.push_back(in_.marks[marks_[i]] + ": waves of the year need two years");
    Index at = 0;
    for (std::size_t i = 0; i < marks_.size(); ++i) first_[i] = at, at += 3 * functions(i);
    unknowns_ = at;
  }
  bool has_waves(std::size_t i) const { return waves_ && !no_waves_.count(i); }
  Index functions(std::size_t i) const {
    return 2 + static_cast<Index>(steps_.count(i) ? steps_.at(i).size() : 0) + (has_waves(i) ? 4 : 0);
  }
  /// Place, velocity, waves, steps: in this order, so that the first belong to all marks.
  VectorXd values(std::size_t i, double year) const {
    VectorXd v(functions(i));
    const double t = year - out_.epoch, w = 2 * std::numbers::pi * year; // by the calendar
    v(0) = 1, v(1) = t;
    Index k = 2;
    if (has_waves(i)) v(2) = std::cos(w), v(3) = std::sin(w), v(4) = std::cos(2 * w), v(5) = std::sin(2 * w), k = 6;
    if (const auto s = steps_.find(i); s != steps_.end())
      for (const double y : s->second) v(k++) = year >= y ? 1 : 0;
    return v;
  }

  void use_days() {
    days_.clear();
    for (std::size_t d = 0; d < in_.days.size(); ++d) {
      const DaySolution &day = in_.days[d];
      UsedDay u;
      u.day = d;
      std::vector<std::size_t> drop;
      std::vector<Vec3> places;
      for (std::size_t i = 0; i < day.marks.size(); ++i)
        if (place_.count(day.marks[i]) && !outliers_.count({d, day.marks[i]}))
          u.marks.push_back(place_.at(day.marks[i])), u.places.push_back(i),
              places.push_back(in_.reference[day.marks[i]]);
        else
          drop.push_back(i);
      if (u.marks.size() < 2) continue;
      const auto keep = rows_of(u.places);
      u.at = day.at(keep);
      u.weight = without(marginal(day.weight, keep, rows_of(drop)), datum_.at(places));
      if (!u.weight.allFinite()) throw InputError("the weights of " + day.name + " are none");
      days_.push_back(std::move(u));
    }
    if (days_.size() < 2) throw InputError("fewer than two days have two marks that take part");
  }

  void solve();
  void constrain(MatrixXd &normal, VectorXd &right, MatrixXd &b, MatrixXd &g, double &weight) const;
  bool take_out_outliers();
  void describe();
  std::vector<NoiseSeries> series_of(const std::vector<StackedMark> &marks, int c) const;
  void colour(std::vector<StackedMark> &marks, int c) const;
  std::vector<Mat3> residual_covariances() const;
  Vec3 spread(std::size_t i, Index k, const NoiseSeries &series) const;
  VectorXd model(const UsedDay &u) const {
    VectorXd out(u.at.size());
    for (std::size_t i = 0; i < u.marks.size(); ++i)
      out.segment<3>(static_cast<Index>(3 * i)) = at(u.marks[i], in_.days[u.day].year);
    return out;
  }
  Vec3 at(std::size_t i, double year) const {
    const VectorXd v = values(i, year);
    Vec3 out = Vec3::Zero();
    for (Index k = 0; k < v.size(); ++k) out += v(k) * parameters_.segment<3>(first_[i] + 3 * k);
    return out;
  }
  /// What the day's own datum takes from its misfit: the shift (turn, scale) that fits it best.
  VectorXd own_datum(const UsedDay &u, const VectorXd &misfit) const;

  const StackInput &in_;
  Stack out_;
  std::vector<std::size_t> marks_;           ///< of the input
  std::map<std::size_t, std::size_t> place_; ///< of an input's mark among them
  std::vector<std::pair<double, double>> span_;
  std::vector<std::vector<double>> days_of_;
  std::vector<StackInput::Core> core_;
  Datum datum_;
  std::map<std::size_t, std::vector<double>> steps_;
  std::set<std::size_t> no_waves_;
  bool waves_ = false;
  std::vector<Index> first_;
  Index unknowns_ = 0;
  std::set<std::pair<std::size_t, std::size_t>> outliers_; ///< day, mark of the input
  std::vector<UsedDay> days_;
  VectorXd parameters_;
  MatrixXd cov_;
  std::vector<Mat3> residual_cov_; ///< what a day leaves of a mark's noise, by the days' weights
};

void Stacking::constrain(MatrixXd &normal, VectorXd &right, MatrixXd &b, MatrixXd &g, double &weight) const {
  std::vector<Vec3> all, of_core;
  for (const std::size_t m : marks_) all.push_back(in_.reference[m]);
  for (const StackInput::Core &c : core_) of_core.push_back(in_.reference[c.mark]);
  const MatrixXd ha = datum_.at(all), hc = datum_.at(of_core);
  const Index each = ha.cols(), kinds = waves_ && no_waves_.empty() ? 6 : 2;
  b = MatrixXd::Zero(unknowns_, each * kinds), g = MatrixXd::Zero(unknowns_, each * kinds);
  VectorXd wanted = VectorXd::Zero(each * kinds);
  for (Index k = 0; k < kinds; ++k) {
    for (std::size_t i = 0; i < marks_.size(); ++i)
      g.block(first_[i] + 3 * k, each * k, 3, each) = ha.middleRows(static_cast<Index>(3 * i), 3);
    for (std::size_t i = 0; i < core_.size(); ++i) {
      const auto h = hc.middleRows(static_cast<Index>(3 * i), 3);
      b.block(first_[place_.at(core_[i].mark)] + 3 * k, each * k, 3, each) = h;
      const Vec3 given = k == 0 ? core_[i].off : k == 1 ? core_[i].velocity : Vec3::Zero();
      wanted.segment(each * k, each) += h.transpose() * given;
    }
  }
  weight = normal.diagonal().mean() / std::max(1.0, (b.transpose() * b).diagonal().mean());
  normal += weight * b * b.transpose();
  right += weight * b * wanted;
}

void Stacking::solve() {
  MatrixXd normal = MatrixXd::Zero(unknowns_, unknowns_);
  VectorXd right = VectorXd::Zero(unknowns_);
  for (const UsedDay &u : days_) {
    const double year = in_.days[u.day].year;
    const VectorXd wat = u.weight * u.at;
    std::vector<VectorXd> v;
    for (const std::size_t i : u.marks) v.push_back(values(i, year));
    for (std::size_t i = 0; i < u.marks.size(); ++i) {
      const auto ri = static_cast<Index>(3 * i);
      for (Index k = 0; k < v[i].size(); ++k)
        right.segment<3>(first_[u.marks[i]] + 3 * k) += v[i](k) * wat.segment<3>(ri);
      for (std::size_t j = 0; j < u.marks.size(); ++j) {
        const Mat3 w = u.weight.block<3, 3>(ri, static_cast<Index>(3 * j));
        for (Index k = 0; k < v[i].size(); ++k)
          for (Index l = 0; l < v[j].size(); ++l)
            normal.block<3, 3>(first_[u.marks[i]] + 3 * k, first_[u.marks[j]] + 3 * l) += v[i](k) * v[j](l) * w;
      }
    }
  }
  MatrixXd b, g;
  double weight = 0;
  constrain(normal, right, b, g, weight);
  const VectorXd scale = normal.diagonal().cwiseMax(1e-300).cwiseSqrt().cwiseInverse();
  const Eigen::LDLT<MatrixXd> solver(scale.asDiagonal() * normal * scale.asDiagonal());
  if (solver.info() != Eigen::Success || solver.vectorD().minCoeff() < 1e-12)
    throw InputError("the days do not hang together: too few marks are common to them, or a step and a velocity "
                     "cannot be told apart");
  cov_ = scale.asDiagonal() * solver.solve(MatrixXd::Identity(unknowns_, unknowns_)) * scale.asDiagonal();
  parameters_ = cov_ * right;
  // Constraints that only give the datum add nothing to the accuracy: what their own weight let open is taken off.
  const MatrixXd way = g * (b.transpose() * g).inverse();
  cov_ -= way * way.transpose() / weight;
}

VectorXd Stacking::own_datum(const UsedDay &u, const VectorXd &misfit) const {
  const DaySolution &day = in_.days[u.day];
  std::vector<Vec3> places;
  for (const std::size_t i : u.places) places.push_back(in_.reference[day.marks[i]]);
  const MatrixXd h = datum_.at(places);
  // By the marks alone: the solution's own datum says nothing that is wanted.
  const Eigen::CompleteOrthogonalDecomposition<MatrixXd> fit(h);
  return fit.solve(misfit);
}

/// The mark that fits worst of each day, where it fits worse than chance lets one of all mark-days; true: there was
/// one.
bool Stacking::take_out_outliers() {
  std::vector<double> all;
  struct Worst {
    std::size_t day = 0, mark = 0;
    double statistic = 0;
  };
  std::vector<Worst> worst;
  for (const UsedDay &u : days_) {
    const VectorXd w = u.weight * (u.at - model(u));
    Worst one;
    for (std::size_t i = 0; i < u.marks.size(); ++i) {
      const auto row = static_cast<Index>(3 * i);
      const Mat3 own = u.weight.block<3, 3>(row, row);
      const Vec3 wi = w.segment<3>(row);
      const double t = wi.dot(own.ldlt().solve(wi));
      all.push_back(t);
      if (t > one.statistic) one = {u.day, in_.days[u.day].marks[u.places[i]], t};
    }
    if (u.marks.size() > 3) worst.push_back(one);
  }
  std::nth_element(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2), all.end());
  // The median of χ² with three degrees: outliers do not widen what is called usual.
  const double usual = all[all.size() / 2] / chi_squared_quantile(0.5, 3);
  out_.factor = std::sqrt(std::max(usual, 1e-12));
  const double limit = usual * chi_squared_quantile(1 - in_.outlier_p / static_cast<double>(all.size()), 3);
  bool any = false;
  for (const Worst &o : worst)
    if (o.statistic > limit) outliers_.insert({o.day, o.mark}), any = true;
  return any;
}

void Stacking::describe() {
  out_.outliers = static_cast<int>(outliers_.size());
  std::vector<StackedMark> marks(marks_.size());
  std::vector<Mat3> axes;
  for (std::size_t i = 0; i < marks_.size(); ++i) {
    StackedMark &m = marks[i];
    m.mark = marks_[i], m.place = parameters_.segment<3>(first_[i]);
    axes.push_back(local_axes(to_geodetic(in_.reference[m.mark])));
    const Mat3 &r = axes.back();
    m.velocity = r * parameters_.segment<3>(first_[i] + 3);
    const auto sd_of = [&](Index k) {
      const Mat3 c = r * cov_.block<3, 3>(first_[i] + 3 * k, first_[i] + 3 * k) * r.transpose();
      return Vec3(out_.factor * c.diagonal().cwiseMax(0).cwiseSqrt());
    };
    m.white_sd = sd_of(1), m.place_sd = sd_of(0);
    if (has_waves(i))
      for (Index k = 0; k < 4; ++k) m.seasonal.col(k) = r * parameters_.segment<3>(first_[i] + 6 + 3 * k);
    const Index before = has_waves(i) ? 6 : 2;
    for (Index k = before; k < functions(i); ++k) {
      const double year = steps_.at(i)[static_cast<std::size_t>(k - before)];
      m.steps.emplace_back(year, r * parameters_.segment<3>(first_[i] + 3 * k));
      m.step_sd.emplace_back(year, sd_of(k));
    }
    m.core =
        !in_.core.empty() && std::any_of(core_.begin(), core_.end(), [&](const auto &c) { return c.mark == m.mark; });
  }
  for (const UsedDay &u : days_) {
    const DaySolution &day = in_.days[u.day];
    const VectorXd misfit = u.at - model(u), own = own_datum(u, misfit);
    for (std::size_t i = 0; i < day.marks.size(); ++i) {
      const auto p = place_.find(day.marks[i]);
      if (p == place_.end()) continue;
      const Mat3 &r = axes[p->second];
      const Vec3 there = day.at.segment<3>(static_cast<Index>(3 * i));
      const Vec3 datum = datum_.at({in_.reference[day.marks[i]]}) * own;
      StackedDay s;
      s.day = u.day, s.outlier = outliers_.count({u.day, day.marks[i]}) > 0;
      s.at = r * (there - datum - parameters_.segment<3>(first_[p->second]));
      s.residual = r * (there - datum - at(p->second, day.year));
      marks[p->second].series.push_back(s);
    }
  }
  for (StackedMark &m : marks)
    std::stable_sort(m.series.begin(), m.series.end(), [&](const StackedDay &a, const StackedDay &b) {
      return in_.days[a.day].year < in_.days[b.day].year;
    });
  residual_cov_ = residual_covariances();
  for (int c = 0; c < 3; ++c) colour(marks, c);
  std::vector<std::array<NoiseSeries, 3>> all(marks.size());
  for (int c = 0; c < 3; ++c) {
    auto of = series_of(marks, c);
    for (std::size_t i = 0; i < of.size(); ++i) all[i][static_cast<std::size_t>(c)] = std::move(of[i]);
  }
  out_.suspected = suspected_step(all);
  out_.marks = std::move(marks);
}

std::vector<NoiseSeries> Stacking::series_of(const std::vector<StackedMark> &marks, int c) const {
  std::vector<NoiseSeries> all(marks.size());
  for (std::size_t i = 0; i < marks.size(); ++i) {
    std::vector<double> rest;
    for (const StackedDay &s : marks[i].series)
      if (!s.outlier) all[i].years.push_back(in_.days[s.day].year), rest.push_back(s.residual[c]);
    all[i].residuals = Eigen::Map<const VectorXd>(rest.data(), static_cast<Index>(rest.size()));
    all[i].design.resize(all[i].residuals.size(), functions(i));
    for (std::size_t k = 0; k < rest.size(); ++k)
      all[i].design.row(static_cast<Index>(k)) = values(i, all[i].years[k]).transpose();
  }
  return all;
}

/// What is to be expected of each mark's residuals in a day, by the days' weights: the day's own datum has taken a part
/// of the noise with it. Of a dozen days, or one that has the mark.
std::vector<Mat3> Stacking::residual_covariances() const {
  constexpr std::size_t enough = 12;
  std::vector<Mat3> sum(marks_.size(), Mat3::Zero());
  std::vector<int> count(marks_.size(), 0);
  const auto add = [&](const UsedDay &u) {
    std::vector<Vec3> places;
    for (const std::size_t i : u.marks) places.push_back(in_.reference[marks_[i]]);
    const MatrixXd h = datum_.at(places);
    MatrixXd whole = u.weight + u.weight.diagonal().mean() * h * h.transpose();
    const MatrixXd left = MatrixXd::Identity(whole.rows(), whole.rows()) -
                          h * Eigen::CompleteOrthogonalDecomposition<MatrixXd>(h).pseudoInverse();
    const MatrixXd c = left * Eigen::LDLT<MatrixXd>(whole).solve(left.transpose());
    for (std::size_t i = 0; i < u.marks.size(); ++i) {
      const auto row = static_cast<Index>(3 * i);
      sum[u.marks[i]] += c.block<3, 3>(row, row), ++count[u.marks[i]];
    }
  };
  const std::size_t stride = std::max<std::size_t>(1, days_.size() / enough);
  for (std::size_t d = 0; d < days_.size(); d += stride) add(days_[d]);
  for (const UsedDay &u : days_)
    if (std::any_of(u.marks.begin(), u.marks.end(), [&](std::size_t i) { return count[i] == 0; })) add(u);
  for (std::size_t i = 0; i < sum.size(); ++i) sum[i] /= std::max(1, count[i]);
  return sum;
}

/// By how much the variance of function `k` of a mark is larger in the stack than in the mark's own series with the
/// noise of its residuals: a step is told against the datum that the other marks give, a velocity against those that
/// give the datum, and the residuals have lost what the days' datums took of them. East, north, up. Both as of white
/// noise, which leaves the times alone; it is the same of noise of any colour where all marks have one kind of it.
Vec3 Stacking::spread(std::size_t i, Index k, const NoiseSeries &series) const {
  const Mat3 r = local_axes(to_geodetic(in_.reference[marks_[i]]));
  const MatrixXd own = series.design.transpose() * series.design;
  const double by_times = Eigen::LDLT<MatrixXd>(own).solve(VectorXd::Unit(own.rows(), k))(k);
  const Mat3 in_stack = r * cov_.block<3, 3>(first_[i] + 3 * k, first_[i] + 3 * k) * r.transpose(),
             in_series = by_times * r * residual_cov_[i] * r.transpose();
  return in_stack.diagonal().cwiseMax(0).cwiseQuotient(in_series.diagonal().cwiseMax(1e-300));
}

/// The noise of one component of all marks, and what it does to their places, velocities and steps. What the datum adds
/// is in the network's covariance.
void Stacking::colour(std::vector<StackedMark> &marks, int c) const {
  const std::vector<NoiseSeries> all = series_of(marks, c);
  const std::vector<SeriesNoise> noise = estimate_noise(all);
  for (std::size_t i = 0; i < marks.size(); ++i) {
    StackedMark &m = marks[i];
    m.noise[static_cast<std::size_t>(c)] = noise[i];
    m.velocity_sd[c] = m.white_sd[c];
    if (!noise[i].colour_told || noise[i].flicker <= 0) continue;
    const auto larger = [&](double &sd, Index k) {
      sd = std::max(sd, std::sqrt(variance_under(noise[i], all[i], k) * spread(i, k, all[i])[c]));
    };
    larger(m.velocity_sd[c], 1), larger(m.place_sd[c], 0);
    const Index before = functions(i) - static_cast<Index>(m.step_sd.size());
    for (std::size_t k = 0; k < m.step_sd.size(); ++k) larger(m.step_sd[k].second[c], before + static_cast<Index>(k));
  }
}
} // namespace

Stack stack_days(const StackInput &in) { return Stacking(in).result(); }

} // namespace ampletie
