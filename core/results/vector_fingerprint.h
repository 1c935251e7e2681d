#pragma once
#include "results/vectors.h"
#include <unordered_map>

namespace ampletie {

/// Fingerprints of everything that solutions of vectors depend on: both occupations with their antennas, orbits, known
/// ionosphere, settings, what is left out, and the published positions that may anchor the session. A list of marks
/// where nobody stood changes none of them.
class VectorFingerprints {
public:
  /// `sessions`: name of the session of every used occupation.
  VectorFingerprints(const JobSnapshot &s, const std::map<std::string, std::string> &sessions);
  /// "7:" and a SHA-256.
  std::string of(const PlannedVector &p) const;
  /// The same of a moving receiver's files from a base.
  std::string of(const std::string &track, const std::vector<const Occupation *> &base,
                 const std::vector<const Occupation *> &rover) const;

private:
  std::string own(const PlannedVector &p) const;
  const JobSnapshot &s_;
  std::string common_, settings_;
  std::unordered_map<std::string, std::string> occupations_, anchors_; ///< by occupation; by session
  bool spans_ = false;                                                 ///< that satellites are left out anywhere
};

/// Results of jobs from before "7:" keep standing: where the fingerprint of that time still fits, they get today's.
/// Nothing where there is nothing to do.
std::optional<std::vector<VectorResult>> with_present_fingerprints(const std::vector<VectorResult> &solved,
                                                                   const JobSnapshot &s);

} // namespace ampletie
