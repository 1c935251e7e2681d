#pragma once
#include "base/vector.h"
#include <vector>

namespace ampletie {

/// A step of a carrier between two epochs, m: observed − modelled, of one receiver or between two.
struct CarrierStep {
  Vec3 unit;  ///< receiver to satellite
  int system; ///< 0, 1, …: they share a clock
  double y;
  double limit; ///< more than this beyond the way gone is a slip
};
struct StepFit {
  bool told = false;        ///< more steps than unknowns were left
  std::vector<bool> jumped; ///< by step: it does not agree with the others, or nothing controls it
  Vec3 way = Vec3::Zero();  ///< by which the receiver moved, m
  double rms = 0;           ///< of the steps that agree, m
  std::size_t used = 0;
};

/// The way gone and a clock per system from the steps of all carriers: far ones count little at first (iteratively
/// re-weighted least squares, Huber 1981), then the worst is taken out until the rest agrees.
StepFit fit_steps(const std::vector<CarrierStep> &steps);

} // namespace ampletie
