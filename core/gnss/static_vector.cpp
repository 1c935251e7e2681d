#include "gnss/static_vector.h"
#include "base/angle.h"
#include "base/error.h"
#include "geodesy/ellipsoid.h"
#include "gnss/differences.h"
#include <Eigen/Dense>
#include <set>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

double iono_factor(SatId sat, int band) {
  const double q = band_hz(sat, 0) / band_hz(sat, band);
  return q * q;
}

/// Noise of a difference between two receivers, by elevation; variances in m².
class NoiseModel {
public:
  explicit NoiseModel(const StaticOptions &o) : o_(o) {}
  double phase_white(double el) const {
    const double s = std::sin(el);
    const double v = o_.phase_white * o_.phase_white * (0.5 + 0.5 / (s * s));
    return 2 * v + (1 - (o_.correlated_noise ? o_.diffuse_share : 0)) * total(el);
  }
  /// The slow part of the multipath, which is carried in the state.
  double multipath(double el) const { return o_.diffuse_share * total(el); }
  double code(double el) const {
    const double s = std::sin(el);
    const double white = o_.code_white * o_.code_white * (0.5 + 0.5 / (s * s));
    // Correlated code errors enter as white ones with the variance that gives the same mean over a session.
    const double phi = std::exp(-o_.interval_s / o_.correlation_s);
    const double inflate = o_.correlated_noise ? (1 + phi) / (1 - phi) : 1;
    return 2 * (white + o_.code_multipath * o_.code_multipath * inflate);
  }

private:
  double total(double el) const {
    const double c = std::cos(el), m = o_.phase_multipath;
    return 2 * m * m * (0.05 + 0.95 * c * c);
  }
  const StaticOptions &o_;
};

/// Where each unknown sits in the state.
struct Layout {
  std::map<char, Index> clock, code_bias;
  std::map<SatId, Index> ionosphere;
  std::map<std::pair<SatId, int>, Index> multipath;
  Index arcs = 0, size = 0;
  static constexpr Index position = 0, troposphere = 3;

  Layout(const DifferencedSession &s, const StaticOptions &o) {
    std::set<SatId> sats;
    std::set<std::pair<SatId, int>> signals;
    for (const CarrierArc &a : s.arcs) {
      sats.insert(a.sat);
      signals.insert({a.sat, a.band});
    }
    Index n = 4;
    for (const SatId &x : sats) {
      if (clock.try_emplace(x.system, n).second) ++n;
      if (code_bias.try_emplace(x.system, n).second) ++n;
    }
    if (o.ionosphere)
      for (const SatId &x : sats) ionosphere[x] = n++;
    if (o.correlated_noise)
      for (const auto &x : signals) multipath[x] = n++;
    arcs = n;
    size = n + static_cast<Index>(s.arcs.size());
  }
};

/// Sequential least squares over the session: a Kalman filter whose state carries the coloured noise, so that the
/// ambiguities' covariance is right before any integer is searched.
class Filter {
public:
  Filter(const DifferencedSession &s, const StaticOptions &o, double length, double height_difference)
      : s_(s), o_(o), at_(s, o), noise_(o), x_(VectorXd::Zero(at_.size)), p_(MatrixXd::Zero(at_.size, at_.size)),
        started_(static_cast<std::size_t>(at_.size), false) {
    for (Index i = 0; i < 3; ++i) p_(i, i) = 30.0 * 30.0;
    const double km = length / 1000;
    zenith_sd_ = o.relative_troposphere ? 0.02 + 0.0005 * km + 0.02 * std::abs(height_difference) / 1000 : 1e-6;
    p_(3, 3) = zenith_sd_ * zenith_sd_;
    for (auto [system, i] : at_.code_bias) p_(i, i) = 10.0 * 10.0;
    ionosphere_sd_ = o.ionosphere_ppm * 1e-6 * length + 0.001;
  }

  void run(const Progress &progress) {
    GpsTime before{};
    bool first = true;
    for (const DifferenceEpoch &e : s_.epochs) {
      progress.check();
      if (!first) advance(e.time - before);
      first = false;
      before = e.time;
      update(e);
    }
  }

  const VectorXd &state() const { return x_; }
  const MatrixXd &covariance() const { return p_; }
  const Layout &layout() const { return at_; }
  double fit() const { return normalised_ / std::max(1, used_); }
  int rejected() const { return rejected_; }
  double ionosphere_sd() const { return ionosphere_sd_; }
  double zenith_sd() const { return zenith_sd_; }
  /// First epoch of a run of three rejected phases: a slip that nothing else saw.
  const std::vector<ForcedBreak> &breaks() const { return breaks_; }

private:
  static double sigma_map(double el) {
    const double c = 0.9479 * std::cos(el); // thin shell at 350 km
    return 1 / std::sqrt(1 - c * c);
  }

  void decay(Index i, double phi, double variance) {
    p_.row(i) *= phi;
    p_.col(i) *= phi;
    p_(i, i) += (1 - phi * phi) * variance;
    x_[i] *= phi;
  }

  void advance(double dt) {
    for (auto [system, i] : at_.clock) {
      p_.row(i).setZero();
      p_.col(i).setZero();
      p_(i, i) = 30.0 * 30.0;
      x_[i] = 0;
    }
    if (o_.relative_troposphere) p_(3, 3) += o_.troposphere_walk * o_.troposphere_walk * dt / 3600;
    const double phi_i = std::exp(-dt / o_.ionosphere_correlation_s), phi_m = std::exp(-dt / o_.correlation_s);
    for (auto [sat, i] : at_.ionosphere)
      if (started_[static_cast<std::size_t>(i)]) decay(i, phi_i, ionosphere_variance_[sat]);
    for (auto [key, i] : at_.multipath)
      if (started_[static_cast<std::size_t>(i)]) decay(i, phi_m, multipath_variance_[key]);
  }

  /// One observation: sparse row given as pairs. Returns false when it is rejected.
  bool scalar(const std::vector<std::pair<Index, double>> &row, double y, double variance, double gate) {
    gain_.setZero(at_.size);
    double innovation = y, s = variance;
    for (auto [i, h] : row) {
      innovation -= h * x_[i];
      gain_ += h * p_.col(i);
    }
    for (auto [i, h] : row) s += h * gain_[i];
    const double normalised = innovation * innovation / s;
    if (gate > 0 && normalised > gate * gate) return false;
    if (gate > 0) {
      normalised_ += normalised;
      ++used_;
    }
    x_ += gain_ * (innovation / s);
    p_.noalias() -= (gain_ / s) * gain_.transpose();
    return true;
  }

  void update(const DifferenceEpoch &e) {
    for (auto [system, i] : at_.clock)
      if (p_(i, i) == 0) p_(i, i) = 30.0 * 30.0;
    for (const Difference &d : e.sats) {
      if (d.arc[0] < 0 && d.arc[1] < 0) continue;
      const double iono_sd = ionosphere_sd_ * sigma_map(d.elevation);
      ionosphere_variance_[d.sat] = iono_sd * iono_sd;
      const auto iono = at_.ionosphere.find(d.sat);
      if (iono != at_.ionosphere.end() && !started_[static_cast<std::size_t>(iono->second)]) {
        started_[static_cast<std::size_t>(iono->second)] = true;
        p_(iono->second, iono->second) = iono_sd * iono_sd;
      }
      for (int b = 0; b < band_count; ++b) {
        const auto bi = static_cast<std::size_t>(b);
        std::vector<std::pair<Index, double>> row;
        for (Index k = 0; k < 3; ++k) row.emplace_back(k, -d.unit[k]);
        row.emplace_back(3, d.wet_mapping);
        row.emplace_back(at_.clock.at(d.sat.system), 1.0);
        const double factor = iono_factor(d.sat, b);
        std::vector<std::pair<Index, double>> code_row = row;
        if (iono != at_.ionosphere.end()) code_row.emplace_back(iono->second, factor);
        if (b == 1) code_row.emplace_back(at_.code_bias.at(d.sat.system), 1.0);
        scalar(code_row, d.code[bi], noise_.code(d.elevation), 0);

        if (d.arc[bi] < 0) continue;
        const double lambda = speed_of_light / band_hz(d.sat, b);
        const Index arc = at_.arcs + d.arc[bi];
        if (!started_[static_cast<std::size_t>(arc)]) {
          started_[static_cast<std::size_t>(arc)] = true;
          // A start near the truth keeps the numbers small; its variance makes it say nothing.
          x_[arc] = std::round((d.phase[bi] - d.code[bi]) / lambda);
          p_(arc, arc) = 1e4;
        }
        if (iono != at_.ionosphere.end()) row.emplace_back(iono->second, -factor);
        const auto mp = at_.multipath.find({d.sat, b});
        if (mp != at_.multipath.end()) {
          multipath_variance_[{d.sat, b}] = noise_.multipath(d.elevation);
          if (!started_[static_cast<std::size_t>(mp->second)]) {
            started_[static_cast<std::size_t>(mp->second)] = true;
            p_(mp->second, mp->second) = noise_.multipath(d.elevation);
          }
          row.emplace_back(mp->second, 1.0);
        }
        row.emplace_back(arc, lambda);
        auto &[count, since] = misses_[{d.sat, b}];
        if (scalar(row, d.phase[bi], noise_.phase_white(d.elevation), 5))
          count = 0;
        else {
          ++rejected_;
          if (count++ == 0) since = e.time;
          if (count == 3) breaks_.push_back({d.sat, b, since});
        }
      }
    }
  }

  const DifferencedSession &s_;
  const StaticOptions &o_;
  Layout at_;
  NoiseModel noise_;
  VectorXd x_, gain_;
  MatrixXd p_;
  std::vector<bool> started_;
  std::map<SatId, double> ionosphere_variance_;
  std::map<std::pair<SatId, int>, double> multipath_variance_;
  std::map<std::pair<SatId, int>, std::pair<int, GpsTime>> misses_;
  std::vector<ForcedBreak> breaks_;
  double ionosphere_sd_ = 0, zenith_sd_ = 0, normalised_ = 0;
  int used_ = 0, rejected_ = 0;
};

/// Rows that count each arc from the reference arc of its system and band.
Eigen::Matrix<std::int64_t, Eigen::Dynamic, Eigen::Dynamic>
double_difference_rows(const std::vector<CarrierArc> &arcs) {
  std::map<std::pair<char, int>, Index> reference;
  Index count = 0;
  for (std::size_t i = 0; i < arcs.size(); ++i)
    if (arcs[i].reference)
      reference[{arcs[i].sat.system, arcs[i].band}] = static_cast<Index>(i);
    else
      ++count;
  Eigen::Matrix<std::int64_t, Eigen::Dynamic, Eigen::Dynamic> d(count, static_cast<Index>(arcs.size()));
  d.setZero();
  Index r = 0;
  for (std::size_t i = 0; i < arcs.size(); ++i) {
    if (arcs[i].reference) continue;
    d(r, static_cast<Index>(i)) = 1;
    d(r, reference.at({arcs[i].sat.system, arcs[i].band})) = -1;
    ++r;
  }
  return d;
}

struct Fixed {
  Solution solution = Solution::floating;
  VectorXd x;
  MatrixXd p;
  AcceptedIntegers integers;
  double ratio = 0, success = 0;
};

using IntMatrix = Eigen::Matrix<std::int64_t, Eigen::Dynamic, Eigen::Dynamic>;

/// One step of fixing: of the integer combinations `rows` (of arcs), the largest well-determined subset in the
/// decorrelated space that passes the tests. Conditions the state; returns the combinations that stay open.
struct Step {
  IntMatrix accepted, open;
  IntVector values;
  double ratio = 0, success = 0;
};
std::optional<Step> fix_step(VectorXd &x, MatrixXd &p, Index first_arc, const IntMatrix &rows, const StaticOptions &o,
                             Index least) {
  const Index n = rows.rows(), m = rows.cols();
  if (n < least) return {};
  const MatrixXd d = rows.cast<double>();
  const VectorXd a = d * x.segment(first_arc, m);
  MatrixXd q = d * p.block(first_arc, first_arc, m, m) * d.transpose();
  q = (q + q.transpose()).eval() / 2;
  Decorrelation z;
  try {
    z = decorrelate(q);
  } catch (const std::domain_error &) {
    return {};
  }
  const VectorXd za = z.zt.cast<double>() * a;
  Index k = n;
  while (k > 0 && bootstrap_success_rate(z.factor.d.tail(k)) < o.success_limit) --k;
  for (; k >= least; k = std::min(k - 1, k * 7 / 8)) {
    const LtdlFactor sub{z.factor.l.bottomRightCorner(k, k), z.factor.d.tail(k)};
    const IntegerCandidates c = search(za.tail(k), sub, 2);
    const double ratio = c.norms.size() > 1 ? c.norms[1] / std::max(c.norms[0], 1e-12) : 0;
    // The best candidate must also be likely: its norm is chi-squared with k degrees of freedom when it is right
    // (normal approximation of Wilson and Hilferty, 5 sigma).
    const double kd = static_cast<double>(k);
    const double likely = kd * std::pow(1 - 2 / (9 * kd) + 5 * std::sqrt(2 / (9 * kd)), 3);
    if (ratio < o.ratio_limit || c.norms[0] > likely) continue;
    Step out;
    out.ratio = ratio;
    out.success = bootstrap_success_rate(sub.d);
    out.accepted = z.zt.bottomRows(k) * rows;
    out.open = z.zt.topRows(n - k) * rows;
    out.values = c.vectors[0];
    const MatrixXd g = out.accepted.cast<double>();
    const MatrixXd pg = p.middleCols(first_arc, m) * g.transpose();
    const Eigen::LLT<MatrixXd> llt(MatrixXd(g * pg.middleRows(first_arc, m)));
    x -= pg * llt.solve(g * x.segment(first_arc, m) - out.values.cast<double>());
    p -= pg * llt.solve(pg.transpose());
    return out;
  }
  return {};
}

/// Partial integer fixing (Teunissen et al. 1999), repeated: what is accepted sharpens what is still open. Every step
/// must pass the success rate, the ratio test and the agreement with the float solution by itself.
Fixed fix(const VectorXd &x, const MatrixXd &p, Index first_arc, const std::vector<CarrierArc> &arcs,
          const StaticOptions &o) {
  Fixed out{Solution::floating, x, p, {}, 0, 1};
  IntMatrix open = double_difference_rows(arcs);
  const Index n = open.rows();
  if (n < 4) return out;
  out.integers.coefficients.resize(0, open.cols());
  for (Index least = 4; open.rows() > 0; least = 1) {
    const auto step = fix_step(out.x, out.p, first_arc, open, o, least);
    if (!step) break;
    auto &all = out.integers;
    const Index have = all.values.size(), more = step->values.size();
    all.coefficients.conservativeResize(have + more, open.cols());
    all.coefficients.bottomRows(more) = step->accepted;
    all.values.conservativeResize(have + more);
    all.values.tail(more) = step->values;
    out.ratio = have == 0 ? step->ratio : std::min(out.ratio, step->ratio);
    out.success *= step->success;
    out.solution = have + more == n ? Solution::fixed : Solution::partly_fixed;
    open = step->open;
  }
  if (out.solution == Solution::partly_fixed) {
    // Integers of short or low arcs may stay open without any weight: would knowing them sharpen the position?
    const MatrixXd g = open.cast<double>();
    const MatrixXd pg = out.p.middleCols(first_arc, g.cols()) * g.transpose();
    const Eigen::LLT<MatrixXd> llt(MatrixXd(g * pg.middleRows(first_arc, g.cols())));
    const MatrixXd gain = llt.matrixL().solve(pg.topRows<3>().transpose());
    const double now = out.p.topLeftCorner<3, 3>().trace();
    if (llt.info() == Eigen::Success && std::sqrt((now - gain.squaredNorm()) / now) > 1 - o.open_integers_may_cost)
      out.solution = Solution::fixed;
  }
  if (out.solution == Solution::floating) {
    // What the plain test says about all of them together: people look at it.
    out.success = 0;
    try {
      const MatrixXd d = open.cast<double>();
      const auto m = open.cols();
      const MatrixXd q = d * p.block(first_arc, first_arc, m, m) * d.transpose();
      const auto c = integer_least_squares(d * x.segment(first_arc, m), (q + q.transpose()) / 2, 2);
      out.ratio = c.norms[1] / std::max(c.norms[0], 1e-12);
      out.success = bootstrap_success_rate(decorrelate((q + q.transpose()) / 2).factor.d);
    } catch (const std::domain_error &) {
    }
  }
  return out;
}

/// Residuals with position and ambiguities known: only clocks, troposphere and ionosphere still follow the data.
void residuals(const DifferencedSession &s, const StaticOptions &o, const Filter &filter, const VectorXd &x,
               StaticVector &out) {
  const Layout &at = filter.layout();
  double ztd = 0, ztd_variance = filter.zenith_sd() * filter.zenith_sd();
  double square = 0;
  std::size_t count = 0;
  const NoiseModel noise(o);
  const double iono_variance = filter.ionosphere_sd() * filter.ionosphere_sd();
  GpsTime before = s.epochs.front().time;
  for (const DifferenceEpoch &e : s.epochs) {
    ztd_variance += o.relative_troposphere ? o.troposphere_walk * o.troposphere_walk * (e.time - before) / 3600 : 0;
    before = e.time;
    struct Row {
      const Difference *d;
      std::array<double, band_count> y;
      double free, weight; // ionosphere reduced to its prior, common part
    };
    std::vector<Row> rows;
    for (const Difference &d : e.sats) {
      if (d.arc[0] < 0 || d.arc[1] < 0) continue;
      Row r{&d, {}, 0, 0};
      for (int b = 0; b < band_count; ++b) {
        const auto bi = static_cast<std::size_t>(b);
        r.y[bi] = d.phase[bi] + d.unit.dot(x.head<3>()) - x[at.arcs + d.arc[bi]] * speed_of_light / band_hz(d.sat, b);
      }
      // Two phases and the prior of the ionosphere leave one range: its weight and value by elimination of the delay.
      const double v = noise.phase_white(d.elevation) + (o.correlated_noise ? noise.multipath(d.elevation) : 0);
      const double g = iono_factor(d.sat, 1), vi = o.ionosphere ? iono_variance : 1e-12;
      Eigen::Matrix2d q;
      q << v + vi, vi * g, vi * g, v + vi * g * g;
      const Eigen::Vector2d w = q.inverse() * Eigen::Vector2d::Ones();
      r.weight = w.sum();
      r.free = w.dot(Eigen::Vector2d(r.y[0], r.y[1])) / r.weight;
      rows.push_back(r);
    }
    if (rows.size() < 4) continue;
    std::map<char, Index> clock;
    for (const Row &r : rows) clock.emplace(r.d->sat.system, 0);
    Index next = 1;
    for (auto &[system, i] : clock) i = next++;
    MatrixXd n = MatrixXd::Zero(next, next);
    VectorXd u = VectorXd::Zero(next);
    n(0, 0) = 1 / ztd_variance;
    u[0] = ztd / ztd_variance;
    for (const Row &r : rows) {
      VectorXd a = VectorXd::Zero(next);
      a[0] = r.d->wet_mapping;
      a[clock[r.d->sat.system]] = 1;
      n += r.weight * a * a.transpose();
      u += r.weight * a * r.free;
    }
    const Eigen::LDLT<MatrixXd> solver(n);
    const VectorXd t = solver.solve(u);
    const VectorXd unit = VectorXd::Unit(next, 0);
    const double posterior = solver.solve(unit)[0];
    if (o.relative_troposphere) {
      // The epochs share their multipath: the filter of the zenith delay must not learn from each as if it were new.
      const double phi = o.correlated_noise ? std::exp(-o.interval_s / o.correlation_s) : 0;
      const double learn = (1 - phi) / (1 + phi);
      ztd += learn * (t[0] - ztd);
      ztd_variance += learn * (posterior - ztd_variance);
    }
    for (const Row &r : rows) {
      const double known = t[0] * r.d->wet_mapping + t[clock[r.d->sat.system]];
      const double g = iono_factor(r.d->sat, 1);
      const double v = noise.phase_white(r.d->elevation) + (o.correlated_noise ? noise.multipath(r.d->elevation) : 0);
      const double e0 = r.y[0] - known, e1 = r.y[1] - known;
      const double delay = o.ionosphere ? -(e0 + g * e1) / v / ((1 + g * g) / v + 1 / iono_variance) : 0;
      ResidualSample sample{e.time,
                            r.d->sat,
                            {static_cast<float>(e0 + delay), static_cast<float>(e1 + g * delay)},
                            static_cast<float>(r.d->elevation)};
      for (float q : sample.residual) square += static_cast<double>(q) * static_cast<double>(q);
      count += 2;
      out.residuals.push_back(sample);
    }
  }
  out.rms_m = count ? std::sqrt(square / static_cast<double>(count)) : 0;
}

} // namespace

std::string solution_name(Solution s) {
  switch (s) {
  case Solution::code:
    return "code";
  case Solution::floating:
    return "float";
  case Solution::partly_fixed:
    return "partly fixed";
  case Solution::fixed:
    return "fixed";
  }
  return "";
}

StaticVector solve_static(const OccupationModel &base, const OccupationModel &rover, const Orbits &orbits,
                          const StaticOptions &options, const std::vector<LeftOutSpan> &left_out,
                          const Progress &progress) {
  StaticVector out;
  const Vec3 start = rover.marker - base.marker;
  const double length = start.norm();
  std::vector<ForcedBreak> breaks;
  for (int attempt = 0;; ++attempt) {
    const DifferencedSession s = difference(base, rover, options, left_out, breaks);
    if (s.epochs.size() < 4 || s.arcs.size() < 8)
      throw InputError("too little data in common: " + std::to_string(s.epochs.size()) + " epochs, " +
                       std::to_string(s.arcs.size()) + " carrier arcs");
    Filter filter(s, options, length, rover.height - base.height);
    filter.run(progress);
    if (!filter.breaks().empty() && attempt < 3) {
      breaks.insert(breaks.end(), filter.breaks().begin(), filter.breaks().end());
      continue;
    }
    const Layout &at = filter.layout();
    const Fixed f = fix(filter.state(), filter.covariance(), at.arcs, s.arcs, options);
    out.d_float = start + filter.state().head<3>();
    out.d = start + f.x.head<3>();
    out.cov = f.p.topLeftCorner<3, 3>();
    out.solution = f.solution;
    out.ratio = f.ratio;
    out.success_rate = f.success;
    out.integers = f.integers;
    out.arcs = s.arcs;
    out.slips = s.slips;
    out.notes = s.notes;
    out.rejected = filter.rejected();
    out.model_fit = filter.fit();
    out.epochs = static_cast<int>(s.epochs.size());
    out.first = s.epochs.front().time;
    out.last = s.epochs.back().time;
    out.zenith_difference_m = f.x[3];
    std::set<SatId> sats;
    for (const CarrierArc &a : s.arcs) sats.insert(a.sat);
    out.satellites = static_cast<int>(sats.size());
    residuals(s, options, filter, f.x, out);
    break;
  }
  // Orbit errors scale with length over distance to the satellites (common practice: Δb = b Δr / 20 000 km); the mean
  // over the satellites in view cancels most of it.
  const double orbit = length * orbits.position_sd() / 2.0e7 / std::sqrt(std::max(1.0, out.satellites / 2.0));
  const Mat3 axes = local_axes(to_geodetic(rover.marker));
  const Mat3 extra = axes.transpose() *
                     Vec3(options.type_b_plan, options.type_b_plan, options.type_b_up).cwiseAbs2().asDiagonal() * axes;
  out.cov = ((out.cov + out.cov.transpose()) / 2).eval() + orbit * orbit * Mat3::Identity() + extra;
  return out;
}

} // namespace ampletie
