#pragma once
#include "results/measured.h"
#include "results/traverses.h"
#include "results/vectors.h"

namespace ampletie {

/// Names for people of what the network's tests are about, which know ids alone.
class ObservedNames {
public:
  explicit ObservedNames(const JobSnapshot &s);
  /// Marks that an observation joins; the same twice for a set-up; empty where the id is of neither.
  std::pair<std::string, std::string> ends(const std::string &id) const;
  /// "vector PN1 → R07, dx", "height of the set-up on R07, 05-12 08:00", "zenith angle T01 → T02".
  std::string words(const std::string &id, const std::string &kind, const std::string &component) const;

private:
  std::map<std::string, std::pair<std::string, std::string>> ends_;
  std::map<std::string, std::string> setups_; ///< "R07, 05-12 08:00"
};

} // namespace ampletie
