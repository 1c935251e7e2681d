#include "results/track_change.h"
#include "geodesy/ellipsoid.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace ampletie {

TrackChange track_change(const TrackResult &before, const TrackResult &now) {
  TrackChange c;
  c.fixed_before = before.fixed_share(), c.fixed_now = now.fixed_share();
  const bool same_base = before.base == now.base && before.base_setup == now.base_setup;
  const Vec3 shift = same_base ? Vec3(now.base_xyz - before.base_xyz) : Vec3(Vec3::Zero());
  const auto &a = before.solved->epochs, &b = now.solved->epochs;
  double squares = 0;
  for (std::size_t i = 0, k = 0; i < a.size() && k < b.size();) {
    if (a[i].time < b[k].time) {
      ++i;
      continue;
    }
    if (b[k].time < a[i].time) {
      ++k;
      continue;
    }
    const bool was = a[i].state == TrackState::fixed, is = b[k].state == TrackState::fixed;
    c.won += is && !was, c.lost += was && !is;
    if (was && is) {
      const double way = (b[k].position - a[i].position - shift).norm();
      ++c.compared, squares += way * way;
      if (way > c.most) c.most = way, c.most_at = b[k].time;
    }
    ++i, ++k;
  }
  if (c.compared) c.rms = std::sqrt(squares / static_cast<double>(c.compared));
  const Mat3 axes = local_axes(to_geodetic(now.base_xyz));
  for (const TrackStop &s : now.stops) {
    const TrackStop *old = stop_of(before, s.id);
    if (!old) {
      ++c.new_stops;
      continue;
    }
    const Vec3 d = same_base ? Vec3(s.d - old->d) : Vec3(now.base_xyz + s.d - before.base_xyz - old->d);
    c.stops.push_back({s.id, axes * d});
  }
  c.gone_stops = before.stops.size() - c.stops.size();
  return c;
}

std::string track_change_words(const TrackChange &c) {
  const auto mm = [](double m) { return fmt::format("{:.{}f} mm", 1000 * m, m < 0.01 ? 1 : 0); };
  std::string out =
      fmt::format("Solved again: fixed {:.1f} % before, {:.1f} % now", 100 * c.fixed_before, 100 * c.fixed_now);
  if (c.won || c.lost) out += fmt::format(" ({} epochs won, {} lost)", c.won, c.lost);
  out += c.compared ? fmt::format("; {} epochs fixed in both moved {} (rms), at most {} at {}", c.compared, mm(c.rms),
                                  mm(c.most), iso_ms(c.most_at).substr(11))
                    : "; no epoch is fixed in both";
  if (!c.stops.empty()) {
    double most = 0;
    for (const TrackChange::Stop &s : c.stops) most = std::max(most, s.enu.norm());
    out += fmt::format("; {} stop{} by at most {}", c.stops.size(), c.stops.size() == 1 ? "" : "s", mm(most));
  }
  if (c.new_stops) out += fmt::format("; {} new", c.new_stops);
  if (c.gone_stops) out += fmt::format("; {} gone", c.gone_stops);
  return out;
}

} // namespace ampletie
