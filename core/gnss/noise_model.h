#pragma once
#include "gnss/differences.h"
#include <cmath>

namespace ampletie {

/// Noise of a difference between two receivers, by elevation; variances in m². Sources: docs/methods/static-vector.md.
class NoiseModel {
public:
  NoiseModel(const StaticOptions &o, double interval_s, bool like_receivers)
      : o_(o), interval_(interval_s), slow_(std::min(1.0, o.diffuse_share)), like_(like_receivers) {}
  /// `count`: epochs that the value is the mean of.
  double phase_white(double el, int count = 1) const {
    const double s = std::sin(el);
    const double v = o_.phase_white * o_.phase_white * (0.5 + 0.5 / (s * s));
    if (!o_.correlated_noise) return (2 * v + total(el)) / count;
    // The quick part is still alike over some 40 s (mean over the periods of the prior): closer epochs are not new.
    return (2 * v + (1 - slow_) * total(el) * std::max(1.0, 30 * count / interval_)) / count;
  }
  /// All of the carrier's noise at one epoch.
  double phase_total(double el) const {
    const double s = std::sin(el);
    return o_.phase_white * o_.phase_white * (1 + 1 / (s * s)) + total(el);
  }
  /// The slow part of the multipath, which is carried in the state.
  double multipath(double el) const { return slow_ * total(el); }
  /// What the mean over an arc keeps of the multipath's variance beyond what `phase_white` and `multipath` make of it:
  /// a reflection turns too slowly for an arc of minutes to average it. A constant of the arc, it goes with the
  /// ambiguity. An oscillation with a damping time τ of 100 to 600 s and a period of one to two τ keeps 0.81 of its
  /// variance over 60 s, 0.63 over 120 s, 0.28 over 300 s, 0.14 over 480 s (mean over τ and period); the curve lies a
  /// little lower, since the ionosphere's prior already makes sessions of minutes cautious.
  double beyond(double arc_s) const {
    const double turning = 1 / (1 + std::pow(arc_s / (0.45 * o_.correlation_s), 1.7));
    return (1 - slow_) * std::max(0.0, turning - 30 / (arc_s + 30));
  }
  double code(SatId sat, double el, int count = 1) const {
    const double s = std::sin(el);
    const double white = o_.code_white * o_.code_white * (0.5 + 0.5 / (s * s)) / count;
    // Correlated code errors enter as white ones with the variance that gives the same mean over a session.
    const double phi = std::exp(-interval_ / o_.correlation_s);
    const double inflate = o_.correlated_noise ? (1 + phi) / (1 - phi) : 1.0 / count;
    // GLONASS: every channel has a delay of its own in the receiver, decimetres, metres between unlike receivers.
    const double channels = sat.system != 'R' ? 0 : like_ ? 0.5 * 0.5 * inflate : 3.0 * 3.0 * inflate;
    return 2 * (white + o_.code_multipath * o_.code_multipath * inflate) + channels;
  }
  /// Of the whole multipath.
  double total(double el) const {
    const double c = std::cos(el), m = o_.phase_multipath;
    return 2 * m * m * (0.05 + 0.95 * c * c);
  }

private:
  StaticOptions o_;
  double interval_, slow_;
  bool like_;
};

} // namespace ampletie
