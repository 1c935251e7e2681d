#pragma once
#include "results/network_run.h"

namespace ampletie {

/// An adjusted mark against coordinates that a list publishes and that do not hold it.
struct ComparedMark {
  std::string name, where; ///< "control.csv line 7"
  std::string source_id;
  Vec3 difference = Vec3::Zero();              ///< adjusted less published, east, north and up at the mark, m
  Mat3 cov = Mat3::Zero();                     ///< of both, m²
  Mat3 datum_cov = Mat3::Zero();               ///< of that what the held marks give to all alike
  bool stated = false;                         ///< the list states an uncertainty; else only the network's counts
  double plan_statistic = 0, up_statistic = 0; ///< χ² with two and one degrees
  bool plan_passes = true, up_passes = true;   ///< α = 0.001 each (statistics.h)
  /// The same of physical heights, where both have one.
  std::optional<double> height_difference, height_sd;
  bool height_passes = true;
  bool passes() const { return plan_passes && up_passes && height_passes; }
};

/// What all differences have in common.
struct SystematicPart {
  std::string sentence; ///< "all lie 0.35 m to the east …: as if ITRF2020 were taken for ETRF2000"
  double size_m = 0;    ///< the most that it moves a mark
};

struct Comparison {
  std::vector<ComparedMark> marks; ///< the worst first
  std::vector<SystematicPart> systematic;
};

/// Compares everything that can be, every list by itself. Published coordinates are brought to the job's frame and
/// epoch; those that cannot are left out (they have doubts of their own). Systematic parts are named where they are
/// significant (each against the model without it, α = 0.001): a shift, a turn, a scale, a tilt; a shift is compared
/// with what an unapplied change of frame and an unapplied geoid would make here.
Comparison compare_with_published(const JobSnapshot &s, const NetworkRun &run);

} // namespace ampletie
