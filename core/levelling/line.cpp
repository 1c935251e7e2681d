#include "levelling/line.h"
#include <algorithm>
#include <set>

namespace ampletie {
namespace {
std::vector<LevelPoint> turns(const ReducedRun &run) {
  std::vector<LevelPoint> out;
  for (const LevelPoint &p : run.points)
    if (p.turn) out.push_back(p);
  return out;
}
} // namespace

double LevelLimits::of(double length, int setups) const {
  return 1e-3 * std::max(mm_per_root_km * std::sqrt(length / 1000), mm_per_root_setup * std::sqrt(setups));
}

const std::vector<LevelOrder> &level_orders() {
  // FGCC (1984), Standards and Specifications for Geodetic Control Networks, table of vertical control; from memory,
  // to be compared with the standard before relying on it.
  static const std::vector<LevelOrder> orders{{"first order, class I", "FGCC 1984", 4, 3},
                                              {"first order, class II", "FGCC 1984", 5, 4},
                                              {"second order, class I", "FGCC 1984", 6, 6},
                                              {"second order, class II", "FGCC 1984", 8, 8},
                                              {"third order", "FGCC 1984", 12, 12}};
  return orders;
}

const LevelOrder *level_order(std::string_view name) {
  for (const LevelOrder &o : level_orders())
    if (o.name == name) return &o;
  return nullptr;
}

std::string distribution_name(Distribution d) {
  return d == Distribution::none ? "none" : d == Distribution::distance ? "distance" : "setups";
}

std::vector<Misclosure> misclosures(const ReducedRun &run, const KnownHeights &known, const LevelLimits &limits,
                                    const LevelWeights &weights) {
  std::vector<Misclosure> out;
  const auto points = turns(run);
  auto add = [&](const LevelPoint &a, const LevelPoint &b, Misclosure::Kind kind) {
    Misclosure m;
    m.kind = kind;
    m.from = a.mark, m.to = b.mark;
    m.observed = b.difference - a.difference;
    m.length = b.distance - a.distance;
    m.setups = b.setups - a.setups;
    double variance = weights.variance(m.length, m.setups);
    if (kind == Misclosure::Kind::between) {
      const KnownHeight &p = known.at(a.mark), &q = known.at(b.mark);
      m.known = q.height - p.height;
      variance += p.sd * p.sd + q.sd * q.sd;
    }
    m.value = m.observed - m.known;
    m.sd = std::sqrt(variance);
    m.limit = limits.of(m.length, m.setups);
    out.push_back(m);
  };
  const LevelPoint *last = nullptr;
  std::map<std::string, const LevelPoint *> met;
  for (const LevelPoint &p : points) {
    if (known.count(p.mark)) {
      if (last && last->mark != p.mark) add(*last, p, Misclosure::Kind::between);
      last = &p;
    }
    const auto [it, first] = met.try_emplace(p.mark, &p);
    if (!first) {
      add(*it->second, p, Misclosure::Kind::loop);
      it->second = &p;
    }
  }
  return out;
}

const Misclosure *worst_closure(const std::vector<Misclosure> &all) {
  const Misclosure *worst = nullptr;
  for (const Misclosure &m : all)
    if (!worst || std::abs(m.value) / m.limit > std::abs(worst->value) / worst->limit) worst = &m;
  return worst;
}

std::optional<double> start_height(const ReducedRun &run, const KnownHeights &known) {
  for (const LevelPoint &p : run.points)
    if (const auto k = known.find(p.mark); k != known.end()) return k->second.height - p.difference;
  return {};
}

std::vector<LineHeight> line_heights(const ReducedRun &run, const KnownHeights &known, Distribution how,
                                     const LevelWeights &weights, const std::vector<std::string> &computed) {
  std::vector<LineHeight> out;
  KnownHeights held = known;
  for (const auto &m : computed) held.erase(m);
  // Turns that are held, by index into the points.
  std::vector<std::size_t> fixed;
  for (std::size_t i = 0; i < run.points.size(); ++i)
    if (run.points[i].turn && held.count(run.points[i].mark)) fixed.push_back(i);
  KnownHeights start;
  if (fixed.empty() && !run.points.empty()) {
    fixed.push_back(0);
    start[run.points.front().mark] = {0, 0};
  }
  auto height_of = [&](std::size_t i) {
    const auto k = held.find(run.points[i].mark);
    return k == held.end() ? start.at(run.points[i].mark) : k->second;
  };
  // How far along a point is: by what the distribution counts.
  auto along = [&](const LevelPoint &p) { return how == Distribution::setups ? p.setups : p.distance; };
  for (std::size_t i = 0; i < run.points.size(); ++i) {
    const LevelPoint &p = run.points[i];
    LineHeight h;
    h.mark = p.mark, h.distance = p.distance, h.turn = p.turn;
    const auto after = std::lower_bound(fixed.begin(), fixed.end(), i);
    const bool is_fixed = after != fixed.end() && *after == i;
    const std::size_t right = after == fixed.end() ? fixed.back() : *after, left = is_fixed ? i
                                                                                   : after == fixed.begin()
                                                                                       ? fixed.front()
                                                                                       : *(after - 1);
    const LevelPoint &a = run.points[left], &b = run.points[right];
    const KnownHeight ha = height_of(left), hb = height_of(right);
    h.observed = ha.height + p.difference - a.difference;
    const double va = weights.variance(std::abs(p.distance - a.distance), std::abs(p.setups - a.setups)),
                 vb = weights.variance(std::abs(p.distance - b.distance), std::abs(p.setups - b.setups));
    if (is_fixed) {
      h.known = held.count(p.mark) > 0;
      h.height = ha.height;
      h.sd = ha.sd;
      // What was carried up to it from the one before.
      if (after != fixed.begin()) {
        const LevelPoint &before = run.points[*(after - 1)];
        h.observed = height_of(*(after - 1)).height + p.difference - before.difference;
        h.correction = how == Distribution::none ? 0 : h.height - h.observed;
      }
    } else if (left == right || after == fixed.end() || after == fixed.begin()) {
      h.height = h.observed;
      h.sd = std::sqrt(ha.sd * ha.sd + va);
    } else {
      const double misclosure = ha.height + b.difference - a.difference - hb.height, whole = along(b) - along(a);
      if (how != Distribution::none && whole > 0) h.correction = -misclosure * (along(p) - along(a)) / whole;
      h.height = h.observed + h.correction;
      // The mean of what comes from both sides, weighted by what lies between.
      const double pa = ha.sd * ha.sd + va, pb = hb.sd * hb.sd + vb;
      h.sd = how == Distribution::none ? std::sqrt(pa) : std::sqrt(pa * pb / (pa + pb));
    }
    out.push_back(h);
  }
  return out;
}

DoubleRunning double_running(const ReducedRun &there, const ReducedRun &again, double k) {
  DoubleRunning out;
  const auto a = turns(there), b = turns(again);
  double sum = 0;
  const LevelPoint *last_a = nullptr, *last_b = nullptr;
  for (const LevelPoint &p : a) {
    if (!is_named(p.mark)) continue;
    const auto q = std::find_if(b.begin(), b.end(), [&](const LevelPoint &x) { return x.mark == p.mark; });
    if (q == b.end()) continue;
    if (last_a && q->distance != last_b->distance) {
      DoubleSection s;
      s.from = last_a->mark, s.to = p.mark;
      s.fore = p.difference - last_a->difference;
      // Against its own direction where it runs the other way.
      const bool other_way = q->distance < last_b->distance;
      s.same_way = !other_way;
      s.back = other_way ? last_b->difference - q->difference : -(q->difference - last_b->difference);
      s.length = (p.distance - last_a->distance + std::abs(q->distance - last_b->distance)) / 2;
      s.limit = 1e-3 * k * std::sqrt(s.length / 1000);
      sum += s.difference() * s.difference() / (s.length / 1000);
      out.sections.push_back(s);
    }
    last_a = &p, last_b = &*q;
  }
  if (!out.sections.empty()) {
    out.mean = std::sqrt(sum / (4.0 * static_cast<double>(out.sections.size())));
    out.single = out.mean * std::sqrt(2.0);
  }
  return out;
}

} // namespace ampletie
