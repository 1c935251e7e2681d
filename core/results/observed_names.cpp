#include "results/observed_names.h"
#include "results/job_results.h"

namespace ampletie {

ObservedNames::ObservedNames(const JobSnapshot &s) {
  for (const VectorResult &v : s.vectors()) ends_.emplace(v.id, std::pair(v.from, v.to));
  for (const MeasuredVector &v : s.get(measured_result())) ends_.emplace(v.id, std::pair(v.from, v.to));
  for (const LevelSection &x : s.levels().sections) ends_.emplace(x.id, std::pair(x.from, x.to));
  for (const auto &[id, x] : sight_names(s.traverses())) ends_.emplace(id, std::pair(x.from, x.to));
  for (const Occupation &o : s.occupations())
    if (ends_.emplace(o.setup, std::pair(o.mark, o.mark)).second) setups_.emplace(o.setup, occupation_name(o));
}

std::pair<std::string, std::string> ObservedNames::ends(const std::string &id) const {
  const auto it = ends_.find(id);
  return it == ends_.end() ? std::pair<std::string, std::string>{} : it->second;
}

std::string ObservedNames::words(const std::string &id, const std::string &kind, const std::string &component) const {
  if (const auto setup = setups_.find(id); setup != setups_.end())
    return (component.empty() ? kind : component + " of the " + kind) + " on " + setup->second;
  const auto [from, to] = ends(id);
  std::string out = kind;
  if (!from.empty()) out += " " + from + (from == to ? "" : " → " + to);
  return component.empty() || component == kind ? out : out + ", " + component;
}

} // namespace ampletie
