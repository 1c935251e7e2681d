#pragma once
#include "results/network_run.h"

namespace ampletie {

/// An adjusted mark against coordinates that do not hold it: of a check, or what a list publishes.
struct ComparedMark {
  std::string name, where; ///< "control.csv line 7", "typed (decision 12)"
  std::string source_id;
  bool check = false;                          ///< the surveyor asked for it
  bool has_plan = false, has_up = false;       ///< what can be compared; up: of the ellipsoidal height
  Vec3 difference = Vec3::Zero();              ///< adjusted less published, east, north and up at the mark, m
  Mat3 cov = Mat3::Zero();                     ///< of both, m²
  Mat3 datum_cov = Mat3::Zero();               ///< of that what the held marks give to all alike
  bool stated = false;                         ///< the list states an uncertainty; else only the network's counts
  double plan_statistic = 0, up_statistic = 0; ///< χ² with two and one degrees
  bool plan_passes = true, up_passes = true;   ///< α = 0.001 each (statistics.h)
  std::optional<double> height_difference;     ///< of physical heights, where both have one, m
  std::optional<double> height_sd;             ///< none: nobody states how good the geoid between is
  bool height_passes = true;
  bool passes() const { return plan_passes && up_passes && height_passes; }
  bool judged() const { return has_plan || has_up || height_sd; }
  /// A height that was given and that nothing judges: nobody states how good the geoid between is.
  bool height_unjudged() const { return height_difference && !height_sd && !has_up; }
  double worst() const;     ///< the largest of the statistics, each in its limit; above 1: one fails
  double largest_m() const; ///< difference
};

/// What all differences have in common.
struct SystematicPart {
  std::string sentence; ///< "all lie 0.35 m to the east …: as if ITRF2020 were taken for ETRF2000"
  double size_m = 0;    ///< the most that it moves a mark
};

/// A mark that was to be a check and could not be compared.
struct UncomparedCheck {
  std::string name, because;
};

struct Comparison {
  std::vector<ComparedMark> marks; ///< checks first, the worst first
  std::vector<UncomparedCheck> uncompared;
  std::vector<SystematicPart> systematic;
};

/// Compares everything that can be, every list by itself. Published coordinates are brought to the job's frame and
/// epoch; those that cannot are left out (they have doubts of their own). Systematic parts are named where they are
/// significant (each against the model without it, α = 0.001): a shift, a turn, a scale, a tilt; a shift is compared
/// with what a mistaken frame, epoch, geoid or antenna would make here (`shift_reason`).
Comparison compare_with_published(const JobSnapshot &s, const NetworkRun &run);

/// The same of one mark: its own published coordinates where they do not hold it, and those of other lists.
std::vector<ComparedMark> compare_mark(const JobSnapshot &s, const NetworkRun &run, const AdjustedMark &m);

/// All checks of the job: those that were compared, and those that could not be.
std::pair<std::vector<ComparedMark>, std::vector<UncomparedCheck>> compare_checks(const JobSnapshot &s,
                                                                                  const NetworkRun &run);

/// "agrees", "disagrees", or what of it is not judged and why.
std::string check_verdict(const ComparedMark &c);

/// "12.3 mm in plan and +4.1 mm in height from its published place".
std::string difference_words(const ComparedMark &c);

} // namespace ampletie
