#include "network/constraints.h"
#include "adjustment/statistics.h"
#include "base/error.h"

namespace ampletie {

ConstraintTest test_constraints(NetworkInput in, const Progress &progress) {
  ConstraintTest out;
  in.options.tests = false;
  for (const DatumMode mode : {DatumMode::free, DatumMode::minimal, DatumMode::held}) {
    in.mode = mode;
    DatumLevel l;
    l.mode = mode;
    try {
      const AdjustmentResult a = adjust_network(in, progress).adjustment;
      l.observations = a.observations, l.redundancy = a.redundancy, l.vtpv = a.vtpv;
      l.variance_factor = a.variance_factor, l.lower = a.lower, l.upper = a.upper, l.passes = a.passes;
    } catch (const InputError &e) {
      l.problem = e.reason();
    }
    out.levels.push_back(std::move(l));
  }
  const DatumLevel &minimal = out.levels[1], &held = out.levels[2];
  if (!minimal.problem.empty() || !held.problem.empty()) return out;
  out.degrees = held.redundancy - minimal.redundancy;
  if (out.degrees <= 0) {
    out.degrees = 0;
    return out;
  }
  out.statistic = held.vtpv - minimal.vtpv;
  out.limit = chi_squared_quantile(1 - in.options.alpha_global, out.degrees);
  out.passes = out.statistic <= out.limit;
  return out;
}

} // namespace ampletie
