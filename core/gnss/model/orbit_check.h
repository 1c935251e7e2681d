#pragma once
#include "gnss/model/signals.h"
#include <map>
#include <vector>

namespace ampletie {

/// Whether each orbit message fits the code that was measured. A message that is hundreds of metres off is rare, but
/// on tens of kilometres it moves the carriers by decimetres and makes integers wrong that look certain.
class OrbitCheck {
public:
  /// A residual of the code, observed − modelled with the receiver's clock taken off, m. `issue`: of the message.
  void add(SatId sat, long issue, double residual, bool ionosphere_free);
  /// Ends an epoch: what its satellites have in common (the clock of their system) is taken off by its median; systems
  /// with fewer than four satellites cannot be judged.
  void end_epoch();
  struct Bad {
    SatId sat;
    long issue;
    double off; ///< mean residual, m
  };
  /// Messages whose mean residual is beyond 20 m (one frequency alone, with its ionosphere: 60 m; fewer than five
  /// epochs: three times as much) and six times the median of all: a wrong place of the receiver shifts them all.
  /// Limits: common practice; healthy messages are good to a few metres.
  std::vector<Bad> bad() const;

private:
  struct Seen {
    SatId sat;
    long issue;
    double residual;
    bool ionosphere_free;
  };
  struct Sum {
    double sum = 0;
    int count = 0;
    bool ionosphere_free = true;
  };
  std::vector<Seen> epoch_;
  std::map<std::pair<SatId, long>, Sum> sums_;
};

} // namespace ampletie
