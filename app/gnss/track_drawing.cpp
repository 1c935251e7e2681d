#include "app/gnss/track_drawing.h"
#include "geodesy/ellipsoid.h"
#include <algorithm>
#include <cmath>

namespace ampletie::app {
namespace {
constexpr double within95 = 1.960;
}

TrackDrawing track_drawing(const Shared<KinematicTrack> &track, const Vec3 &base_xyz) {
  TrackDrawing d;
  d.track = track;
  const auto &epochs = track->epochs;
  const std::size_t n = epochs.size();
  const Mat3 axes = local_axes(to_geodetic(base_xyz));
  const Vec3 up = axes.row(2);
  std::vector<double> heights(n, NAN);
  d.lowest = 1e18;
  for (auto *v : {&d.half, &d.east, &d.north, &d.size, &d.height}) v->resize(n);
  d.seconds.resize(n);
  for (auto *v : {&d.state, &d.satellites, &d.bridged, &d.bracketed}) v->resize(n);
  for (std::size_t i = 0; i < n; ++i) {
    const TrackEpoch &e = epochs[i];
    d.seconds[i] = e.time - epochs.front().time;
    d.state[i] = static_cast<std::uint8_t>(e.state), d.satellites[i] = e.satellites;
    d.bridged[i] = e.bridged, d.bracketed[i] = e.bracketed;
    ++d.count[d.state[i]];
    d.half[i] = static_cast<float>(within95 * std::sqrt(std::max(0.0, up.dot(e.cov * up))));
    d.size[i] = static_cast<float>(std::sqrt(std::max(0.0, e.cov.trace())));
    const bool placed = d.placed(i);
    const Vec3 v = placed ? Vec3(axes * (e.position - base_xyz)) : Vec3(NAN, NAN, NAN);
    d.east[i] = static_cast<float>(v.x()), d.north[i] = static_cast<float>(v.y());
    if (!placed) continue;
    heights[i] = to_geodetic(e.position).h;
    if (e.state >= TrackState::floating || e.bridged) d.lowest = std::min(d.lowest, heights[i]);
  }
  for (std::size_t i = 0; i < n; ++i) d.height[i] = static_cast<float>(heights[i] - d.lowest);
  return d;
}

} // namespace ampletie::app
