#pragma once
#include "datum/fit/frame_fit.h"

namespace ampletie {

/// A mistake that was tried: the fit was computed as if it had been made.
struct FitCause {
  enum class Kind { wrong_pair, exchanged, unit, axes } kind = Kind::wrong_pair;
  std::string sentence;
  std::vector<std::string> marks;
  PairUse instead = PairUse::check; ///< of a wrong pair: how it could take part
  bool clears = false;              ///< nothing fails then
  double probability = 0;           ///< that χ² of what is left is as large by chance
};

/// What would explain a fit that fails, or that cannot be: each pair that stands out left to check (in plan, in height,
/// in both), two marks exchanged, another unit or exchanged axes on the target's side. What clears everything comes
/// first, of those the likeliest. Empty where nothing fails.
std::vector<FitCause> explain_fit(const FitInput &in, const FitResult &fit);

/// Whether nothing of a fit fails: neither the whole nor a pair that takes part.
bool agrees(const FitResult &fit);

/// A scale that is none but a unit in disguise: "0.304800: one side is in feet"; empty for others.
std::string scale_as_unit(double scale);

} // namespace ampletie
