#pragma once
#include "gnss/model/options.h"
#include <array>
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
  /// ambiguity.
  double beyond(double arc_s) const { return beyond(arc_s, &Kept::mean); }
  /// The same of what turns evenly along the arc (mean square over it): half a period of a reflection looks like the
  /// line by which a real ambiguity and the position trade. Zero for arcs of hours.
  double drift(double arc_s) const { return beyond(arc_s, &Kept::line); }
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
  /// Shares of the variance that the mean over an arc and its best line keep of an oscillation with a damping time τ of
  /// 100 to 600 s and a period of one to two τ, averaged over both (tests/gnss sums them anew). The mean is put a
  /// little lower and of the line only `line_taken`: the ionosphere's prior already makes sessions of minutes cautious,
  /// and statistics of fixed and of real solutions came out even so.
  static constexpr double line_taken = 0.7;
  struct Kept {
    double arc_s, mean, line;
  };
  double beyond(double arc_s, double Kept::*part) const {
    static constexpr std::array<Kept, 13> kept{{{60, 0.800, 0.108},
                                                {120, 0.550, 0.217},
                                                {180, 0.380, 0.273},
                                                {300, 0.205, 0.299},
                                                {480, 0.104, 0.242},
                                                {600, 0.080, 0.191},
                                                {900, 0.052, 0.101},
                                                {1200, 0.037, 0.062},
                                                {1800, 0.0235, 0.035},
                                                {2400, 0.017, 0.024},
                                                {3600, 0.0112, 0.014},
                                                {4500, 0.0090, 0.0105},
                                                {5400, 0.0055, 0.0055}}};
    const double t = arc_s * 300 / o_.correlation_s;
    if (t >= kept.back().arc_s) return 0;
    double share = kept.front().*part;
    for (std::size_t i = 1; i < kept.size(); ++i)
      if (t > kept[i - 1].arc_s && t <= kept[i].arc_s)
        share =
            std::lerp(kept[i - 1].*part, kept[i].*part, (t - kept[i - 1].arc_s) / (kept[i].arc_s - kept[i - 1].arc_s));
    const double taken = part == &Kept::line ? line_taken : 1;
    return taken * (1 - slow_) * std::max(0.0, share - 30 / (t + 30));
  }

  StaticOptions o_;
  double interval_, slow_;
  bool like_;
};

} // namespace ampletie
