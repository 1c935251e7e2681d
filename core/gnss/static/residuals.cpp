#include "gnss/static/residuals.h"
#include "gnss/static/filter.h"
#include <Eigen/Dense>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// One satellite at one epoch: its carriers with the ionosphere reduced to its prior.
struct Sample {
  const Difference *d;
  std::array<double, band_count> y{}, factor{};
  double variance, iono_variance, value = 0, weight = 0, zenith = 0; ///< `zenith`: partial of the relative zenith delay

  /// The range that is left when the delay is eliminated, with its weight.
  void combine() {
    double a = 1 / iono_variance, ag = 0, n = 0, sum = 0, sum_g = 0;
    for (std::size_t b = 0; b < band_count; ++b)
      if (std::isfinite(y[b])) {
        a += factor[b] * factor[b] / variance;
        ag += factor[b] / variance;
        n += 1 / variance;
        sum += y[b] / variance;
        sum_g += factor[b] * y[b] / variance;
      }
    weight = n - ag * ag / a;
    value = (sum - ag * sum_g / a) / weight;
  }
};

/// What the ionosphere leaves untouched of the residuals of one satellite: the combination of its first two carriers
/// free of it, or its only carrier. `gain` is by how much the noise of a carrier grows in it (variance).
struct Free {
  double value = NAN, gain = 1;
};
Free free_of_ionosphere(const ResidualSample &r, const std::array<double, band_count> &hz) {
  Free out;
  std::size_t first = band_count;
  for (std::size_t b = 0; b < band_count; ++b) {
    if (!std::isfinite(r.residual[b])) continue;
    if (first == band_count) {
      first = b;
      out.value = static_cast<double>(r.residual[b]);
      continue;
    }
    const double p = iono_factor(hz[first]), q = iono_factor(hz[b]), w = q / (q - p), u = p / (q - p);
    return {w * static_cast<double>(r.residual[first]) - u * static_cast<double>(r.residual[b]), w * w + u * u};
  }
  return out;
}

/// Share of the multipath that is still alike after two to four minutes, from the residuals of each satellite. `left`:
/// how much of a variance the clocks leave in the residuals.
double slow_share(const std::vector<ResidualSample> &all, const StaticOptions &o, const DifferencedSession &s,
                  bool like, double left) {
  const NoiseModel noise(o, s.interval, like);
  struct Point {
    GpsTime time;
    Free free;
    double total;
  };
  std::map<SatId, std::vector<Point>> tracks;
  for (const ResidualSample &r : all)
    if (const Free f = free_of_ionosphere(r, s.hz.at(r.sat)); std::isfinite(f.value))
      tracks[r.sat].push_back({r.time, f, f.gain * noise.total(static_cast<double>(r.elevation))});
  double found = 0, full = 0;
  for (const auto &[sat, list] : tracks)
    for (std::size_t i = 0; i < list.size(); ++i)
      for (std::size_t k = i + 1; k < list.size(); ++k) {
        const double lag = list[k].time - list[i].time;
        if (lag > 240) break;
        if (lag < 120 || list[i].free.gain != list[k].free.gain) continue;
        // Weighted by what is expected, so that no satellite speaks louder than the others.
        found += list[i].free.value * list[k].free.value / list[i].total;
        full += left * std::sqrt(list[k].total / list[i].total) * std::exp(-lag / o.correlation_s);
      }
  return full > 0 ? found / full : o.diffuse_share;
}
} // namespace

namespace {
/// The carriers of one sight without what is known of them; none when it has none.
std::optional<Sample> sample_of(const DifferencedSession &s, const StaticOptions &o, const ResidualSetting &known,
                                const NoiseModel &noise, const Difference &d) {
  Sample r;
  r.d = &d;
  r.y.fill(NAN);
  bool any = false;
  for (std::size_t b = 0; b < band_count; ++b) {
    if (d.arc[b] < 0 || !std::isfinite(d.phase[b])) continue;
    const double hz = s.hz.at(d.sat)[b];
    r.y[b] = d.phase[b] + d.unit.dot(known.position) - known.ambiguities[d.arc[b]] * speed_of_light / hz;
    r.factor[b] = iono_factor(hz);
    any = true;
  }
  if (!any) return std::nullopt;
  r.variance = noise.phase_white(d.elevation) + (o.correlated_noise ? noise.multipath(d.elevation) : 0);
  const double delay_sd = known.ionosphere_sd * shell_obliquity(d.elevation);
  r.iono_variance = o.ionosphere ? delay_sd * delay_sd : 1e-12;
  r.combine();
  return r;
}

/// What is left of a sight once zenith delay, clock (`common`) and its own delay are taken out; `evidence` learns from
/// it.
ResidualSample residual_of(const Sample &r, double common, const StaticOptions &o, const NoiseModel &noise,
                           NoiseEvidence &evidence, double &square, std::size_t &count) {
  double a = 1 / r.iono_variance, b_sum = 0;
  for (std::size_t b = 0; b < band_count; ++b)
    if (std::isfinite(r.y[b])) {
      a += r.factor[b] * r.factor[b] / r.variance;
      b_sum += r.factor[b] * (r.y[b] - common) / r.variance;
    }
  const double delay = o.ionosphere ? -b_sum / a : 0;
  if (o.ionosphere) {
    const double seen = 1 - 1 / (r.iono_variance * a);
    evidence.expected -= seen; // what the delay takes from the residuals
    evidence.delays += delay * delay / r.iono_variance, evidence.expected_delays += seen;
  }
  ResidualSample sample;
  sample.sat = r.d->sat;
  sample.elevation = static_cast<float>(r.d->elevation);
  sample.azimuth = static_cast<float>(r.d->azimuth);
  for (std::size_t b = 0; b < band_count; ++b)
    if (std::isfinite(r.y[b])) {
      const double v = r.y[b] - common + r.factor[b] * delay;
      sample.residual[b] = static_cast<float>(v);
      square += v * v;
      evidence.sum += v * v / noise.phase_total(r.d->elevation);
      evidence.expected += 1;
      ++count;
    }
  return sample;
}
} // namespace

NoiseEvidence phase_residuals(const DifferencedSession &s, const StaticOptions &o, const ResidualSetting &known,
                              StaticVector &out) {
  NoiseEvidence evidence;
  double ztd = 0, ztd_variance = known.zenith_sd * known.zenith_sd;
  double square = 0;
  std::size_t count = 0;
  double sights = 0, clocks = 0;
  const NoiseModel noise(o, s.interval, known.like_receivers);
  GpsTime before = s.epochs.front().time;
  for (const DifferenceEpoch &e : s.epochs) {
    ztd_variance += o.relative_troposphere ? o.troposphere_walk * o.troposphere_walk * (e.time - before) / 3600 : 0;
    before = e.time;
    std::vector<Sample> rows;
    // One clock per system and band: code-less, the carriers of a band may be biased as a whole.
    std::map<char, Index> clock;
    for (const Difference &d : e.sats) {
      const auto r = sample_of(s, o, known, noise, d);
      if (!r) continue;
      clock.emplace(d.sat.system, 0);
      rows.push_back(*r);
    }
    Index next = 1;
    for (auto &[system, i] : clock) i = next++;
    if (static_cast<Index>(rows.size()) < next + 1) continue;
    MatrixXd n = MatrixXd::Zero(next, next);
    VectorXd u = VectorXd::Zero(next);
    n(0, 0) = 1 / ztd_variance;
    u[0] = ztd / ztd_variance;
    for (const Sample &r : rows) {
      VectorXd a = VectorXd::Zero(next);
      a[0] = r.d->wet_mapping;
      a[clock[r.d->sat.system]] = 1;
      n += r.weight * a * a.transpose();
      u += r.weight * a * r.value;
    }
    sights += static_cast<double>(rows.size()), clocks += static_cast<double>(clock.size());
    const Eigen::LDLT<MatrixXd> solver(n);
    const VectorXd t = solver.solve(u);
    const double posterior = solver.solve(VectorXd(VectorXd::Unit(next, 0)))[0];
    if (o.relative_troposphere) {
      // The epochs share their multipath: the filter of the zenith delay must not learn from each as if it were new.
      const double phi = o.correlated_noise ? std::exp(-s.interval / o.correlation_s) : 0;
      const double learn = (1 - phi) / (1 + phi);
      ztd += learn * (t[0] - ztd);
      ztd_variance += learn * (posterior - ztd_variance);
    }
    evidence.expected -= static_cast<double>(clock.size());
    for (const Sample &r : rows) {
      const double common = t[0] * r.d->wet_mapping + t[clock[r.d->sat.system]];
      ResidualSample sample = residual_of(r, common, o, noise, evidence, square, count);
      sample.time = e.time;
      out.residuals.push_back(sample);
    }
  }
  out.rms_m = count ? std::sqrt(square / static_cast<double>(count)) : 0;
  evidence.slow_share =
      slow_share(out.residuals, o, s, known.like_receivers, sights > clocks ? 1 - clocks / sights : 1);
  return evidence;
}

} // namespace ampletie
