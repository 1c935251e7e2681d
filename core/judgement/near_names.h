#pragma once
#include "results/vectors.h"

namespace ampletie {

/// Two names that may stand for one mark.
struct NearNames {
  std::string keep, other;                            ///< the one that is held, listed or met more often comes first
  std::string why;                                    ///< what is alike, and what the data say of it
  bool levels_only = false;                           ///< one of them is met by levels alone
  std::optional<double> height_difference, height_sd; ///< between their levelled heights, m
};

/// A name as it is when case, blanks, signs and leading zeros do not count: "HP 007" is "hp7".
std::string name_key(const std::string &name);

/// Names that differ in case, blanks, signs or leading zeros alone; and those that differ by a letter at the end as
/// crews add it when they occupy a mark again, where heights (within 5 standard deviations) or places (within 30 m)
/// agree; and whatever names lie within centimetres of one another (vectors, sights, published places). Places are
/// published ones and those that `vectors` lead to, else what the files' headers say.
std::vector<NearNames> near_names(const JobSnapshot &s, const std::vector<VectorResult> &vectors = {});

} // namespace ampletie
