#include "gnss/kinematic/short_vector.h"
#include "base/error.h"
#include "gnss/kinematic/kinematic.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {

double common_span(const OccupationModel &base, const OccupationModel &rover) {
  if (base.epochs.empty() || rover.epochs.empty()) return 0;
  return std::min(base.epochs.back().time, rover.epochs.back().time) -
         std::max(base.epochs.front().time, rover.epochs.front().time);
}

StaticVector solve_short(const OccupationModel &base, const OccupationModel &rover, const Orbits &orbits,
                         const StaticOptions &options, const std::vector<LeftOutSpan> &left_out,
                         const Progress &progress) {
  OccupationModel still = rover;
  for (ModelledEpoch &e : still.epochs) e.at = still.marker, e.height = still.height, e.clock = 0;
  std::erase_if(still.epochs, [&](const ModelledEpoch &e) {
    return e.time - base.epochs.front().time < -2e-3 || e.time - base.epochs.back().time > 2e-3;
  });
  if (still.epochs.size() < 2)
    throw InputError(fmt::format("too little data in common: {} epochs", still.epochs.size()));
  const auto k = solve_kinematic(base, still, orbits, options, left_out, progress);
  const GpsTime first = still.epochs.front().time, last = still.epochs.back().time;
  const StopPlace p = k->stop(first, last);
  if (p.place.state <= TrackState::code)
    throw InputError(fmt::format("{} epochs in common over {:.0f} s with {} satellites: too little for a vector",
                                 p.epochs, last - first, p.place.satellites));
  StaticVector out;
  out.d = out.d_float = p.place.position - base.marker, out.cov = p.place.cov;
  out.solution = p.place.state == TrackState::fixed          ? Solution::fixed
                 : p.place.state == TrackState::partly_fixed ? Solution::partly_fixed
                                                             : Solution::floating;
  out.ratio = k->track.ratio, out.success_rate = out.solution == Solution::fixed ? options.success_limit : 0;
  out.rms_m = p.place.rms_m, out.noise_ratio = k->track.noise_ratio, out.model_fit = k->track.noise_ratio;
  out.epochs = static_cast<int>(p.epochs), out.satellites = p.place.satellites;
  out.rejected = p.place.rejected, out.slips = k->track.slips;
  out.first = first, out.last = last, out.interval_s = still.interval, out.notes = k->track.notes;
  out.notes.push_back(fmt::format("{:.0f} seconds of data: solved as a standstill of a moving receiver", last - first));
  return out;
}

} // namespace ampletie
