#pragma once
#include "results/vectors.h"

namespace ampletie {

/// Two occupations between which a vector is solved, in its direction.
struct OccupationPair {
  const Occupation *from, *to;
};
struct VectorPairs {
  std::vector<OccupationPair> pairs;
  std::size_t possible = 0; ///< used occupations of different marks that overlap enough
};

/// The pairs that are solved: all that overlap, or of receivers that logged with more than fifteen others as many as
/// tie them (JobSettings::all_pairs). Those are: from one base to each of them, between the bases, between published
/// marks, to the three nearest by the positions in the files' heads, and what would else fall apart. The others are
/// linear combinations of these. Independent of the order of the occupations.
VectorPairs vector_pairs(const JobSnapshot &s);
/// The same, found once: every pair of a large job is looked at.
const Result<VectorPairs> &pairs_result();

/// Why there are none.
std::string why_no_pairs(const JobSnapshot &s);

/// A sentence on the pairs that are not solved; empty: all are. Not within a result that does not read the pairs.
std::string thinned_pairs(const JobSnapshot &s);

} // namespace ampletie
