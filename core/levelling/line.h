#pragma once
#include "adjustment/statistics.h"
#include "levelling/reduction.h"
#include <string_view>

namespace ampletie {

/// A height that is known beforehand.
struct KnownHeight {
  double height = 0; ///< m
  double sd = 0;     ///< m; 0: errorless or not said
};
using KnownHeights = std::map<std::string, KnownHeight>;

/// What a misclosure may be: k·√km, k·√n, or both; 0 switches one off.
struct LevelLimits {
  double mm_per_root_km = 4, mm_per_root_setup = 0;
  /// m; the larger of the two that are on.
  double of(double length_m, int setups) const;
};
/// Orders of published standards with their limits in mm/√km of a loop or line, and of a section run both ways.
struct LevelOrder {
  const char *name, *source;
  double line, section;
};
const std::vector<LevelOrder> &level_orders();
/// Null for a name that is none of them.
const LevelOrder *level_order(std::string_view name);

/// Accuracy of the readings: per √km of a single run, or per set-up.
struct LevelWeights {
  double sd_km = 0.001; ///< m per √km, single run
  double sd_setup = 0;  ///< m per set-up; when given it is used in place of the other
  double variance(double length_m, int setups) const {
    return sd_setup > 0 ? sd_setup * sd_setup * setups : sd_km * sd_km * length_m / 1000;
  }
};

/// Observed against known between two marks of the run whose heights are known, or a loop.
struct Misclosure {
  enum class Kind { between, loop } kind = Kind::between;
  std::string from, to;
  double observed = 0, known = 0; ///< differences, m; known is 0 for a loop
  double value = 0;               ///< observed − known, m
  double length = 0;              ///< m
  int setups = 0;
  double sd = 0;    ///< propagated, m: readings and the known heights
  double limit = 0; ///< m, k·√km or k·√n
  bool within_limit() const { return std::abs(value) <= limit; }
  bool within_propagated() const { return std::abs(value) <= single_test_limit * sd; }
};
/// At every known mark that the run turns on, in order, before anything is distributed; a run that returns to its start
/// closes as a loop, a mark that it meets twice too.
std::vector<Misclosure> misclosures(const ReducedRun &run, const KnownHeights &known, const LevelLimits &limits,
                                    const LevelWeights &weights);

/// The one that leaves its limit farthest behind; null when nothing closes.
const Misclosure *worst_closure(const std::vector<Misclosure> &all);

/// Height of a run's start from the first known mark that it meets; nothing when it meets none.
std::optional<double> start_height(const ReducedRun &run, const KnownHeights &known);

enum class Distribution { none, distance, setups };
std::string distribution_name(Distribution d);

/// Heights along the run after distribution.
struct LineHeight {
  std::string mark;
  double distance = 0;
  double observed = 0;   ///< carried from the last known mark before it, m
  double correction = 0; ///< what the distribution adds, m
  double height = 0;
  double sd = 0; ///< m, from the nearest known marks on both sides
  bool known = false, turn = true;
};
/// Between known marks the misclosure is shared in proportion to distance or set-ups, outside of them nothing is; with
/// no known mark at all the start counts as 0. `computed`: known marks that are computed all the same, each by itself.
std::vector<LineHeight> line_heights(const ReducedRun &run, const KnownHeights &known, Distribution distribution,
                                     const LevelWeights &weights, const std::vector<std::string> &computed = {});

/// A section that was run both ways, between two marks that both runs turn on.
struct DoubleSection {
  std::string from, to;
  double fore = 0, back = 0;                        ///< differences in their own direction, m
  double length = 0;                                ///< mean of both, m
  double difference() const { return fore + back; } ///< m
  double limit = 0;                                 ///< m
  bool same_way = false;                            ///< both runs were walked in one direction
  bool within_limit() const { return std::abs(difference()) <= limit; }
};
struct DoubleRunning {
  std::vector<DoubleSection> sections;
  /// Standard error of a kilometre, m per √km: of a single run, and of the mean of fore and back.
  double single = 0, mean = 0;
};
/// Compares two runs section by section; the second may run either way. `mm_per_root_km`: limit of a section.
/// m² = Σ d²/R / 4n for the mean of both (textbooks; docs/methods/levelling.md).
DoubleRunning double_running(const ReducedRun &there, const ReducedRun &again, double mm_per_root_km);

} // namespace ampletie
