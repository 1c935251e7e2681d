#include "gnss/kinematic/motion.h"
#include <algorithm>
#include <cmath>

namespace ampletie {
namespace {

bool solved(const TrackEpoch &e) { return e.state != TrackState::none && e.state != TrackState::code; }

/// Place and velocity at one side of a gap, from the solved epochs of a second before or after it.
struct Side {
  GpsTime time;
  Vec3 place, velocity;
  Mat3 cov;
  bool good = false;
};
Side side(const KinematicTrack &t, std::size_t i, int step) {
  Side out{t.epochs[i].time, t.epochs[i].position, Vec3::Zero(), t.epochs[i].cov, false};
  std::size_t k = i;
  for (;;) {
    const auto next = static_cast<std::ptrdiff_t>(k) + step;
    if (next < 0 || next >= static_cast<std::ptrdiff_t>(t.epochs.size())) break;
    const TrackEpoch &e = t.epochs[static_cast<std::size_t>(next)];
    if (!solved(e) || std::abs(e.time - out.time) > std::max(1.0, t.interval) + 1e-3) break;
    k = static_cast<std::size_t>(next);
  }
  if (k == i) return out;
  out.velocity = (t.epochs[k].position - out.place) / (t.epochs[k].time - out.time);
  out.good = true;
  return out;
}

Vec3 cubic(const Side &a, const Side &b, double u) {
  return cubic_between(a.place, a.velocity, b.place, b.velocity, b.time - a.time, u);
}

/// Spectral density of the acceleration, m²/s³ per axis, as leading over solved parts of this length shows it.
double acceleration_density(const KinematicTrack &t, double length) {
  double sum = 0;
  int count = 0;
  const auto n = t.epochs.size();
  const auto span = static_cast<std::size_t>(std::max(2.0, std::round(length / t.interval)));
  const std::size_t stride = std::max<std::size_t>(1, n / 400);
  for (std::size_t i = 0; i + span < n; i += stride) {
    const std::size_t k = i + span;
    const double T = t.epochs[k].time - t.epochs[i].time;
    if (T > 1.5 * length + t.interval || !solved(t.epochs[i]) || !solved(t.epochs[k])) continue;
    const Side a = side(t, i, -1), b = side(t, k, 1);
    const std::size_t m = i + span / 2;
    if (!a.good || !b.good || !solved(t.epochs[m])) continue;
    const double u = (t.epochs[m].time - a.time) / T;
    const double unit = T * T * T * std::pow(u * (1 - u), 3) / 3;
    sum += (t.epochs[m].position - cubic(a, b, u)).squaredNorm() / 3 / unit;
    ++count;
  }
  // Without any part as long: a tenth of gravity, changing every second.
  return count >= 5 ? sum / count : 1.0;
}

} // namespace

Vec3 cubic_between(const Vec3 &a, const Vec3 &velocity_a, const Vec3 &b, const Vec3 &velocity_b, double seconds,
                   double u) {
  const double u2 = u * u, u3 = u2 * u;
  return (2 * u3 - 3 * u2 + 1) * a + (u3 - 2 * u2 + u) * seconds * velocity_a + (3 * u2 - 2 * u3) * b +
         (u3 - u2) * seconds * velocity_b;
}

void find_velocities(KinematicTrack &t) {
  for (std::size_t i = 0; i < t.epochs.size(); ++i) {
    const std::size_t a = i > 0 ? i - 1 : i, b = i + 1 < t.epochs.size() ? i + 1 : i;
    const TrackEpoch &x = t.epochs[a], &y = t.epochs[b];
    if (a == b || y.time - x.time > 2.5 * t.interval + 0.5 || x.state != y.state || !solved(x) || !solved(y)) continue;
    t.epochs[i].velocity = (y.position - x.position) / (y.time - x.time);
  }
}

void bridge_gaps(KinematicTrack &t) {
  std::map<int, double> densities;
  for (std::size_t i = 0; i < t.epochs.size(); ++i) {
    if (t.epochs[i].state != TrackState::none || i == 0) continue;
    std::size_t k = i;
    while (k < t.epochs.size() && t.epochs[k].state == TrackState::none) ++k;
    if (k == t.epochs.size()) return;
    const Side a = side(t, i - 1, -1), b = side(t, k, 1);
    const double T = b.time - a.time;
    if (a.good && b.good && T <= 120) {
      const auto [it, fresh] = densities.try_emplace(static_cast<int>(std::lround(T)), 0);
      if (fresh) it->second = acceleration_density(t, T);
      for (std::size_t m = i; m < k; ++m) {
        TrackEpoch &e = t.epochs[m];
        const double u = (e.time - a.time) / T;
        e.position = cubic(a, b, u);
        e.cov =
            Mat3::Identity() * (it->second * T * T * T * std::pow(u * (1 - u), 3) / 3) + (1 - u) * a.cov + u * b.cov;
        e.bridged = true;
      }
    }
    i = k;
  }
}

std::vector<Standstill> find_standstills(const KinematicTrack &t, double least_s, double radius_m) {
  std::vector<Standstill> out;
  std::size_t i = 0;
  while (i < t.epochs.size()) {
    if (!solved(t.epochs[i])) {
      ++i;
      continue;
    }
    Vec3 sum = t.epochs[i].position;
    std::size_t k = i + 1, n = 1;
    for (; k < t.epochs.size(); ++k) {
      const TrackEpoch &e = t.epochs[k];
      if (!solved(e)) break;
      const double own = std::sqrt(e.cov.trace() / 3);
      if ((e.position - sum / static_cast<double>(n)).norm() > radius_m + 2 * own) break;
      sum += e.position, ++n;
    }
    // What creeps on evenly does not stand.
    const double lasted = t.epochs[k - 1].time - t.epochs[i].time;
    const std::size_t third = (k - i) / 3;
    bool stands = lasted >= least_s - 1e-3 && third >= 1;
    if (stands) {
      Vec3 early = Vec3::Zero(), late = Vec3::Zero();
      for (std::size_t m = 0; m < third; ++m) early += t.epochs[i + m].position, late += t.epochs[k - 1 - m].position;
      const double own = std::sqrt(t.epochs[i].cov.trace() / 3);
      stands = ((late - early) / static_cast<double>(third)).norm() < 0.5 * radius_m + own;
    }
    if (stands) {
      out.push_back({i, k - 1});
      i = k;
    } else
      ++i;
  }
  return out;
}

} // namespace ampletie
