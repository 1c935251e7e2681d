#pragma once
#include "judgement/traverse_tests.h"
#include "results/traverses.h"
#include <functional>
#include <nlohmann/json.hpp>
#include <set>

namespace ampletie {

/// A change of set-ups that may put things right.
struct Hypothesis {
  std::string sentence;
  std::vector<std::pair<std::string, nlohmann::json>> decisions;
  std::string verb = "set";
  std::vector<std::pair<std::string, std::function<void(StationSetup &)>>> changes; ///< by set-up
  std::set<std::string> left_out;                                                   ///< set-ups
  double prior = 0; ///< in units of gain: what is made more often comes first between equals
};

/// Everything worth trying for set-ups that hang together through failing tests: names, heights, prism constants, a
/// set-up that does not belong, weather that was left in. None of it has been tried yet.
std::vector<Hypothesis> traverse_hypotheses(const TraverseReport &r, const std::set<std::string> &about,
                                            const std::vector<TraverseTest> &tests);

} // namespace ampletie
