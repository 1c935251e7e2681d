#include "gnss/static_vector.h"
#include "base/angle.h"
#include "base/error.h"
#include "geodesy/ellipsoid.h"
#include "gnss/filter.h"
#include "gnss/fixing.h"
#include "gnss/residuals.h"
#include <fmt/format.h>
#include <set>

namespace ampletie {

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

namespace {
/// Share of the multipath that lasts where the sky is cut up (fitted to the stand-in's obstructed sessions).
constexpr double rough_share = 0.16;

/// The noise model after the residuals have been heard. The prior counts as much as half an hour of data; sessions
/// shorter than that only learn that the noise is larger. The share that lasts is learnt from sessions of more than ten
/// correlation times.
StaticOptions learn(const StaticOptions &prior, const StaticVector &first) {
  StaticOptions o = prior;
  const double seconds = first.last - first.first;
  // A noise that is larger than thought shows sooner than one that is smaller.
  const double weight = seconds / (seconds + (first.noise_ratio > 1 && seconds >= 1800 ? 450 : 1800));
  // Multipath is about two thirds of the variance: what the residuals have too much is charged to it.
  const double scale = std::clamp(1 + 1.5 * weight * (first.noise_ratio - 1), seconds < 1800 ? 1.0 : 0.6, 9.0);
  o.phase_multipath *= std::sqrt(scale);
  // A receiver that loses its satellites again and again stands among what shuts and reflects: reflections last there.
  const double interruptions = static_cast<double>(first.slips + static_cast<int>(first.repairs.size())) /
                               std::max(1.0, first.satellites * seconds / 3600);
  if (interruptions > 1) o.diffuse_share = std::max(o.diffuse_share, rough_share);
  if (seconds > 10 * prior.correlation_s)
    o.diffuse_share =
        std::clamp(prior.diffuse_share + seconds / (seconds + 1800) * (first.slow_share / scale - prior.diffuse_share),
                   o.diffuse_share, 1.0);
  return o;
}

StaticVector solve_with(const OccupationModel &base, const OccupationModel &rover, const StaticOptions &options,
                        const std::vector<LeftOutSpan> &left_out, std::vector<ForcedBreak> &breaks,
                        const Progress &progress) {
  StaticVector out;
  const Vec3 start = rover.marker - base.marker;
  for (int attempt = 0;; ++attempt) {
    const DifferencedSession s = difference(base, rover, options, left_out, breaks);
    if (s.epochs.size() < 10 || s.arcs.size() < 4)
      throw InputError(
          fmt::format("too little data in common: {} epochs, {} carrier arcs", s.epochs.size(), s.arcs.size()));
    FilterLeg leg{&s, start, rover.height - base.height, !base.receiver.empty() && base.receiver == rover.receiver};
    SessionFilter filter({leg}, options);
    filter.run(progress);
    const auto &more = filter.breaks().front();
    if (!more.empty() && attempt < 3) {
      breaks.insert(breaks.end(), more.begin(), more.end());
      continue;
    }
    const auto estimate = filter.estimate();
    const Fixed f = fix_integers(estimate.x, estimate.p, estimate.first_arc, s.arcs, s.integer_systems, options);
    out.d_float = start + estimate.x.head<3>();
    out.d = start + f.x.head<3>();
    out.cov = f.p.topLeftCorner<3, 3>();
    out.solution = f.solution;
    out.ratio = f.ratio;
    out.success_rate = f.success;
    out.integers = f.integers;
    out.story = f.story;
    out.arcs = s.arcs;
    if (f.real_arc >= 0) {
      const CarrierArc &a = s.arcs[static_cast<std::size_t>(f.real_arc)];
      out.notes.push_back(fmt::format("{} {} from {} stays real: no whole number fits it (half a cycle?), the others "
                                      "are settled without it",
                                      a.sat.name(), a.signal, iso(a.first).substr(11, 8)));
    }
    out.slips = s.slips;
    out.repairs = s.repairs;
    out.notes.insert(out.notes.end(), s.notes.begin(), s.notes.end());
    out.interval_s = s.interval;
    for (const OccupationModel *m : {&base, &rover}) {
      out.notes.insert(out.notes.end(), m->notes.begin(), m->notes.end());
      if (m->clock_jumps)
        out.notes.push_back(
            fmt::format("{} jumps of whole milliseconds between code and carrier taken out", m->clock_jumps));
    }
    out.rejected = filter.rejected();
    out.model_fit = filter.fit();
    out.epochs = static_cast<int>(s.epochs.size());
    out.first = s.epochs.front().time;
    out.last = s.epochs.back().time;
    out.zenith_difference_m = f.x[3];
    std::set<SatId> sats;
    for (const CarrierArc &a : s.arcs) sats.insert(a.sat);
    out.satellites = static_cast<int>(sats.size());
    ResidualSetting setting;
    setting.position = f.x.head<3>();
    setting.ambiguities = estimate.with_biases(f.x, 0, s);
    setting.ionosphere_sd = filter.ionosphere_sd(0);
    setting.zenith_sd = filter.zenith_sd(0);
    setting.like_receivers = leg.like_receivers;
    const NoiseEvidence evidence = phase_residuals(s, options, setting, out);
    out.noise_ratio = evidence.ratio();
    out.breaks = breaks;
    out.phase_multipath = options.phase_multipath, out.diffuse_share = options.diffuse_share;
    out.slow_share = evidence.slow_share;
    break;
  }
  return out;
}
} // namespace

Mat3 type_b(const OccupationModel &base, const OccupationModel &rover, const Orbits &orbits,
            const StaticOptions &options, int satellites) {
  const double length = (rover.marker - base.marker).norm();
  // Orbit errors scale with length over distance to the satellites (common practice: Δb = b Δr / 20 000 km); the mean
  // over the satellites in view cancels most of it, in height about a third as well: a zenith delay is estimated beside
  // it.
  const double orbit = length * orbits.position_sd() / 2.0e7 / std::sqrt(std::max(1.0, satellites / 2.0));
  const Mat3 axes = local_axes(to_geodetic(rover.marker));
  const double plan = std::hypot(options.type_b_plan, options.type_b_ppm * 1e-6 * length);
  const Vec3 sd(std::hypot(plan, orbit), std::hypot(plan, orbit), std::hypot(options.type_b_up, 3 * orbit));
  return axes.transpose() * sd.cwiseAbs2().asDiagonal() * axes;
}

StaticVector solve_static(const OccupationModel &base, const OccupationModel &rover, const Orbits &orbits,
                          const StaticOptions &options, const std::vector<LeftOutSpan> &left_out,
                          const Progress &progress) {
  std::vector<ForcedBreak> breaks;
  StaticVector out = solve_with(base, rover, options, left_out, breaks, progress);
  if (options.correlated_noise && options.learn_noise) {
    const StaticOptions better = learn(options, out);
    if (std::abs(better.phase_multipath / options.phase_multipath - 1) > 0.1 ||
        better.diffuse_share - options.diffuse_share > 0.04)
      out = solve_with(base, rover, better, left_out, breaks, progress);
  }
  out.cov = ((out.cov + out.cov.transpose()) / 2).eval() + type_b(base, rover, orbits, options, out.satellites);
  return out;
}

} // namespace ampletie
