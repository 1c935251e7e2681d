#pragma once
#include "base/vector.h"
#include "network/series_noise.h"
#include <array>
#include <optional>
#include <vector>

namespace ampletie {

/// A jump of a mark that nobody said and its series would be better with.
struct SuspectedStep {
  std::size_t series = 0;                      ///< whose
  double year = 0;                             ///< between the last value before and the first one after it
  Vec3 size = Vec3::Zero(), sd = Vec3::Zero(); ///< of the three components, m; under the noise that is left with it
  double statistic = 0, limit = 0;             ///< Σ (size/sd)², and what chance stays below
};

/// Looks for the jump that explains most in several series of three components (same times and functions, residuals of
/// a fit by least squares): every place with at least `least` values on both sides is tried as a further function; the
/// best of each series goes into its functions, the noise of all is estimated again with it (so that a jump is not
/// taken for coloured noise), and what is left is tested. The strongest is named alone: a day's datum hands an eighth
/// of a jump to its seven neighbours, which look like jumps until that one is said. `chance`: that anything is named
/// in a network without jumps; the limit is that of χ² with three degrees over as many independent places as there
/// are, 12 ln(values) in a series (fitted to drawn ones, docs/verification.md).
std::optional<SuspectedStep> suspected_step(const std::vector<std::array<NoiseSeries, 3>> &series, double chance = 0.05,
                                            std::size_t least = 8);

} // namespace ampletie
