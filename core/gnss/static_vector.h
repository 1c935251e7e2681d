#pragma once
#include "gnss/lambda.h"
#include "gnss/occupation_model.h"

namespace ampletie {

/// How a static vector is solved. The defaults suit control work; every field says what it does.
struct StaticOptions {
  double interval_s = 30;       ///< epochs used; the data in between serve slip detection
  double ratio_limit = 3.0;     ///< second-best over best integer candidate; below it the vector stays float
  double success_limit = 0.999; ///< least bootstrapped success rate of the integers that are tried
  /// A vector counts as fixed when the integers still open would sharpen the position by no more than this share.
  double open_integers_may_cost = 0.10;
  double min_arc_s = 240;           ///< shorter carrier arcs are not used
  bool relative_troposphere = true; ///< estimate the difference of zenith delay (constrained)
  bool ionosphere = true;           ///< a delay per satellite, constrained by length
  bool correlated_noise = true;     ///< multipath as a process in time before the integer search
  // Priors of the stochastic model; sources in docs/methods/static-vector.md.
  double phase_white = 0.002, phase_multipath = 0.005, code_white = 0.3, code_multipath = 0.6, correlation_s = 300;
  double diffuse_share = 0.15; ///< of the multipath variance that averages out only with the correlation time
  double ionosphere_ppm = 2.0, ionosphere_correlation_s = 1200;
  double troposphere_walk = 0.010; ///< m/√h
  /// What one session cannot show of itself, per vector: plan and height (type B), m.
  double type_b_plan = 0.0005, type_b_up = 0.001;
};

/// A time span in which a satellite (or all, when `sat.number` is 0) is left out.
struct LeftOutSpan {
  SatId sat;
  GpsTime from, to;
  bool covers(SatId s, GpsTime t) const { return (sat.number == 0 || sat == s) && t >= from && t <= to; }
};

/// An unbroken carrier arc of a satellite between the two receivers.
struct CarrierArc {
  SatId sat;
  int band = 0; ///< 0 or 1
  GpsTime first, last;
  int epochs = 0;
  bool reference = false; ///< of its system and band: the others are counted from it
};

/// Integer combinations that were accepted: `coefficients · arcs = values`, where `arcs` is the difference rover − base
/// of the carrier ambiguities in cycles.
struct AcceptedIntegers {
  Eigen::Matrix<std::int64_t, Eigen::Dynamic, Eigen::Dynamic> coefficients;
  IntVector values;
};

enum class Solution { code, floating, partly_fixed, fixed };
std::string solution_name(Solution s);

struct ResidualSample {
  GpsTime time;
  SatId sat;
  std::array<float, band_count> residual{}; ///< m, between receivers, ionosphere removed
  float elevation = 0;                      ///< rad
};

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
  double zenith_difference_m = 0;
  std::vector<CarrierArc> arcs;
  AcceptedIntegers integers;
  std::vector<ResidualSample> residuals;
  std::vector<std::string> notes; ///< sentences for the evidence
};

/// Solves one vector from two occupations of the same orbits. Throws `InputError` when they share too little data.
/// Method: docs/methods/static-vector.md.
StaticVector solve_static(const OccupationModel &base, const OccupationModel &rover, const Orbits &orbits,
                          const StaticOptions &options, const std::vector<LeftOutSpan> &left_out,
                          const Progress &progress);

} // namespace ampletie
