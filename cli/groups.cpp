#include "cli/groups.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/near.h"
#include "base/text.h"
#include "cli/names.h"
#include "job/decision.h"
#include "judgement/findings.h"
#include "publication/reliability_tables.h"
#include "results/residual_patterns.h"
#include "results/weight_groups.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace ampletie::cli {
using nlohmann::json;
using nlohmann::ordered_json;

namespace {
std::vector<std::string> known_groups(const Job &job) {
  std::set<std::string> out;
  const NetworkInput in = network_input(*job.snapshot(), job.vectors());
  const WeightGroups groups(*job.snapshot(), job.vectors(), in);
  const auto add = [&](const std::string &id, const char *kind) {
    for (const std::string &g : groupings())
      if (std::string name = groups.group(g, id, kind); !name.empty()) out.insert(std::move(name));
  };
  for (const NetworkVector &v : in.vectors) add(v.id, "vector");
  for (const NetworkLevel &l : in.levels) add(l.id, "level");
  for (const NetworkStation &s : in.stations)
    for (const NetworkSight &t : s.sights) {
      if (std::isfinite(t.direction)) add(t.id, "direction");
      if (std::isfinite(t.zenith)) add(t.id, "zenith angle");
      if (std::isfinite(t.distance) || std::isfinite(t.horizontal)) add(t.id, "distance");
      if (std::isfinite(t.rise)) add(t.id, "height difference");
      if (std::isfinite(t.azimuth)) add(t.id, "azimuth");
    }
  return {out.begin(), out.end()};
}
} // namespace

void set_group(Job &job, const std::vector<std::string> &words, const std::string &because) {
  if (words.size() < 3)
    throw InputError("say which group, as kind=levels or day=2026-05-12, and factor=NUMBER, rotation=PPM or scale=PPM");
  const auto all = known_groups(job);
  if (std::find(all.begin(), all.end(), words[1]) == all.end() && !job.state().groups.count(words[1]))
    throw InputError(fmt::format("there is no group \"{}\" in the network{}", words[1], near_ones(words[1], all)));
  const json value = typed_fields<GroupThing>(words, 2);
  for (const char *field : {"rotation", "scale"})
    if (value.contains(field) && !value.at(field).is_null() && !has_vectors(*job.snapshot(), words[1]))
      throw InputError(fmt::format("{} has no vectors: there is no frame of them to be turned or stretched", words[1]));
  if (because.empty()) throw InputError("other weights of a group need a reason: --because");
  job.decide("set", "group:" + words[1], value, because);
}

ordered_json group_rows(const Job &job) {
  auto out = ordered_json::array();
  const NetworkRun *run = job.network();
  if (!run) throw InputError("the network has not been adjusted, or is out of date");
  const auto maybe = [](bool there, double x) { return there ? ordered_json(x) : ordered_json(nullptr); };
  for (const std::string &grouping : groupings()) {
    const GroupReport r = job_groups(*job.snapshot(), *run, grouping, {});
    if (!r.problem.empty()) throw InputError(r.problem);
    for (const WithoutGroup &w : r.without) {
      ordered_json j{{"grouping", grouping}, {"group", w.group}, {"observations", w.observations}};
      const auto decided = job.state().groups.find(w.group);
      j["decided_factor"] = decided != job.state().groups.end() && decided->second.factor.value
                                ? ordered_json(*decided->second.factor.value)
                                : ordered_json(nullptr);
      const auto ppm = [&](const Decided<std::optional<double>> GroupEdits::*field) {
        const bool there = decided != job.state().groups.end() && (decided->second.*field).value;
        return there ? ordered_json(*(decided->second.*field).value) : ordered_json(nullptr);
      };
      j["decided_rotation_ppm"] = ppm(&GroupEdits::rotation_ppm), j["decided_scale_ppm"] = ppm(&GroupEdits::scale_ppm);
      j["turned"] = nullptr;
      for (const ordered_json &t : turn_rows(*run))
        if (t.at("group") == w.group) j["turned"] = t;
      j["redundancy"] = j["factor"] = j["factor_sd"] = nullptr;
      for (const VarianceComponent &c : r.components.groups)
        if (c.group == w.group) {
          j["redundancy"] = c.redundancy;
          j["factor"] = maybe(c.estimated, c.factor), j["factor_sd"] = maybe(c.estimated, c.sd);
          j["vanishes"] = c.vanishes;
        }
      j["without"] = {{"redundancy", w.redundancy},
                      {"variance_factor", maybe(w.redundancy > 0, w.variance_factor)},
                      {"upper", maybe(w.redundancy > 0, w.upper)},
                      {"passes", w.passes},
                      {"moves", w.moves},
                      {"moves_m", w.moves_m},
                      {"lost", w.lost}};
      out.push_back(std::move(j));
    }
  }
  return out;
}

ordered_json constraint_object(const Job &job) {
  if (!job.network()) throw InputError("the network has not been adjusted, or is out of date");
  return constraint_record(test_constraints(network_input(*job.snapshot(), job.vectors()), {}));
}

ordered_json cause_rows(const Job &job) {
  if (!job.network()) throw InputError("the network has not been adjusted, or is out of date");
  ordered_json out = ordered_json::array();
  for (const NetworkCause &c : job.snapshot()->get(network_causes_result())) {
    const Explanation &e = c.explanation;
    ordered_json mistakes = ordered_json::array();
    for (const Mistake &m : e.mistakes) {
      ordered_json j{{"kind", mistake_name(m.kind)}, {"id", m.about}, {"other", nullptr}};
      if (!m.other.empty()) j["other"] = m.other;
      j["size"] = std::vector<double>(m.size.begin(), m.size.end());
      j["sd"] = std::vector<double>(m.sd.begin(), m.sd.end());
      mistakes.push_back(std::move(j));
    }
    out.push_back({{"cause", c.mistake},
                   {"effect", c.effect},
                   {"clears", e.clears()},
                   {"statistic", e.statistic},
                   {"degrees", e.degrees},
                   {"variance_factor", e.variance_factor},
                   {"upper", e.upper},
                   {"failing", e.failing},
                   {"moves", e.moved},
                   {"moves_m", e.moves},
                   {"mistakes", mistakes}});
  }
  return out;
}

ordered_json pattern_rows(const Job &job) {
  if (!job.network()) throw InputError("the network has not been adjusted, or is out of date");
  ordered_json out = ordered_json::array();
  for (const ResidualPattern &p : residual_patterns(*job.snapshot(), *job.network())) {
    const bool wave = p.against == PatternAxis::bearing;
    const auto [unit, size] = wave                              ? std::pair("mm", 1e3)
                              : p.against == PatternAxis::hours ? std::pair("mm/h", 1e3)
                                                                : std::pair("mm/km", 1e6);
    out.push_back({{"kind", p.kind},
                   {"against", axis_name(p.against)},
                   {"observations", p.points.size()},
                   {"mean_m", p.mean},
                   {"slope", size * p.slope},
                   {"sd", size * p.slope_sd},
                   {"unit", unit},
                   {"towards_deg", wave ? ordered_json(degrees(p.phase)) : ordered_json(nullptr)},
                   {"statistic", p.statistic},
                   {"limit", p.limit},
                   {"shows", p.shows()},
                   {"words", p.words()}});
  }
  return out;
}

} // namespace ampletie::cli
