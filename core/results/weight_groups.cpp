#include "results/weight_groups.h"
#include "base/error.h"
#include "results/measured.h"
#include <algorithm>

namespace ampletie {
namespace {
/// Kinds of observations as groups are called.
std::string kind_group(const std::string &kind) {
  static const std::map<std::string, std::string> names{{"vector", "vectors"},
                                                        {"level", "levels"},
                                                        {"direction", "directions"},
                                                        {"azimuth", "azimuths"},
                                                        {"zenith angle", "zenith angles"},
                                                        {"distance", "distances"},
                                                        {"horizontal distance", "distances"},
                                                        {"height difference", "height differences"}};
  const auto it = names.find(kind);
  return it == names.end() ? std::string() : it->second;
}
} // namespace

const std::vector<std::string> &groupings() {
  static const std::vector<std::string> all{"kind", "day", "instrument", "source", "session", "all"};
  return all;
}

WeightGroups::WeightGroups(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const NetworkInput &in) {
  std::map<std::string, std::string> files;
  if (!in.levels.empty() || !in.stations.empty())
    for (const SourceContent &c : *s.inputs().contents) files[c.source.id] = c.source.name;
  std::map<std::string, const VectorResult *> by_id;
  for (const VectorResult &v : vectors) by_id[v.id] = &v;
  const auto put = [&](const std::string &id, const char *grouping, const std::string &value) {
    if (!value.empty()) labels_[id][grouping] = value;
  };
  for (const NetworkVector &v : in.vectors)
    if (const auto r = by_id.find(v.id); r != by_id.end()) {
      if (r->second->error.empty()) put(v.id, "day", iso(r->second->solved->first).substr(0, 10));
      put(v.id, "session", r->second->session);
    }
  for (const MeasuredVector &v : s.get(measured_result())) {
    put(v.id, "kind", v.group());
    put(v.id, "day", v.time.substr(0, 10));
    put(v.id, "source", v.source_name);
  }
  for (const NetworkLevel &l : in.levels)
    if (const LevelLine *line = s.levels().line(l.line)) {
      put(l.id, "day", line->day);
      put(l.id, "instrument", line->run.instrument);
      put(l.id, "source", files[line->run.source_id]);
    }
  for (const NetworkStation &n : in.stations)
    if (const ReducedSetup *r = s.traverses().field.find(n.id))
      for (const NetworkSight &x : n.sights) {
        put(x.id, "day", r->setup.day);
        put(x.id, "instrument", r->setup.instrument);
        put(x.id, "source", files[r->setup.source_id]);
      }
  for (const auto &[name, e] : s.state().groups) {
    if (e.factor.value) factors_[name] = *e.factor.value;
    if (e.rotation_ppm.value || e.scale_ppm.value)
      turns_.push_back({name, 1e-6 * e.rotation_ppm.value.value_or(0), 1e-6 * e.scale_ppm.value.value_or(0), {}});
  }
}

std::vector<NetworkTurn> WeightGroups::turns(const NetworkInput &in) const {
  std::vector<NetworkTurn> out = turns_;
  for (NetworkTurn &t : out)
    for (const NetworkVector &v : in.vectors)
      for (const std::string &g : groupings())
        if (group(g, v.id, "vector") == t.group) t.vectors.insert(v.id);
  return out;
}

bool has_vectors(const JobSnapshot &s, const std::string &group) {
  const NetworkInput in = network_input(s, s.vectors());
  const WeightGroups groups(s, s.vectors(), in);
  return std::any_of(in.vectors.begin(), in.vectors.end(), [&](const NetworkVector &v) {
    return std::any_of(groupings().begin(), groupings().end(),
                       [&](const std::string &g) { return groups.group(g, v.id, "vector") == group; });
  });
}

std::string WeightGroups::group(const std::string &grouping, const std::string &id, const std::string &kind) const {
  const std::string known = kind_group(kind);
  if (known.empty()) return {}; // what nobody observed: priors of set-ups, of the geoid, weighted marks
  if (grouping == "all") return "all=observations";
  const auto labels = labels_.find(id);
  if (labels == labels_.end()) return grouping == "kind" ? "kind=" + known : std::string();
  const auto value = labels->second.find(grouping);
  if (value == labels->second.end() && grouping == "kind") return "kind=" + known;
  return value == labels->second.end() ? std::string() : grouping + "=" + value->second;
}

double WeightGroups::factor(const std::string &id, const std::string &kind) const {
  double out = 1;
  if (factors_.empty()) return out;
  for (const std::string &g : groupings())
    if (const auto f = factors_.find(group(g, id, kind)); f != factors_.end()) out *= f->second;
  return out;
}

GroupReport job_groups(const JobSnapshot &s, const NetworkRun &run, const std::string &grouping,
                       const Progress &progress) {
  GroupReport out;
  out.grouping = grouping;
  try {
    const NetworkInput in = network_input(s, s.vectors());
    const WeightGroups groups(s, s.vectors(), in);
    const Grouping of = [&](const std::string &id, const std::string &kind) {
      return groups.group(grouping, id, kind);
    };
    out.without = without_each_group(in, run.result, of, progress);
    if (run.result.adjustment.redundancy > 0) out.components = variance_components(in, of, progress);
    out.constraints = test_constraints(in, progress);
  } catch (const InputError &e) {
    out.problem = e.reason();
  }
  return out;
}

} // namespace ampletie
