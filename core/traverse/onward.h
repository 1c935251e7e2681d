#pragma once
#include "traverse/setup.h"
#include <map>
#include <set>

namespace ampletie {

/// A set-up as the search for routes sees it.
struct SightedSetup {
  std::string id, mark;
  std::vector<std::pair<std::string, PointingKind>> sights;
};

/// A mark to which a traverse may go on from a set-up.
struct OnwardChoice {
  std::string mark;
  std::optional<std::size_t> next; ///< the set-up there
  double score = 0;
  std::string reason; ///< why it scores as it does
};
/// Onward sights of each set-up, best first. What counts: a set-up that stands there, sights back, is oriented on this
/// mark, comes next in the field. `setups` in the order of the field; `ends`: known marks, where routes begin and
/// end unless somebody said onward there.
std::vector<std::vector<OnwardChoice>> onward_choices(const std::vector<SightedSetup> &setups,
                                                      const std::set<std::string> &ends);

/// A traverse as its set-ups in a row. A loop does not repeat its first.
struct RoutePath {
  std::vector<std::size_t> setups;
  std::string end; ///< a last mark that is sighted, not occupied; empty: none
  bool loop = false;
};
/// Routes through all set-ups: from known marks first, then from whatever is left, each leg once. `said`: the onward
/// mark that somebody chose for a set-up; empty text: the route ends there.
std::vector<RoutePath> propose_routes(const std::vector<SightedSetup> &setups, const std::set<std::string> &ends,
                                      const std::vector<std::vector<OnwardChoice>> &choices,
                                      const std::map<std::size_t, std::string> &said);

} // namespace ampletie
