#include "gnss/differences.h"
#include "base/angle.h"
#include <cmath>

namespace ampletie {
namespace {

double wavelength(SatId sat, int band) {
  return speed_of_light / band_hz(sat, band);
}

struct Follow {
  std::array<int, band_count> arc{-1, -1};
  std::array<double, band_count> phase{};
  std::array<bool, band_count> pending{true, true};
  GpsTime last;
  bool seen = false;
};

double median(std::vector<double> v) {
  const auto mid = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
  std::nth_element(v.begin(), mid, v.end());
  return *mid;
}

struct Pair {
  const ModelledObservation *base, *rover;
};

std::vector<Pair> common(const ModelledEpoch &b, const ModelledEpoch &r, const std::vector<char> &systems) {
  std::vector<Pair> out;
  auto i = b.sats.begin();
  auto j = r.sats.begin();
  while (i != b.sats.end() && j != r.sats.end()) {
    if (i->sat < j->sat)
      ++i;
    else if (j->sat < i->sat)
      ++j;
    else {
      if (std::find(systems.begin(), systems.end(), i->sat.system) != systems.end()) out.push_back({&*i, &*j});
      ++i, ++j;
    }
  }
  return out;
}

} // namespace

double band_hz(SatId sat, int band) { return carrier_hz(sat.system, band == 0 ? '1' : sat.system == 'E' ? '5' : '2'); }

DifferencedSession difference(const OccupationModel &base, const OccupationModel &rover, const StaticOptions &options,
                              const std::vector<LeftOutSpan> &left_out, const std::vector<ForcedBreak> &breaks) {
  DifferencedSession out;
  std::vector<char> systems;
  for (const auto &[system, s] : base.signals) {
    const auto it = rover.signals.find(system);
    if (it == rover.signals.end()) continue;
    if (it->second == s)
      systems.push_back(system);
    else
      out.notes.push_back(std::string("system ") + system + " not used: the receivers track different signals (" +
                          s.phase[1] + ", " + it->second.phase[1] + ")");
  }
  std::map<SatId, Follow> follow;
  auto i = base.epochs.begin();
  auto j = rover.epochs.begin();
  while (i != base.epochs.end() && j != rover.epochs.end()) {
    const double dt = i->time - j->time;
    if (std::abs(dt) > 2e-3) {
      // Slips of the epochs that only one receiver has must not be forgotten.
      auto &lone = dt < 0 ? i : j;
      for (const auto &o : lone->sats)
        for (std::size_t b = 0; b < band_count; ++b)
          if (o.slip[b]) follow[o.sat].pending[b] = true;
      ++lone;
      continue;
    }
    for (const auto *e : {&*i, &*j})
      for (const auto &o : e->sats)
        for (std::size_t b = 0; b < band_count; ++b)
          if (o.slip[b]) follow[o.sat].pending[b] = true;

    const auto pairs = common(*i, *j, systems);
    // Time differences against the median of the system (its clock was taken from noisy code, per system): what the
    // receivers share cancels, a whole cycle stands out.
    std::map<char, std::vector<double>> steps;
    for (const Pair &p : pairs) {
      const Follow &f = follow[p.base->sat];
      if (!f.seen) continue;
      for (std::size_t b = 0; b < band_count; ++b)
        if (!f.pending[b]) steps[p.base->sat.system].push_back(p.rover->phase[b] - p.base->phase[b] - f.phase[b]);
    }
    std::map<char, double> common_step;
    for (auto &[system, list] : steps)
      if (list.size() >= 5) common_step[system] = median(list);
    DifferenceEpoch e;
    e.time = i->time;
    for (const Pair &p : pairs) {
      const SatId sat = p.base->sat;
      if (std::any_of(left_out.begin(), left_out.end(), [&](const LeftOutSpan &s) { return s.covers(sat, i->time); }))
        continue;
      Follow &f = follow[sat];
      Difference d;
      d.sat = sat;
      d.unit = p.rover->unit;
      d.elevation = std::min(p.base->elevation, p.rover->elevation);
      d.wet_mapping = (p.base->wet_mapping + p.rover->wet_mapping) / 2;
      const double gap = f.seen ? i->time - f.last : 1e9;
      for (std::size_t b = 0; b < band_count; ++b) {
        d.code[b] = p.rover->code[b] - p.base->code[b];
        d.phase[b] = p.rover->phase[b] - p.base->phase[b];
        bool cut = f.pending[b] || gap > 120;
        const double limit = 0.35 * wavelength(sat, static_cast<int>(b)) + 0.0003 * gap;
        const auto expected = common_step.find(sat.system);
        if (!cut && expected != common_step.end() && std::abs(d.phase[b] - f.phase[b] - expected->second) > limit)
          cut = true;
        for (const ForcedBreak &k : breaks)
          if (k.sat == sat && k.band == static_cast<int>(b) && k.time == i->time) cut = true;
        if (cut) {
          if (f.arc[b] >= 0) ++out.slips;
          f.arc[b] = static_cast<int>(out.arcs.size());
          out.arcs.push_back({sat, static_cast<int>(b), i->time, i->time, 0, false});
        }
        CarrierArc &arc = out.arcs[static_cast<std::size_t>(f.arc[b])];
        arc.last = i->time;
        ++arc.epochs;
        d.arc[b] = f.arc[b];
        f.phase[b] = d.phase[b];
        f.pending[b] = false;
      }
      f.last = i->time;
      f.seen = true;
      e.sats.push_back(d);
    }
    const double phase_of_interval = std::remainder(i->time.time_of_week(), options.interval_s);
    if (std::abs(phase_of_interval) < 2e-3 && !e.sats.empty()) out.epochs.push_back(std::move(e));
    ++i, ++j;
  }
  for (DifferenceEpoch &e : out.epochs)
    for (Difference &d : e.sats)
      for (int &a : d.arc) {
        const CarrierArc &arc = out.arcs[static_cast<std::size_t>(a)];
        if (arc.last - arc.first < options.min_arc_s) a = -1;
      }
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
  return out;
}

} // namespace ampletie
