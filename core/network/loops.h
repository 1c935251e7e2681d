#pragma once
#include "network/network.h"

namespace ampletie {

/// What a closure can reveal.
enum class LoopCheck {
  none,        ///< all of it comes from one session with one set of set-ups: it closes whatever the set-ups are worth
  same_setups, ///< different sessions over the same erections: checks the solutions, not centring and heights
  full         ///< at least one mark was set up anew
};
std::string loop_check_name(LoopCheck c);

/// Limits of a closure in the job's own terms.
struct LoopLimits {
  double mm = 10, ppm = 1;
  double alpha = 0.001; ///< of the propagated test
};

/// A chain of vectors that returns to where it began; two vectors between the same marks are the shortest one.
struct Loop {
  std::string id;                            ///< made of its vectors
  std::vector<std::string> marks;            ///< in order, the first is not repeated at the end
  std::vector<std::string> vectors;          ///< in order
  std::vector<int> signs;                    ///< −1: walked against its direction
  Vec3 misclosure = Vec3::Zero();            ///< Cartesian, m
  Vec3 misclosure_enu = Vec3::Zero();        ///< east, north, up at the first mark, m
  Mat3 cov_enu = Mat3::Zero();               ///< propagated: vectors with what they share, and the set-ups that differ
  double length = 0;                         ///< m
  double statistic = 0, statistic_limit = 0; ///< χ² with three degrees; both 0 where nothing can be propagated
  double limit_m = 0;                        ///< mm + ppm
  LoopCheck check = LoopCheck::none;
  bool repeated() const { return vectors.size() == 2; }
  bool within_propagated() const { return statistic_limit <= 0 || statistic <= statistic_limit; }
  bool closes() const { return within_propagated() && within_limit(); }
  std::string name() const; ///< its marks, "A – B – C"
  bool within_limit() const { return misclosure_enu.norm() <= limit_m; }
  /// "closes", "misses" (both), "over the limit" (its accuracy allows it), "over its accuracy" (the limit allows it).
  const char *verdict() const {
    return closes()              ? "closes"
           : within_propagated() ? "over the limit"
           : within_limit()      ? "over its accuracy"
                                 : "misses";
  }
};

/// Repeated vectors, one after the other, and for every other vector beyond a spanning tree the shortest loop through
/// it. `dependent`: vectors of a session beyond its independent ones; each is compared with the chain of independent
/// ones of its session: no check of the set-ups, but a wrong solution shows. Sorted, the worst against its limits
/// first; the order of input does not matter.
std::vector<Loop> find_loops(const NetworkInput &input, const std::vector<NetworkVector> &dependent,
                             const LoopLimits &limits);

/// One mistake that would let every failing closure pass.
struct LoopCause {
  enum class Kind { height, swapped, renamed } kind = Kind::height;
  /// Whose height is wrong; the two set-ups whose marks were exchanged; the set-up and the mark that it stood on.
  std::string setup, other;
  double size_m = 0; ///< of the height: true − used
  double sd_m = 0;   ///< of that size
  double left = 0;   ///< largest statistic over its limit that remains
};
/// Tries, for every set-up, another antenna height, and for every two set-ups of a session, exchanged marks: which
/// alone brings all closures inside their propagated limits? Best first; empty when nothing fails or nothing helps.
std::vector<LoopCause> explain_loops(const NetworkInput &input, const std::vector<Loop> &loops,
                                     const LoopLimits &limits);

} // namespace ampletie
