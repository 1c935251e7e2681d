#include "judgement/traverse_tests.h"
#include "base/angle.h"
#include "base/median.h"
#include "results/traverse_line.h"
#include <algorithm>
#include <fmt/format.h>
#include <map>

namespace ampletie {
namespace {

using Kind = TraverseTest::Kind;

/// Pressure of the standard atmosphere (ISO 2533) at a height above the sea, hPa.
double standard_pressure(double height) { return 1013.25 * std::pow(1 - 2.25577e-5 * height, 5.25588); }

/// Weather moves all pressures of some days together; a reading that leaves the others by more is another unit, a value
/// left in, or a slip. 25 hPa are 7 ppm.
constexpr double air_limit = 25;

} // namespace

std::optional<double> weather(const TraverseReport &r) {
  std::vector<double> all;
  for (const auto &s : r.field.setups)
    if (const auto p = r.places.find(s->setup.mark); s->used && s->setup.air && p != r.places.end())
      all.push_back(s->setup.air->pressure_hpa - standard_pressure(to_geodetic(p->second).h));
  if (all.size() < 3) return std::nullopt;
  // With most of them wrong the middle one is wrong too: weather alone does not reach 40 hPa.
  return std::clamp(median(std::move(all)), -40.0, 40.0);
}

namespace {
/// Collects tests.
struct TestList {
  std::vector<TraverseTest> out;
  TraverseTest &add(Kind kind, std::string key, std::string about, std::string item, std::vector<std::string> setups,
                    double value, double limit, const char *unit, double effect) {
    TraverseTest t;
    t.kind = kind, t.id = std::move(key), t.about = std::move(about), t.item = std::move(item);
    t.setups = std::move(setups), t.value = value, t.limit = limit, t.unit = unit, t.effect = effect;
    out.push_back(std::move(t));
    return out.back();
  }

  /// Spreads of what was read several times.
  void spreads(const ReducedSetup &setup) {
    const std::string &id = setup.setup.id, &here = setup.setup.mark;
    for (const TargetSight &x : setup.sights) {
      const TargetMean &m = x.mean;
      const double length = std::isfinite(x.horizontal) ? x.horizontal : 100;
      const std::string about = here + " → " + m.target;
      const auto spread = [&](const char *observation, double value, double limit, const char *unit, double effect) {
        TraverseTest &t = add(Kind::spread, observation + (" " + x.id), about, id, {id}, value, limit, unit, effect);
        t.target = m.target, t.observation = observation;
      };
      if (m.direction_limit > 0)
        spread("direction", m.direction_spread / rad_per_arcsec, m.direction_limit / rad_per_arcsec, "″",
               length * m.direction_spread / std::max(1, m.sets));
      if (m.zenith_limit > 0)
        spread("zenith", m.zenith_spread / rad_per_arcsec, m.zenith_limit / rad_per_arcsec, "″",
               length * m.zenith_spread / std::max(1, m.sets));
      if (m.slope_limit > 0)
        spread("distance", 1000 * m.slope_spread, 1000 * m.slope_limit, "mm", m.slope_spread / std::max(1, m.sets));
    }
  }

  void known_marks(const TraverseReport &r, const ReducedSetup &setup) {
    const std::string &id = setup.setup.id, &here = setup.setup.mark;
    if (const auto j = r.judgements.find(id); j != r.judgements.end())
      for (const KnownMarkCheck &c : j->second.checks)
        for (const auto &[name, value, limit] : {std::tuple{"along", c.along, c.along_limit},
                                                 {"across", c.across, c.across_limit},
                                                 {"up", c.up, c.up_limit}})
          if (std::isfinite(value)) {
            TraverseTest &t = add(Kind::known_mark, fmt::format("known {} {} {}", name, id, c.mark),
                                  fmt::format("{} → {}, {}", here, c.mark, name), id, {id}, 1000 * value, 1000 * limit,
                                  "mm", std::abs(value));
            t.target = c.mark, t.up = std::string_view(name) == "up";
          }
  }

  /// A value left in is one mistake, however many set-ups carry it. `air`: set-ups and what their pressure is over that
  /// of the standard atmosphere.
  void pressures(const std::vector<std::pair<const ReducedSetup *, double>> &air, double weather) {
    std::map<std::pair<std::string, double>, std::vector<std::pair<const ReducedSetup *, double>>> groups;
    for (const auto &x : air) groups[{x.first->setup.source_id, x.first->setup.air->pressure_hpa}].push_back(x);
    for (const auto &[key, members] : groups) {
      double mean = 0;
      std::vector<std::string> ids;
      for (const auto &[s, d] : members)
        mean += (d - weather) / static_cast<double>(members.size()), ids.push_back(s->setup.id);
      std::string about = members.front().first->setup.mark;
      if (members.size() > 1)
        about += fmt::format(" to {} ({} set-ups)", members.back().first->setup.mark, members.size());
      double longest = 0;
      for (const auto &[s, d] : members)
        for (const TargetSight &x : s->sights)
          if (std::isfinite(x.slope)) longest = std::max(longest, x.slope);
      add(Kind::air, "air " + ids.front(), about, ids.front(), ids, mean, air_limit, "hPa",
          0.28e-6 * std::abs(mean) * longest);
    }
  }

  /// Legs measured from both ends.
  void legs(const TraverseLine &l) {
    for (std::size_t i = 0; i < l.legs.size(); ++i) {
      const TraverseLeg &g = l.legs[i];
      std::vector<std::string> both;
      for (std::size_t k : {i, i + 1})
        if (k < l.setups.size()) both.push_back(l.setups[k]);
      const std::string about = g.from + " – " + g.to;
      if (std::isfinite(g.length_difference))
        add(Kind::there_back, "length " + l.id + " " + about, about, both.front(), both, 1000 * g.length_difference,
            1000 * g.length_limit, "mm", std::abs(g.length_difference) / 2);
      if (std::isfinite(g.rise_sum))
        add(Kind::rise, "rise " + l.id + " " + about, about, both.front(), both, 1000 * g.rise_sum, 1000 * g.rise_limit,
            "mm", std::abs(g.rise_sum) / 2);
    }
  }

  void closures(const TraverseLine &l) {
    const TraverseClosure &c = l.result.closure;
    const double n = static_cast<double>(std::max<std::size_t>(1, l.legs.size()));
    if (c.has_angular)
      add(Kind::angles, "angles " + l.id, l.name, l.id, l.setups, c.angular / rad_per_arcsec,
          l.angular_limit / rad_per_arcsec, "″", std::abs(c.angular) * c.length / (2 * n));
    if (c.has_linear)
      add(Kind::length, "closure " + l.id, l.name, l.id, l.setups, 1000 * c.linear, 1000 * l.linear_limit, "mm",
          c.linear / 2);
    if (c.has_height)
      add(Kind::height, "height " + l.id, l.name, l.id, l.setups, 1000 * c.height, 1000 * l.height_limit, "mm",
          std::abs(c.height) / 2);
  }

  void comparisons(const TraverseLine &l) {
    for (const TraverseComparison &x : l.comparisons) {
      if (std::isfinite(x.east))
        add(Kind::comparison, "compare " + l.id + x.mark, x.mark + " of " + l.name, l.id, l.setups,
            1000 * std::hypot(x.east, x.north), 1000 * plan_test_limit * x.expected, "mm", std::hypot(x.east, x.north));
      if (std::isfinite(x.up))
        add(Kind::comparison, "compare up " + x.with + l.id + x.mark, x.mark + " of " + l.name + ", height", l.id,
            l.setups, 1000 * x.up, 1000 * single_test_limit * x.up_expected, "mm", std::abs(x.up));
    }
  }
};
} // namespace

std::vector<TraverseTest> traverse_tests(const TraverseReport &r, std::optional<double> weather) {
  TestList list;
  std::vector<std::pair<const ReducedSetup *, double>> air; // against the standard atmosphere
  for (const auto &s : r.field.setups) {
    if (!s->used) continue;
    list.spreads(*s);
    if (const auto p = r.places.find(s->setup.mark); s->setup.air && p != r.places.end())
      air.emplace_back(s.get(), s->setup.air->pressure_hpa - standard_pressure(to_geodetic(p->second).h));
    list.known_marks(r, *s);
  }
  if (weather) list.pressures(air, *weather);
  for (const TraverseLine &l : r.lines) {
    list.legs(l);
    if (!l.problem.empty()) continue;
    list.closures(l);
    list.comparisons(l);
  }
  return std::move(list.out);
}

} // namespace ampletie
