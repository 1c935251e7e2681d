#pragma once
#include "results/measured.h"

namespace ampletie {

/// What was measured in real time of a mark, against a stop of a track that counts for it.
struct StopAgainstFix {
  std::string stop, fix;   ///< ids
  Vec3 enu = Vec3::Zero(); ///< fix less stop, east, north, up at the mark, m
  Mat3 cov = Mat3::Zero(); ///< of the difference: both measurements; a base that is not the same counts as errorless
  bool same_base = true;   ///< else both stand on where their bases are published
  double statistic = 0;    ///< χ² of it as a whole, three degrees
  bool passes = true;      ///< at 99.9 %
};

/// Every stop with a mark for which a list of the job has a fix: the one nearest in time, where several are. Of bases
/// that differ and have no published place nothing is said.
std::vector<StopAgainstFix> stops_against_fixes(const JobSnapshot &s);

} // namespace ampletie
