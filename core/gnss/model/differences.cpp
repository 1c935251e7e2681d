#include "gnss/model/differences.h"
#include "base/angle.h"
#include "base/median.h"
#include "gnss/model/signal_pairs.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {

struct Follow {
  std::array<int, band_count> arc{-1, -1, -1};
  std::array<double, band_count> phase{};
  std::array<bool, band_count> pending{true, true, true};
  std::array<GpsTime, band_count> last{};
  std::array<std::int64_t, band_count> offset{}; ///< cycles of repaired slips
  std::array<double, band_count> clock{};        ///< sum of the common steps at `last`
  std::array<int, band_count> chain{};           ///< which unbroken sum that is
};

struct Pair {
  const ModelledObservation *base, *rover;
};

/// What the satellites of a system have in common between two epochs: their receivers' clocks.
struct CommonStep {
  double value = 0, spread = 0; ///< median, and 1.4826 × the median deviation from it, m
};
CommonStep common_of(const std::vector<double> &steps) {
  CommonStep out{median(steps), 0};
  std::vector<double> off;
  for (double s : steps) off.push_back(std::abs(s - out.value));
  out.spread = 1.4826 * median(off);
  return out;
}

class Differencer {
public:
  Differencer(const OccupationModel &base, const OccupationModel &rover, const StaticOptions &options,
              const std::vector<LeftOutSpan> &left_out, const std::vector<ForcedBreak> &breaks)
      : base_(base), rover_(rover), options_(options), left_out_(left_out), breaks_(breaks),
        pairs_(pair_signals(base, rover, options)) {
    if ((rover.marker - base.marker).norm() > options.long_mask_from_m ||
        std::abs(rover.height - base.height) > options.steep_mask_from_m)
      mask_ = radians(options.long_mask_deg);
    out.integer_systems = pairs_.integer_systems;
    out.carrier_bias_sd = pairs_.carrier_bias_sd;
    out.notes = pairs_.notes;
  }
  DifferencedSession out;

  void run() {
    auto i = base_.epochs.begin();
    auto j = rover_.epochs.begin();
    choose_interval();
    while (i != base_.epochs.end() && j != rover_.epochs.end()) {
      const double dt = i->time - j->time;
      if (std::abs(dt) > 2e-3) {
        // Slips of the epochs that only one receiver has must not be forgotten.
        if (dt < 0)
          note_slips(*i++, false);
        else
          note_slips(*j++, true);
        continue;
      }
      note_slips(*i, false);
      note_slips(*j, true);
      epoch(*i, *j);
      ++i, ++j;
    }
    tidy();
  }

private:
  void choose_interval() {
    if (base_.epochs.empty() || rover_.epochs.empty()) return;
    const GpsTime from = std::max(base_.epochs.front().time, rover_.epochs.front().time),
                  to = std::min(base_.epochs.back().time, rover_.epochs.back().time);
    const double data = std::max({base_.interval, rover_.interval, 0.05});
    // At least some hundred epochs, as far as the data allow.
    double wanted = std::min(options_.interval_s, std::max(data, (to - from) / 100));
    if (wanted < options_.interval_s)
      wanted = wanted <= 1 ? wanted : wanted <= 5 ? std::max(data, 5.0) : wanted <= 10 ? 10 : wanted <= 15 ? 15 : 30;
    out.interval = std::max(data, std::min(wanted, options_.interval_s));
  }
  void note_slips(const ModelledEpoch &e, bool rover) {
    for (const auto &o : e.sats) {
      if (!o.slip) continue;
      const auto p = pairs_.systems.find(o.sat.system);
      if (p == pairs_.systems.end()) continue;
      for (std::size_t b = 0; b < p->second.signals.size(); ++b) {
        const auto [at_base, at_rover] = p->second.signals[b];
        if (o.slip & (1U << (rover ? at_rover : at_base))) follow_[o.sat].pending[b] = true;
      }
    }
  }
  std::vector<Pair> common(const ModelledEpoch &b, const ModelledEpoch &r) const {
    std::vector<Pair> pairs;
    auto i = b.sats.begin();
    auto j = r.sats.begin();
    while (i != b.sats.end() && j != r.sats.end()) {
      if (i->sat < j->sat)
        ++i;
      else if (j->sat < i->sat)
        ++j;
      else {
        if (pairs_.systems.count(i->sat.system)) pairs.push_back({&*i, &*j});
        ++i, ++j;
      }
    }
    return pairs;
  }
  const std::array<double, band_count> &frequencies(SatId sat) {
    auto [it, fresh] = out.hz.try_emplace(sat);
    if (fresh) it->second = pairs_.hz(sat, base_.glonass_channel);
    return it->second;
  }
  bool left_out(SatId sat, const std::string &signal, GpsTime t) const {
    return std::any_of(left_out_.begin(), left_out_.end(),
                       [&](const LeftOutSpan &s) { return s.covers(sat, signal, t); });
  }

  void epoch(const ModelledEpoch &b, const ModelledEpoch &r) {
    const GpsTime time = b.time;
    const auto pairs = common(b, r);
    std::vector<Difference> all;
    for (const Pair &p : pairs) {
      const SatId sat = p.base->sat;
      const SignalPairs::Bands &plan = pairs_.systems.at(sat.system);
      Difference d;
      d.sat = sat;
      d.unit = p.rover->unit;
      d.elevation = static_cast<double>(std::min(p.base->elevation, p.rover->elevation));
      d.azimuth = static_cast<double>(p.rover->azimuth);
      d.wet_mapping = static_cast<double>(p.base->wet_mapping + p.rover->wet_mapping) / 2;
      d.wet_step = static_cast<double>(p.rover->wet_mapping - p.base->wet_mapping);
      d.code.fill(NAN), d.phase.fill(NAN);
      bool any = false;
      for (std::size_t k = 0; k < plan.signals.size(); ++k) {
        if (left_out(sat, plan.names[k], time)) continue;
        const auto i = static_cast<std::size_t>(plan.signals[k].first),
                   j = static_cast<std::size_t>(plan.signals[k].second);
        d.phase[k] = p.rover->phase[j] - p.base->phase[i];
        if (const std::int64_t n = follow_[sat].offset[k])
          d.phase[k] -= static_cast<double>(n) * speed_of_light / frequencies(sat)[k];
        d.code[k] = static_cast<double>(p.rover->code[j]) - static_cast<double>(p.base->code[i]);
        any = any || std::isfinite(d.phase[k]);
      }
      if (any && d.elevation >= mask_) all.push_back(d);
    }
    // Time differences against the median of the system (its clock was taken from noisy code, per system): what the
    // receivers share cancels, a whole cycle stands out.
    std::map<char, std::vector<double>> steps;
    for (const Difference &d : all) {
      const Follow &f = follow_[d.sat];
      const auto clock = clocks_.find(d.sat.system);
      for (std::size_t k = 0; k < band_count; ++k)
        if (!f.pending[k] && std::isfinite(d.phase[k]) && clock != clocks_.end() && f.last[k] == clock->second.last)
          steps[d.sat.system].push_back(d.phase[k] - f.phase[k]);
    }
    for (const Difference &d : all) clocks_.try_emplace(d.sat.system);
    for (auto &[system, c] : clocks_) {
      const auto &list = steps[system];
      const CommonStep step = list.size() >= 5 ? common_of(list) : CommonStep{};
      if (list.size() >= 5 && time - c.last < 120)
        c.sum += step.value, c.spread = std::max(step.spread, 0.8 * c.spread);
      else
        ++c.chain, c.sum = 0, c.spread = 0;
      c.last = time;
    }
    for (Difference &d : all) cut(d, time);
    const double phase_of_interval = std::remainder(time.time_of_week(), out.interval);
    if (std::abs(phase_of_interval) < 2e-3 && !all.empty()) out.epochs.push_back({time, std::move(all)});
  }

  /// Largest step of the ionosphere on the first carrier that is reckoned with, m within a minute.
  static constexpr double possible_step = 0.6;

  /// A slip is repaired when its size is certain: it lasted less than a minute, at least five steps of other carriers
  /// say what the receivers' clocks did, they agree within 3 cm, and what is left lies within a fifth of a cycle of a
  /// whole number. A wrong number would need an error of more than 0.8 cycles, ten times the noise of a low satellite.
  bool repaired(Difference &d, Follow &f, std::size_t k, double wavelength, GpsTime time, double step, double spread) {
    if (f.arc[k] < 0 || time - f.last[k] > 60 || spread > 0.03) return false;
    const double cycles = step / wavelength, whole = std::round(cycles);
    if (std::abs(cycles - whole) > 0.2 || std::abs(whole) > 1e9) return false;
    const auto n = static_cast<std::int64_t>(whole);
    if (n == 0) return true;
    f.offset[k] += n;
    d.phase[k] -= whole * wavelength;
    out.repairs.push_back({d.sat, static_cast<int>(k), time, n});
    return true;
  }

  /// Whether a step of the ionosphere (up to 0.6 m on the first carrier within a minute: the edge of a travelling
  /// disturbance at low elevation) would do to the carriers what they did, within 6 cm. It must not be mistaken for
  /// whole cycles; one carrier alone cannot tell. A step below 5 cm on every carrier needs no explanation.
  static bool ionosphere_may_explain(const std::array<bool, band_count> &known,
                                     const std::array<double, band_count> &step,
                                     const std::array<double, band_count> &hz) {
    double square = 0, product = 0, largest = 0;
    for (std::size_t k = 0; k < band_count; ++k) {
      if (!known[k]) continue;
      const double g = std::pow(hz[0] / hz[k], 2);
      square += g * g, product += g * step[k];
      largest = std::max(largest, std::abs(step[k]));
    }
    if (square == 0 || largest < 0.05) return false;
    const double delay = product / square;
    double left = 0;
    for (std::size_t k = 0; k < band_count; ++k)
      if (known[k]) left += std::pow(step[k] - delay * std::pow(hz[0] / hz[k], 2), 2);
    return std::abs(delay) < possible_step && std::sqrt(left) < 0.06;
  }

  /// The same of one carrier whose companions have slipped as well: theirs says nothing of the ionosphere then, and a
  /// step of a cycle or two may be its doing; at low elevation a part of any step. Only a companion that ran on tells.
  static bool ionosphere_may_explain(std::size_t k, double elevation, const std::array<bool, band_count> &known,
                                     const std::array<double, band_count> &step,
                                     const std::array<double, band_count> &hz) {
    const bool low = elevation < radians(20);
    if (std::abs(step[k]) < 0.05 || (!low && std::abs(step[k]) > possible_step * std::pow(hz[0] / hz[k], 2)))
      return false;
    for (std::size_t other = 0; other < band_count; ++other)
      if (other != k && known[other] && std::abs(step[other]) < 0.05) return false;
    return true;
  }

  void cut(Difference &d, GpsTime time) {
    Follow &f = follow_[d.sat];
    const Clock &clock = clocks_.at(d.sat.system);
    const auto &hz = frequencies(d.sat);
    // What the phases did beyond the receivers' clocks, where those are known from one instant to the other.
    std::array<bool, band_count> known{};
    std::array<double, band_count> step{};
    for (std::size_t k = 0; k < band_count; ++k) {
      known[k] = std::isfinite(d.phase[k]) && f.arc[k] >= 0 && f.chain[k] == clock.chain;
      if (known[k]) step[k] = d.phase[k] - f.phase[k] - (clock.sum - f.clock[k]);
    }
    const bool sure = options_.repair_slips && !ionosphere_may_explain(known, step, hz);
    for (std::size_t k = 0; k < band_count; ++k) {
      if (!std::isfinite(d.phase[k])) continue;
      const double gap = f.arc[k] < 0 ? 1e9 : time - f.last[k];
      bool cut = f.pending[k] || gap > 120;
      const double limit = 0.35 * speed_of_light / hz[k] + 0.0003 * gap;
      if (!cut && known[k] && std::abs(step[k]) > limit) cut = true;
      if (cut && known[k] && sure && !ionosphere_may_explain(k, d.elevation, known, step, hz) &&
          repaired(d, f, k, speed_of_light / hz[k], time, step[k], clock.spread))
        cut = false;
      for (const ForcedBreak &b : breaks_)
        if (b.sat == d.sat && b.band == static_cast<int>(k) && b.time == time) cut = true;
      if (cut) {
        if (f.arc[k] >= 0) ++out.slips;
        d.phase[k] += static_cast<double>(f.offset[k]) * speed_of_light / hz[k];
        f.offset[k] = 0;
        f.arc[k] = static_cast<int>(out.arcs.size());
        CarrierArc arc;
        arc.sat = d.sat;
        arc.band = static_cast<int>(k);
        arc.signal = pairs_.systems.at(d.sat.system).names[k];
        arc.first = time;
        out.arcs.push_back(arc);
      }
      CarrierArc &arc = out.arcs[static_cast<std::size_t>(f.arc[k])];
      arc.last = time;
      ++arc.epochs;
      d.arc[k] = f.arc[k];
      f.phase[k] = d.phase[k];
      f.pending[k] = false;
      f.last[k] = time;
      f.clock[k] = clock.sum;
      f.chain[k] = clock.chain;
    }
  }

  void tidy() {
    const double least = out.epochs.empty()
                             ? options_.min_arc_s
                             : std::min(options_.min_arc_s, 0.3 * (out.epochs.back().time - out.epochs.front().time));
    for (DifferenceEpoch &e : out.epochs)
      for (Difference &d : e.sats)
        for (int &a : d.arc)
          if (a >= 0 &&
              out.arcs[static_cast<std::size_t>(a)].last - out.arcs[static_cast<std::size_t>(a)].first < least)
            a = -1;
    // Only arcs that carry data at the interval of the solution stay; indices are renewed.
    std::vector<int> renumber(out.arcs.size(), -1);
    std::vector<CarrierArc> kept;
    for (DifferenceEpoch &e : out.epochs)
      for (Difference &d : e.sats)
        for (int &a : d.arc) {
          if (a < 0) continue;
          int &to = renumber[static_cast<std::size_t>(a)];
          if (to < 0) {
            to = static_cast<int>(kept.size());
            kept.push_back(out.arcs[static_cast<std::size_t>(a)]);
            kept.back().epochs = 0;
          }
          a = to;
          ++kept[static_cast<std::size_t>(to)].epochs;
        }
    out.arcs = std::move(kept);
    // The longest arc of each system and band is what the others are counted from.
    std::map<std::pair<char, int>, CarrierArc *> longest;
    for (CarrierArc &a : out.arcs) {
      CarrierArc *&best = longest[{a.sat.system, a.band}];
      if (!best || a.epochs > best->epochs) best = &a;
    }
    for (auto &[key, a] : longest) a->reference = true;
  }

  const OccupationModel &base_, &rover_;
  const StaticOptions &options_;
  const std::vector<LeftOutSpan> &left_out_;
  const std::vector<ForcedBreak> &breaks_;
  double mask_ = 0;
  SignalPairs pairs_;
  std::map<SatId, Follow> follow_;
  /// Per system, the receivers' clocks as the carriers show them: a sum of common steps as long as it does not break.
  struct Clock {
    double sum = 0, spread = 0; ///< spread of late, m
    int chain = 0;
    GpsTime last{};
  };
  std::map<char, Clock> clocks_;
};

} // namespace

DifferencedSession difference(const OccupationModel &base, const OccupationModel &rover, const StaticOptions &options,
                              const std::vector<LeftOutSpan> &left_out, const std::vector<ForcedBreak> &breaks) {
  Differencer d(base, rover, options, left_out, breaks);
  d.run();
  return std::move(d.out);
}

DifferencedSession normal_points(const DifferencedSession &s, double seconds) {
  DifferencedSession out = s;
  out.epochs.clear();
  out.interval = seconds;
  for (std::size_t i = 0; i < s.epochs.size();) {
    const double window = std::floor((s.epochs[i].time - GpsTime{}) / seconds + 1e-6);
    std::size_t k = i;
    while (k < s.epochs.size() && std::floor((s.epochs[k].time - GpsTime{}) / seconds + 1e-6) == window) ++k;
    const auto n = static_cast<int>(k - i);
    DifferenceEpoch e;
    e.time = s.epochs[i].time + (s.epochs[k - 1].time - s.epochs[i].time) / 2;
    for (const Difference &first : s.epochs[i].sats) {
      Difference sum = first;
      int have = 1;
      for (std::size_t q = i + 1; q < k; ++q) {
        const auto it = std::lower_bound(s.epochs[q].sats.begin(), s.epochs[q].sats.end(), first.sat,
                                         [](const Difference &d, SatId sat) { return d.sat < sat; });
        // The receivers' clocks move from epoch to epoch: a satellite that misses one has another mean clock.
        if (it == s.epochs[q].sats.end() || !(it->sat == first.sat) || it->arc != first.arc) break;
        ++have;
        for (std::size_t b = 0; b < band_count; ++b) sum.code[b] += it->code[b], sum.phase[b] += it->phase[b];
        sum.unit += it->unit;
        sum.wet_mapping += it->wet_mapping, sum.wet_step += it->wet_step, sum.elevation += it->elevation;
      }
      if (have < n) continue;
      for (std::size_t b = 0; b < band_count; ++b) sum.code[b] /= n, sum.phase[b] /= n;
      sum.unit.normalize();
      sum.wet_mapping /= n, sum.wet_step /= n, sum.elevation /= n;
      sum.count = n;
      e.sats.push_back(sum);
    }
    if (!e.sats.empty()) out.epochs.push_back(std::move(e));
    i = k;
  }
  return out;
}

} // namespace ampletie
