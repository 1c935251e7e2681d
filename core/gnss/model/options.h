#pragma once
#include "gnss/model/signals.h"
#include <string>

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
  // Of a moving receiver, switched off only to show in tests what they are worth.
  bool interpolation_noise = true; ///< what a base costs between its epochs counts
  bool backward = true;            ///< the data are gone through from their end too
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

/// What a solution took for the noise, after hearing its residuals; as in StaticOptions.
struct NoiseInUse {
  double phase_multipath = 0.005, diffuse_share = 0.09, ionosphere_ppm = 1.5;
};

} // namespace ampletie
