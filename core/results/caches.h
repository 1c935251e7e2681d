#pragma once
#include "results/levels.h"
#include "results/lists.h"
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
  /// Held while one of them is used: successors of a snapshot may compute on other threads.
  std::mutex levels_use, setups_use, lines_use, lists_use;
};

} // namespace ampletie
