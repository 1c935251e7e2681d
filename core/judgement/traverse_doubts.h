#pragma once
#include <string>
#include <vector>

namespace ampletie {
struct TraverseReport;
struct TraverseFindings;

/// A doubt about field books, set-ups or traverses, before it becomes one of the job's.
struct TraverseDoubt {
  std::string kind, about, item, sentence; ///< the item is a source, a set-up or a traverse
  double value = 0, limit = 0, effect = 0; ///< limit 0: none; effect in m, 0: cannot be told
  std::string unit{};
  std::vector<std::string> causes{};
};
/// What a surveyor must settle: unread pieces, troubles of the books, everything that fails with its causes, set-ups
/// that hang on nothing, traverses that nothing closes or that are local.
std::vector<TraverseDoubt> traverse_doubts(const TraverseReport &r, const TraverseFindings &findings);

} // namespace ampletie
