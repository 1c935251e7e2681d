#pragma once
#include "gnss/ambiguity/integers.h"
#include "gnss/model/arcs.h"
#include "gnss/model/occupation_model.h"
#include "gnss/model/options.h"
#include "gnss/model/residual_sample.h"

namespace ampletie {

/// A solved vector, marker to marker, in the orbits' frame at the mid-epoch.
struct StaticVector {
  Vec3 d = Vec3::Zero();
  Mat3 cov = Mat3::Zero();
  Vec3 d_float = Vec3::Zero();
  Solution solution = Solution::code;
  double ratio = 0, success_rate = 0, rms_m = 0;
  double model_fit = 0; ///< mean normalised innovation squared; 1 when the noise model suits the data
  int epochs = 0, satellites = 0, rejected = 0, slips = 0;
  GpsTime first, last;
  double zenith_difference_m = 0, interval_s = 30;
  double noise_ratio = 1;      ///< mean squared residual over what the noise model expects
  double slow_share = 0;       ///< of the multipath, as the residuals show it
  double ionosphere_ratio = 1; ///< mean square of the delays found over what their prior lets expect
  std::vector<CarrierArc> arcs;
  AcceptedIntegers integers;
  std::vector<FixingStep> story;
  std::vector<ForcedBreak> breaks; ///< arcs that the filter cut
  std::vector<SlipRepair> repairs;
  NoiseInUse noise; ///< after learning
  std::vector<ResidualSample> residuals;
  std::vector<std::string> notes; ///< sentences for the evidence
};

/// What one session cannot show of itself, m²: set-ups apart, and what the orbits' errors leave.
Mat3 type_b(const OccupationModel &base, const OccupationModel &rover, const Orbits &orbits,
            const StaticOptions &options, int satellites);

Mat3 type_b(const Vec3 &base, const Vec3 &rover, const Orbits &orbits, const StaticOptions &options, int satellites);

/// Solves one vector from two occupations of the same orbits. Throws `InputError` when they share too little data.
/// Method: docs/methods/static-vector.md.
StaticVector solve_static(const OccupationModel &base, const OccupationModel &rover, const Orbits &orbits,
                          const StaticOptions &options, const std::vector<LeftOutSpan> &left_out,
                          const Progress &progress);

} // namespace ampletie
