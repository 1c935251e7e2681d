#pragma once
#include "network/network.h"

namespace ampletie {

/// One way of giving a network its datum, and how well the observations agree with each other in it.
struct DatumLevel {
  DatumMode mode = DatumMode::free;
  int observations = 0, redundancy = 0;
  double vtpv = 0, variance_factor = 1, lower = 0, upper = 0;
  bool passes = true;
  std::string problem; ///< why it cannot be computed; then nothing else counts
};

/// A network free, with the least that gives it a datum, and held: is the field work consistent, and is the control?
/// What holding adds to vᵀPv is χ² with the number of coordinates held beyond the minimum, where the control agrees
/// with the observations (general linear hypothesis; Koch 1999, section 4.2). Held coordinates count as errorless.
struct ConstraintTest {
  std::vector<DatumLevel> levels; ///< free, minimal, held
  double statistic = 0, limit = 0;
  int degrees = 0; ///< 0: nothing is held beyond the minimum, or nothing to compare with
  bool passes = true;
};
ConstraintTest test_constraints(NetworkInput in, const Progress &progress);

} // namespace ampletie
