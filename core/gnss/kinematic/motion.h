#pragma once
#include "gnss/kinematic/kinematic.h"

namespace ampletie {

/// On the cubic through two places with their velocities, `seconds` apart, at the share `u` of the time.
Vec3 cubic_between(const Vec3 &a, const Vec3 &velocity_a, const Vec3 &b, const Vec3 &velocity_b, double seconds,
                   double u);

/// Velocities by the epochs on both sides, m/s.
void find_velocities(KinematicTrack &t);

/// Leads the track over epochs that were not solved: the cubic that fits places and velocities on both sides, with the
/// variance of an integrated Wiener process pinned at both ends, q T³ u³ (1 − u)³ / 3 (Rasmussen and Williams 2006,
/// chapter 6.3: the cubic spline's process). How strongly the receiver accelerates is measured by leading over parts of
/// the same length that were solved.
void bridge_gaps(KinematicTrack &t);

/// Parts of at least `least_s` seconds in which the antenna stays within `radius_m` of one place, beyond what the
/// places' own deviations explain.
std::vector<Standstill> find_standstills(const KinematicTrack &t, double least_s = 4, double radius_m = 0.04);

} // namespace ampletie
