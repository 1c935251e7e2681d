#include "gnss/quality/stillness.h"
#include "gnss/model/steps.h"
#include <algorithm>
#include <map>

namespace ampletie {
namespace {
constexpr double longest_step_s = 65, one_span_s = 10;
/// Steps on which the satellites agree worse than this say nothing, m.
constexpr double worst_rms = 0.06;
/// A slow walk between frequent epochs is a step too small to be seen: at least so many seconds are looked at together.
constexpr double least_step_s = 1;
} // namespace

std::vector<Moved> find_movement(const OccupationModel &m, double least_m) {
  std::vector<Moved> out;
  std::size_t before = 0;
  for (std::size_t i = 1; i < m.epochs.size(); ++i) {
    const ModelledEpoch &a = m.epochs[before], &b = m.epochs[i];
    const double dt = b.time - a.time;
    // A slip in between is one at the end, for what is looked at here.
    if (dt < least_step_s - 1e-3) continue;
    std::vector<CarrierStep> steps;
    std::map<char, int> systems;
    if (dt <= longest_step_s)
      for (const ModelledObservation &o : b.sats) {
        const auto it = std::lower_bound(a.sats.begin(), a.sats.end(), o.sat,
                                         [](const ModelledObservation &x, SatId s) { return x.sat < s; });
        if (it == a.sats.end() || !(it->sat == o.sat) || (o.slip & 1)) continue;
        const double y = o.phase[0] - it->phase[0];
        if (!std::isfinite(y)) continue;
        const int system = systems.try_emplace(o.sat.system, static_cast<int>(systems.size())).first->second;
        steps.push_back({o.unit, system, y, 0.06 + 0.002 * dt});
      }
    before = i;
    const StepFit f = fit_steps(steps);
    // Where many do not agree (a new message of every satellite steps by decimetres) nothing is said of the antenna.
    const auto agree = static_cast<std::size_t>(std::count(f.jumped.begin(), f.jumped.end(), false));
    if (!f.told || agree < 6 + systems.size() || 4 * agree < 3 * steps.size() || f.rms > worst_rms ||
        f.way.norm() < std::min(least_m, 0.05 + 0.05 * dt))
      continue;
    if (!out.empty() && a.time - out.back().to <= one_span_s)
      out.back().to = b.time, out.back().metres += f.way.norm();
    else
      out.push_back({a.time, b.time, f.way.norm()});
  }
  std::erase_if(out, [&](const Moved &x) { return x.metres < least_m; });
  return out;
}

MovingShare moving_share(const OccupationModel &m, const std::vector<Moved> &spans) {
  MovingShare out;
  for (std::size_t i = 1; i < m.epochs.size(); ++i)
    out.seen_s += std::min(m.epochs[i].time - m.epochs[i - 1].time, longest_step_s);
  for (const Moved &x : spans) out.moved_s += x.to - x.from;
  return out;
}

} // namespace ampletie
