#pragma once
#include "network/network.h"

namespace ampletie {

/// How far a mark follows: for every block or part of one, the largest change of the mark per metre of change in one of
/// its observations; for every held mark, per metre of change in its coordinates (under "held NAME"). Zero entries are
/// left out: what is not listed does not move the mark.
std::map<std::string, double> influences_on(const NetworkResult &r, const std::string &mark);

/// What an observation may do to a mark without its test noticing.
struct UndetectedError {
  std::string id, kind, component; ///< of the block or part; "dx" …
  double detectable = 0;           ///< smallest error that its test finds (error probability and power of the options)
  Vec3 effect_enu = Vec3::Zero();  ///< on the mark, of an error of that size, m; up: of the height that it is known by
};
/// External reliability of a mark (Baarda 1968): the effect of the smallest detectable error of every observation, the
/// largest first; of angles the error is radians, else metres. What has no redundancy has no smallest detectable error
/// and stands in `unbounded`: a mistake there goes into the mark whole, and nothing tells. What is known of models
/// beforehand (calibrations, geoid, air) is no such observation.
struct ExternalReliability {
  std::vector<UndetectedError> errors;
  std::vector<UndetectedError> unbounded; ///< `effect_enu` of an error of 1 (m or radian)
};
ExternalReliability external_reliability(const NetworkResult &r, const std::string &mark);

/// The largest effect on each mark, m; a mark that an untested observation moves by more than a thousandth of its error
/// has none. Held marks are left out.
std::map<std::string, std::optional<UndetectedError>> largest_undetected(const NetworkResult &r);

} // namespace ampletie
