#pragma once
#include "network/network.h"

namespace ampletie {

/// How far a mark follows: for every block or part of one, the largest change of the mark per metre of change in one of
/// its observations; for every held mark, per metre of change in its coordinates (under "held NAME"). Zero entries are
/// left out: what is not listed does not move the mark.
std::map<std::string, double> influences_on(const NetworkResult &r, const std::string &mark);

/// What an observation may do to a mark without its test noticing.
struct UndetectedError {
  std::string id, kind, component; ///< of the block or part; "dX" …
  double detectable = 0;           ///< smallest error that its test finds (error probability and power of the options)
  Vec3 effect_enu = Vec3::Zero();  ///< on the mark, of an error of that size, m
  double effect_height = 0;        ///< on its physical height: through the geoid's corrections other things reach it, m
};
/// External reliability of a mark (Baarda 1968): the effect of the smallest detectable error of every observation; of
/// angles the error is radians, else metres. What has no redundancy has no smallest detectable error and stands in
/// `unbounded`: a mistake there goes into the mark whole, and nothing tells. What is known of models beforehand
/// (calibrations, geoid, air) is no such observation.
struct ExternalReliability {
  std::vector<UndetectedError> errors;    ///< the largest effect on the place first
  std::vector<UndetectedError> unbounded; ///< effects of an error of 1 (m or radian)
};
ExternalReliability external_reliability(const NetworkResult &r, const std::string &mark);

/// The worst of a mark: nothing where an untested observation moves it by more than a thousandth of its error.
struct LargestUndetected {
  std::optional<UndetectedError> place, height; ///< of the mark in space, of its physical height
  bool has_place = false, has_height = false;   ///< whether it has such a thing
};
LargestUndetected largest_undetected(const NetworkResult &r, const AdjustedMark &m);
/// Of all marks that are not held: three or four solutions of the normal equations each.
std::map<std::string, LargestUndetected> largest_undetected(const NetworkResult &r);

} // namespace ampletie
