#pragma once
#include "gnss/lambda.h"
#include "gnss/occupation_model.h"

namespace ampletie {

/// How a static vector is solved. The defaults suit control work; every field says what it does.
struct StaticOptions {
  double interval_s = 30;       ///< longest interval of the epochs used; the data in between serve slip detection
  double success_limit = 0.999; ///< least bootstrapped success rate of the integers that are tried
  /// Integers are accepted when their ratio (second best over best) reaches that of a fixed failure rate of 1 in 10
  /// 000, and this: the covariance itself may be wrong, and a second set almost as good would be its sign.
  double least_ratio = 2.0;
  /// A vector counts as fixed when the integers still open would sharpen the position by no more than this share.
  double open_integers_may_cost = 0.10;
  double min_arc_s = 240; ///< shorter carrier arcs are not used (in short sessions: less than 0.3 of them)
  std::string systems = std::string(solved_systems); ///< letters of the systems in use
  /// Above this length low satellites say more about the mapping functions than about the heights.
  /// So they do at ends of different height.
  double long_mask_deg = 10, long_mask_from_m = 15e3, steep_mask_from_m = 300;
  int frequencies = band_count;     ///< at most this many per system
  bool integers = true;             ///< false: the ambiguities stay real numbers
  bool relative_troposphere = true; ///< estimate the difference of zenith delay (constrained)
  bool ionosphere = true;           ///< a delay per satellite, constrained by length
  bool correlated_noise = true;     ///< multipath as a process in time before the integer search
  bool repair_slips = true;         ///< set the carrier back after a slip whose size is certain
  bool learn_noise = true;          ///< solve again when the residuals contradict the noise model
  // Priors of the stochastic model; sources in docs/methods/static-vector.md.
  double phase_white = 0.002, phase_multipath = 0.005, code_white = 0.3, code_multipath = 0.6, correlation_s = 300;
  double diffuse_share = 0.09; ///< of the multipath variance that averages out only with the correlation time
  double ionosphere_ppm = 1.5, ionosphere_correlation_s = 1200;
  double troposphere_walk = 0.010;                ///< m/√h
  double base_zenith_sd = 0.05, base_walk = 0.01; ///< of the base's own zenith delay on long vectors, m and m/√h
  double gradient_sd = 0.00045;                   ///< of the horizontal gradient between the ends of a long vector, m
  double long_vector_m = 30e3; ///< from here on the zenith delay of the base and gradients are unknowns too
  /// What one session cannot show of itself, per vector: plan and height (type B), m.
  double type_b_plan = 0.0003, type_b_up = 0.001;
  double type_b_steep = 0.0045; ///< in height, m per 1000 m of height difference: mapping functions
  double type_b_ppm = 0.001;    ///< in plan: what tides, wind-up and orbits leave on long vectors
};

/// A time span in which a satellite, a system or everything is left out, on one frequency or all.
struct LeftOutSpan {
  SatId sat; ///< number 0: the whole system; system ' ': everything
  GpsTime from, to;
  std::string signal; ///< "L1": only carriers of that band with their codes; empty: all
  bool covers(SatId s, const std::string &phase_type, GpsTime t) const {
    return t >= from && t <= to && (sat.system == ' ' || sat.system == s.system) &&
           (sat.number == 0 || sat.number == s.number) && phase_type.substr(0, signal.size()) == signal;
  }
};

/// An unbroken carrier arc of a satellite between the two receivers.
struct CarrierArc {
  SatId sat;
  int band = 0;       ///< 0, 1 or 2: place in the order of bands in use
  std::string signal; ///< carrier type, "L1C"
  GpsTime first, last;
  int epochs = 0;
  bool reference = false; ///< of its system and band: the others are counted from it
};

using IntMatrix = Eigen::Matrix<std::int64_t, Eigen::Dynamic, Eigen::Dynamic>;

/// Integer combinations that were accepted: `coefficients · arcs = values`, where `arcs` is the difference rover − base
/// of the carrier ambiguities in cycles.
struct AcceptedIntegers {
  IntMatrix coefficients;
  IntVector values;
};

enum class Solution { code, floating, partly_fixed, fixed };
std::string solution_name(Solution s);

struct ResidualSample {
  GpsTime time;
  SatId sat;
  std::array<float, band_count> residual{NAN, NAN, NAN}; ///< m, between receivers, ionosphere removed; NaN: none
  float elevation = 0, azimuth = 0;                      ///< rad, at the rover
};

/// One step of the story from real numbers to integers.
struct FixingStep {
  int tried = 0, accepted = 0;              ///< combinations still open before it; combinations it fixed
  double ratio = 0, success = 0, sd_mm = 0; ///< largest standard deviation of the position after it
};

/// Where a new arc must start although nothing in the data says so (found by the filter).
struct ForcedBreak {
  SatId sat;
  int band;
  GpsTime time;
};

/// A slip whose size was certain: the carrier after it was set back by `cycles` (rover − base) and the arc goes on.
struct SlipRepair {
  SatId sat;
  int band;
  GpsTime time;
  std::int64_t cycles;
};

/// What a solution took for the noise, after hearing its residuals; as in StaticOptions.
struct NoiseInUse {
  double phase_multipath = 0.005, diffuse_share = 0.09, ionosphere_ppm = 1.5;
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

/// Solves one vector from two occupations of the same orbits. Throws `InputError` when they share too little data.
/// Method: docs/methods/static-vector.md.
StaticVector solve_static(const OccupationModel &base, const OccupationModel &rover, const Orbits &orbits,
                          const StaticOptions &options, const std::vector<LeftOutSpan> &left_out,
                          const Progress &progress);

} // namespace ampletie
