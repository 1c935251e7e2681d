#include "gnss/kinematic/relations.h"
#include <functional>
#include <map>
#include <set>

namespace ampletie {
namespace {

/// Components of both directions, with the whole cycles between them.
struct Union {
  std::map<int, std::pair<int, std::int64_t>> parent; ///< node → parent and what to add to reach its count
  std::pair<int, std::int64_t> root(int node) {
    const auto it = parent.try_emplace(node, node, 0).first;
    if (it->second.first == node) return {node, 0};
    const auto [top, more] = root(it->second.first);
    return {top, more + it->second.second};
  }
};

} // namespace

Relations reconcile(const std::vector<CarrierArc> &arcs, const Relations &forward, const Relations &backward,
                    int &contradicted) {
  contradicted = 0;
  std::vector<bool> dropped(arcs.size(), false);
  // By pair of components: how many arcs say each difference.
  std::map<std::pair<int, int>, std::map<std::int64_t, std::vector<std::size_t>>> said;
  for (std::size_t a = 0; a < arcs.size(); ++a)
    if (forward[a].component >= 0 && backward[a].component >= 0)
      said[{forward[a].component, backward[a].component}][forward[a].cycles - backward[a].cycles].push_back(a);
  std::set<std::size_t> agreed;
  for (const auto &[pair, by_difference] : said) {
    const std::vector<std::size_t> *most = nullptr;
    bool alone = true;
    for (const auto &[difference, list] : by_difference) {
      if (!most || list.size() > most->size())
        most = &list, alone = true;
      else if (list.size() == most->size())
        alone = false;
    }
    const bool told = by_difference.size() == 1 || (alone && most->size() >= 2);
    for (const auto &[difference, list] : by_difference)
      for (std::size_t a : list)
        if (!told || &list != most)
          dropped[a] = true, ++contradicted;
        else if (list.size() >= 2)
          agreed.insert(a);
  }
  for (std::size_t a = 0; a < arcs.size(); ++a) {
    const bool both = forward[a].component >= 0 && backward[a].component >= 0;
    const bool firm = (forward[a].component >= 0 && !forward[a].weak) ||
                      (backward[a].component >= 0 && !backward[a].weak) || agreed.count(a);
    if (!firm || (both && !agreed.count(a) && forward[a].weak && backward[a].weak)) dropped[a] = true;
  }
  // Components that share an arc are one.
  Union all;
  constexpr int other = 1'000'000;
  for (std::size_t a = 0; a < arcs.size(); ++a) {
    if (dropped[a] || forward[a].component < 0 || backward[a].component < 0) continue;
    const auto [f, cf] = all.root(forward[a].component);
    const auto [b, cb] = all.root(other + backward[a].component);
    // cycles against the root of f: forward + cf; against the root of b: backward + cb.
    if (f != b)
      all.parent[b] = {f, forward[a].cycles + cf - backward[a].cycles - cb};
    else if (forward[a].cycles + cf != backward[a].cycles + cb)
      dropped[a] = true, ++contradicted;
  }
  Relations out(arcs.size());
  std::map<int, int> number, members;
  for (std::size_t a = 0; a < arcs.size(); ++a) {
    if (dropped[a]) continue;
    const bool in_forward = forward[a].component >= 0;
    if (!in_forward && backward[a].component < 0) continue;
    const auto [top, more] = all.root(in_forward ? forward[a].component : other + backward[a].component);
    const int n = number.try_emplace(top, static_cast<int>(number.size())).first->second;
    out[a] = {n, (in_forward ? forward[a].cycles : backward[a].cycles) + more, false};
    ++members[n];
  }
  for (ArcRelation &r : out)
    if (r.component >= 0 && members[r.component] < 2) r = {};
  return out;
}

} // namespace ampletie
