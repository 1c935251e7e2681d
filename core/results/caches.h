#pragma once
#include "results/levels.h"
#include "results/lists.h"
#include "results/planned_session.h"
#include "results/traverses.h"
#include <mutex>

namespace ampletie {

/// What results keep between decisions so that one of them computes only what it concerns. Everything in it is found by
/// the content that it was made of: successors of a snapshot share it.
struct ResultCaches {
  LevelReadings levels;
  SetupReadings setups;
  LineCache lines;
  ListReadings lists;
  std::map<std::string, PlannedSolution> planned; ///< by everything that it was computed from
  /// Held while one of them is used: successors of a snapshot may compute on other threads.
  std::mutex levels_use, setups_use, lines_use, lists_use, planned_use;
};

} // namespace ampletie
