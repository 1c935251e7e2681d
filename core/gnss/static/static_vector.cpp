#include "gnss/static/static_vector.h"
#include "base/angle.h"
#include "base/error.h"
#include "geodesy/ellipsoid.h"
#include "gnss/ambiguity/fixing.h"
#include "gnss/static/filter.h"
#include "gnss/static/residuals.h"
#include <fmt/format.h>
#include <set>

namespace ampletie {

namespace {
/// From here on the lasting share is worth a sentence in the notes.
constexpr double notable_share = 0.3;
/// How far the lasting share of one place may be from the prior, and how well an hour of sixteen satellites shows it
/// (scatter over simulated sessions of one and the same share; below twenty minutes it grows no further).
constexpr double share_sd = 0.05, share_seen_sd = 0.11, share_seen_from_s = 1200;

/// The noise model after the residuals have been heard. The prior counts as much as half an hour of data; sessions
/// shorter than that only learn that the noise is larger. The share that lasts is only ever learnt upwards: a session
/// of less than ten correlation times believes what no scatter explains, a longer one leans towards what it sees.
StaticOptions learn(const StaticOptions &prior, const StaticVector &solved) {
  StaticOptions o = prior;
  o.ionosphere_ppm = solved.noise.ionosphere_ppm;
  if (solved.ionosphere_ratio > 1) {
    // Delays beyond their prior spoil everything else the residuals could say: first the one, then the other. The
    // usual prior is 1.4 times the delays that it is for; so is the wider one.
    o.ionosphere_ppm *= 1.4 * std::sqrt(solved.ionosphere_ratio);
    return o;
  }
  const double seconds = solved.last - solved.first;
  // Multipath is about two thirds of the variance: what the residuals have too much is charged to it. A solution that
  // has learnt already states its residuals against what it used.
  const double used = std::pow(solved.noise.phase_multipath / prior.phase_multipath, 2);
  const double ratio = solved.noise_ratio * (1 + 2 * used) / 3, slow = solved.slow_share * used;
  // A noise that is larger than thought shows sooner than one that is smaller.
  const double weight = seconds / (seconds + (ratio > 1 && seconds >= 1800 ? 450 : 1800));
  const double scale = std::clamp(1 + 1.5 * weight * (ratio - 1), seconds < 1800 ? 1.0 : 0.6, 9.0);
  o.phase_multipath *= std::sqrt(scale);
  const double seen =
      share_seen_sd * share_seen_sd * 3600 / std::max(seconds, share_seen_from_s) * 16 / std::max(4, solved.satellites);
  const double more = slow / scale - o.diffuse_share;
  if (more > 0) {
    // Empirical Bayes: what the scatter of the estimate does not account for is the place's own.
    const double own = std::max(seconds > 10 * prior.correlation_s ? share_sd * share_sd : 0, more * more - seen);
    o.diffuse_share = std::min(1.0, o.diffuse_share + own / (own + seen) * more);
  }
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
    FilterLeg leg{&s, start, rover.height - base.height, !base.receiver.empty() && base.receiver == rover.receiver, {}};
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
    out.noise = {options.phase_multipath, options.diffuse_share, options.ionosphere_ppm};
    out.ionosphere_ratio = evidence.ionosphere_ratio();
    out.slow_share = evidence.slow_share;
    break;
  }
  return out;
}
} // namespace

Mat3 type_b(const OccupationModel &base, const OccupationModel &rover, const Orbits &orbits,
            const StaticOptions &options, int satellites) {
  return type_b(base.marker, rover.marker, orbits, options, satellites);
}

Mat3 type_b(const Vec3 &base, const Vec3 &rover, const Orbits &orbits, const StaticOptions &options, int satellites) {
  const Geodetic place = to_geodetic(rover);
  const double length = (rover - base).norm();
  // Orbit errors scale with length over distance to the satellites (common practice: Δb = b Δr / 20 000 km); the mean
  // over the satellites in view cancels most of it, in height about a third as well: a zenith delay is estimated beside
  // it.
  const double orbit = length * orbits.position_sd() / 2.0e7 / std::sqrt(std::max(1.0, satellites / 2.0));
  const Mat3 axes = local_axes(place);
  const double plan = std::hypot(options.type_b_plan, options.type_b_ppm * 1e-6 * length);
  // No mapping function fits the atmosphere of the day: what the difference of heights leaves in height.
  const double steep = options.type_b_steep * std::abs(place.h - to_geodetic(base).h) / 1000;
  const Vec3 sd(std::hypot(plan, orbit), std::hypot(plan, orbit), std::hypot(options.type_b_up, 3 * orbit, steep));
  return axes.transpose() * sd.cwiseAbs2().asDiagonal() * axes;
}

StaticVector solve_static(const OccupationModel &base, const OccupationModel &rover, const Orbits &orbits,
                          const StaticOptions &options, const std::vector<LeftOutSpan> &left_out,
                          const Progress &progress) {
  std::vector<ForcedBreak> breaks;
  StaticVector out = solve_with(base, rover, options, left_out, breaks, progress);
  if (options.correlated_noise && options.learn_noise) {
    // Integers that only a truer noise settles make the residuals say more of it: heard again, then only upwards.
    StaticOptions used = options;
    for (int pass = 0; pass < 3; ++pass) {
      StaticOptions better = learn(options, out);
      if (pass > 0) {
        better.phase_multipath = std::max(better.phase_multipath, used.phase_multipath);
        better.diffuse_share = std::max(better.diffuse_share, used.diffuse_share);
      }
      if (better.ionosphere_ppm < 1.1 * used.ionosphere_ppm &&
          std::abs(better.phase_multipath / used.phase_multipath - 1) < 0.1 &&
          better.diffuse_share - used.diffuse_share < (pass > 0 ? 0.1 : 0.02))
        break;
      used = better;
      out = solve_with(base, rover, used, left_out, breaks, progress);
    }
  }
  if (out.noise.diffuse_share > notable_share)
    out.notes.push_back(fmt::format("reflections last here: {:.0f} % of the multipath does not average out within "
                                    "minutes; the accuracy given allows for it",
                                    100 * out.noise.diffuse_share));
  if (out.noise.ionosphere_ppm > 1.1 * options.ionosphere_ppm)
    out.notes.push_back(fmt::format("the ionosphere was uneven: {:.1f} ppm of the length, {:.1f} ppm is usual",
                                    out.noise.ionosphere_ppm, options.ionosphere_ppm));
  out.cov = ((out.cov + out.cov.transpose()) / 2).eval() + type_b(base, rover, orbits, options, out.satellites);
  return out;
}

} // namespace ampletie
