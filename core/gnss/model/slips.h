#pragma once
#include "gnss/model/signals.h"
#include <array>

namespace ampletie {

/// Watches one satellite of one receiver for cycle slips: each further carrier against the first one, geometry-free
/// against its linear prediction and by the wide lane of Melbourne and Wübbena against its running mean (Blewitt 1990).
/// Feed epochs in order.
class SlipDetector {
public:
  struct Epoch {
    std::array<double, max_signals> phase, code, hz; ///< m, m, Hz; phase NaN when absent
    std::size_t count = 0;
  };
  /// Bits of the signals that slipped between the previous call and this one. With two carriers a jump cannot be told
  /// apart and both are named. `dt` seconds since the previous call, `elevation` in radians.
  unsigned slipped(const Epoch &e, double dt, double elevation);
  void restart() {
    for (auto &p : pairs_) p.count = 0;
  }

private:
  struct Pair {
    int count = 0;
    double gf_last = 0, gf_rate = 0, mw_mean = 0;
  };
  std::array<Pair, max_signals> pairs_;
  std::size_t reference_ = max_signals;
};

} // namespace ampletie
