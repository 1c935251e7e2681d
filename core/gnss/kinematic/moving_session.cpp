#include "gnss/kinematic/moving_session.h"
#include "base/angle.h"
#include "base/median.h"
#include "gnss/model/signal_pairs.h"
#include "gnss/model/steps.h"
#include <Eigen/Dense>
#include <cmath>

namespace ampletie {
namespace {

constexpr double same_instant = 2e-3; ///< s
/// A gap of all carriers over which steps can still be told from whole cycles, s.
constexpr double longest_step = 10;

/// One carrier followed from epoch to epoch.
struct Followed {
  int arc = -1;
  double phase = 0;
  std::size_t epoch = 0; ///< place of the last value in the list
  bool pending = true;
};

const ModelledObservation *find(const ModelledEpoch &e, SatId sat) {
  const auto it = std::lower_bound(e.sats.begin(), e.sats.end(), sat,
                                   [](const ModelledObservation &o, SatId s) { return o.sat < s; });
  return it != e.sats.end() && it->sat == sat ? &*it : nullptr;
}

/// The base's value at an instant.
struct BaseValue {
  const ModelledObservation *before = nullptr, *after = nullptr; ///< `after` only where it is interpolated
  double u = 0, gap = 0;
  /// What brings their reduced values to the message that the moving receiver's epoch uses, m.
  double shift_before = 0, shift_after = 0;
  double phase(std::size_t i) const {
    return after ? (1 - u) * (before->phase[i] + shift_before) + u * (after->phase[i] + shift_after) : before->phase[i];
  }
  double code(std::size_t i) const {
    const auto a = static_cast<double>(before->code[i]);
    return after ? (1 - u) * (a + shift_before) + u * (static_cast<double>(after->code[i]) + shift_after) : a;
  }
  double mix(float ModelledObservation::*what) const {
    const auto a = static_cast<double>(before->*what);
    return after ? (1 - u) * a + u * static_cast<double>(after->*what) : a;
  }
};

class Pairing {
public:
  Pairing(const ModelledTrack &base, const ModelledTrack &rover, const Orbits &orbits, const StaticOptions &options,
          const std::vector<LeftOutSpan> &left_out, const std::vector<ForcedBreak> &breaks)
      : base_(base), at_base_(base), rover_(rover), orbits_(orbits), left_out_(left_out), breaks_(breaks),
        pairs_(pair_signals(base.about, rover.about, options)), noise_(base),
        noise_counts_(options.interpolation_noise) {
    out.integer_systems = pairs_.integer_systems;
    out.carrier_bias_sd = pairs_.carrier_bias_sd;
    out.notes = pairs_.notes;
    out.interval = rover.about.interval;
  }
  MovingSession out;

  void run(const Progress &progress) {
    out.epochs.reserve(rover_.size());
    std::size_t i = 0; // first base epoch that is not before the rover's
    ModelledEpoch r;
    for (std::size_t k = 0; k < rover_.size(); ++k) {
      progress.check();
      rover_.load(k, r);
      while (i < base_.size() && base_.time(i) - r.time < -same_instant) ++i;
      epoch(r, i);
    }
  }

private:
  /// Slips of the base break the arcs of the moving receiver, whenever that looks next.
  void note_base(const ModelledEpoch &e) {
    for (const ModelledObservation &o : e.sats) {
      if (!o.slip) continue;
      const auto p = pairs_.systems.find(o.sat.system);
      if (p == pairs_.systems.end()) continue;
      for (std::size_t b = 0; b < p->second.signals.size(); ++b)
        if (o.slip & (1U << p->second.signals[b].first)) follow_[o.sat][b].pending = true;
    }
  }

  /// Both ends of a difference must use one message of a satellite: a new one steps by decimetres. What is added to a
  /// value of the base at `time` that was reduced with that epoch's message so that it is by that of `epoch`.
  double to_message_of(SatId sat, GpsTime time, GpsTime epoch) const {
    if (orbits_.issue(sat, time) == orbits_.issue(sat, epoch)) return 0;
    const auto own = sight(orbits_, sat, base_.about.marker, time, time),
               other = sight(orbits_, sat, base_.about.marker, time, epoch);
    if (!own || !other) return NAN;
    return own->range - speed_of_light * own->clock - (other->range - speed_of_light * other->clock);
  }

  BaseValue at_base(SatId sat, GpsTime t, std::size_t i) {
    BaseValue v;
    if (i < base_.size() && std::abs(base_.time(i) - t) <= same_instant) {
      v.before = find(at_base_.at(i), sat);
      return v;
    }
    if (i == 0 || i >= base_.size() || base_.time(i) - base_.time(i - 1) > longest_interpolation) return v;
    const ModelledEpoch &a = at_base_.at(i - 1), &b = at_base_.at(i);
    v.before = find(a, sat), v.after = find(b, sat);
    if (!v.before || !v.after) return {};
    v.gap = b.time - a.time, v.u = (t - a.time) / v.gap;
    v.shift_before = to_message_of(sat, a.time, t), v.shift_after = to_message_of(sat, b.time, t);
    return v;
  }

  void epoch(const ModelledEpoch &r, std::size_t i) {
    MovingEpoch e;
    e.time = r.time, e.start = r.at, e.zenith_rate = r.zenith_rate, e.height = r.height, e.clock = r.clock;
    const bool exact = i < base_.size() && std::abs(base_.time(i) - r.time) <= same_instant;
    e.bracketed = exact || (i > 0 && i < base_.size() && base_.time(i) - base_.time(i - 1) <= longest_interpolation);
    while (noted_ < i + (exact ? 1 : 0)) note_base(at_base_.at(noted_++));
    const std::size_t index = out.epochs.size();
    for (const ModelledObservation &o : r.sats) {
      const auto plan = pairs_.systems.find(o.sat.system);
      if (plan == pairs_.systems.end()) continue;
      auto &follow = follow_[o.sat];
      for (std::size_t b = 0; b < plan->second.signals.size(); ++b)
        if (o.slip & (1U << plan->second.signals[b].second)) follow[b].pending = true;
      const BaseValue base = at_base(o.sat, r.time, i);
      if (!base.before) continue;
      difference(o, base, plan->second, e);
    }
    cut(e, index);
    std::erase_if(e.sats, [](const MovingDifference &d) {
      return std::none_of(d.code.begin(), d.code.end(), [](double v) { return std::isfinite(v); }) &&
             std::all_of(d.arc.begin(), d.arc.end(), [](int a) { return a < 0; });
    });
    out.append(e);
  }

  void difference(const ModelledObservation &o, const BaseValue &base, const SignalPairs::Bands &plan, MovingEpoch &e) {
    MovingDifference d;
    d.sat = o.sat;
    d.unit = o.unit;
    d.elevation = std::min(base.mix(&ModelledObservation::elevation), static_cast<double>(o.elevation));
    d.azimuth = static_cast<double>(o.azimuth);
    const double at_base = base.mix(&ModelledObservation::wet_mapping), own = static_cast<double>(o.wet_mapping);
    d.wet_mapping = (at_base + own) / 2, d.wet_step = own - at_base;
    d.interpolated = base.after && noise_counts_ ? noise_.variance(o.sat, base.u, base.gap) : 0;
    d.code.fill(NAN), d.phase.fill(NAN);
    auto &hz = out.hz[o.sat];
    if (hz[0] == 0) hz = pairs_.hz(o.sat, base_.about.glonass_channel);
    for (std::size_t b = 0; b < plan.signals.size(); ++b) {
      if (std::any_of(left_out_.begin(), left_out_.end(),
                      [&](const LeftOutSpan &s) { return s.covers(o.sat, plan.names[b], e.time); }))
        continue;
      const auto i = static_cast<std::size_t>(plan.signals[b].first),
                 j = static_cast<std::size_t>(plan.signals[b].second);
      // A slip of the base between the two epochs: nothing can be interpolated over it.
      const bool broken = base.after && (base.after->slip & (1U << i));
      if (!broken) d.phase[b] = o.phase[j] - base.phase(i);
      d.code[b] = static_cast<double>(o.code[j]) - base.code(i);
    }
    e.sats.push_back(d);
  }

  /// Cuts the carriers into arcs.
  void cut(MovingEpoch &e, std::size_t index) {
    std::vector<CarrierStep> steps;
    std::vector<std::pair<std::size_t, std::size_t>> of; // satellite and band of each
    std::map<char, int> systems;
    const double gap = index > 0 ? e.time - out.epochs[index - 1].time : 1e9;
    if (gap <= longest_step)
      for (std::size_t s = 0; s < e.sats.size(); ++s) {
        const MovingDifference &d = e.sats[s];
        const auto &hz = out.hz.at(d.sat);
        for (std::size_t b = 0; b < band_count; ++b) {
          const Followed &f = follow_[d.sat][b];
          if (!std::isfinite(d.phase[b]) || f.pending || f.arc < 0 || f.epoch + 1 != index) continue;
          const int system = systems.try_emplace(d.sat.system, static_cast<int>(systems.size())).first->second;
          // The ionosphere runs on; whole cycles are a third of a wavelength away from it.
          steps.push_back({d.unit, system, d.phase[b] - f.phase, 0.35 * speed_of_light / hz[b] + 0.0003 * gap});
          of.emplace_back(s, b);
        }
      }
    const StepFit fit = fit_steps(steps);
    std::map<std::pair<std::size_t, std::size_t>, bool> stays;
    for (std::size_t k = 0; k < steps.size(); ++k) stays[of[k]] = fit.told && !fit.jumped[k];
    for (std::size_t s = 0; s < e.sats.size(); ++s) {
      MovingDifference &d = e.sats[s];
      for (std::size_t b = 0; b < band_count; ++b) {
        if (!std::isfinite(d.phase[b])) continue;
        Followed &f = follow_[d.sat][b];
        const auto it = stays.find({s, b});
        bool same = it != stays.end() && it->second;
        for (const ForcedBreak &k : breaks_)
          if (k.sat == d.sat && k.band == static_cast<int>(b) && k.time == e.time) same = false;
        if (!same) begin(d, b, e.time, f);
        CarrierArc &arc = out.arcs[static_cast<std::size_t>(f.arc)];
        arc.last = e.time;
        ++arc.epochs;
        d.arc[b] = f.arc;
        f.phase = d.phase[b], f.epoch = index, f.pending = false;
      }
    }
  }

  void begin(const MovingDifference &d, std::size_t band, GpsTime time, Followed &f) {
    if (f.arc >= 0) ++out.slips;
    f.arc = static_cast<int>(out.arcs.size());
    CarrierArc arc;
    arc.sat = d.sat, arc.band = static_cast<int>(band), arc.first = time;
    arc.signal = pairs_.systems.at(d.sat.system).names[band];
    out.arcs.push_back(arc);
  }

  const ModelledTrack &base_;
  TrackReader at_base_;
  const ModelledTrack &rover_;
  const Orbits &orbits_;
  const std::vector<LeftOutSpan> &left_out_;
  const std::vector<ForcedBreak> &breaks_;
  SignalPairs pairs_;
  InterpolationNoise noise_;
  bool noise_counts_;
  std::size_t noted_ = 0; ///< epochs of the base whose slips are known
  std::map<SatId, std::array<Followed, band_count>> follow_;
};

} // namespace

MovingEpoch MovingSession::load(std::size_t i) const {
  MovingEpoch e;
  static_cast<MovingInstant &>(e) = epochs[i];
  sats_.read(epochs[i].first, epochs[i].count, e.sats);
  return e;
}

void MovingSession::append(const MovingEpoch &e) {
  epochs.push_back({e, sats_.size(), e.sats.size()});
  sats_.append(e.sats);
}

InterpolationNoise::InterpolationNoise(const ModelledTrack &base) {
  // The middle of three epochs against the mean of its neighbours, the receiver's clock (the median of all) taken off.
  interval_ = std::max(0.05, base.about.interval);
  std::map<SatId, std::vector<double>> all;
  std::vector<double> every;
  const std::size_t stride = std::max<std::size_t>(1, base.size() / 600);
  TrackReader epochs(base);
  for (std::size_t i = 1; i + 1 < base.size(); i += stride) {
    const ModelledEpoch &a = epochs.at(i - 1), &m = epochs.at(i), &b = epochs.at(i + 1);
    if (std::abs((b.time - m.time) - (m.time - a.time)) > 0.01 || b.time - a.time > 2 * longest_interpolation) continue;
    std::map<char, std::vector<std::pair<SatId, double>>> off;
    for (const ModelledObservation &o : m.sats) {
      const ModelledObservation *before = find(a, o.sat), *after = find(b, o.sat);
      if (!before || !after || o.slip & 1 || after->slip & 1) continue;
      const double v = o.phase[0] - (before->phase[0] + after->phase[0]) / 2;
      if (std::isfinite(v)) off[o.sat.system].emplace_back(o.sat, v);
    }
    for (const auto &[system, list] : off) {
      if (list.size() < 4) continue;
      std::vector<double> values;
      for (const auto &[sat, v] : list) values.push_back(v);
      const double clock = median(values);
      for (const auto &[sat, v] : list) all[sat].push_back(std::abs(v - clock)), every.push_back(std::abs(v - clock));
    }
  }
  auto square = [](std::vector<double> v) { return std::pow(1.4826 * median(std::move(v)), 2); };
  if (!every.empty()) pooled_ = square(every);
  for (auto &[sat, list] : all)
    if (list.size() >= 20) own_[sat] = square(std::move(list));
}

double InterpolationNoise::variance(SatId sat, double u, double gap) const {
  const auto it = own_.find(sat);
  // A random walk pinned at both ends of T has q T u (1 − u), in the middle of 2T it has q T / 2.
  const double told = it != own_.end() ? it->second : pooled_;
  return 2 * told * std::max(1.0, gap / interval_) * u * (1 - u);
}

MovingSession pair_moving(const ModelledTrack &base, const ModelledTrack &rover, const Orbits &orbits,
                          const StaticOptions &options, const std::vector<LeftOutSpan> &left_out,
                          const std::vector<ForcedBreak> &breaks, const Progress &progress) {
  Pairing p(base, rover, orbits, options, left_out, breaks);
  p.run(progress);
  return std::move(p.out);
}

} // namespace ampletie
