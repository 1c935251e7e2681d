#pragma once
#include "open_job/job.h"
#include <set>

namespace ampletie {

/// One of `of` pieces of the work, from 1.
struct Shard {
  int number = 1, of = 1;
};
/// "2/5". Throws `InputError`.
Shard read_shard(const std::string &text);

/// The vectors of a piece: whole sessions, since their vectors are solved together, given to the pieces so that each
/// has about as many vectors. Every machine that has the same job finds the same pieces, whatever is solved already.
std::set<std::string> vectors_of_shard(const JobSnapshot &s, const Shard &shard);

/// The tracks of a piece, by their ids: from further bases and joint ones with their main one, given to the pieces so
/// that each has about as many hours.
std::set<std::string> tracks_of_shard(const JobSnapshot &s, const Shard &shard);

/// What a job got from copies of itself.
struct Merged {
  std::size_t vectors = 0, tracks = 0; ///< taken
  std::size_t here = 0;                ///< current here already
  std::size_t foreign = 0;             ///< of another state of the job, or of another job: not taken
  std::vector<std::string> problems{}; ///< of files that could not be read, in words
  std::size_t missing = 0;             ///< planned vectors and tracks that are still not solved
};

/// Takes over what was solved in copies of a job, by fingerprint: what was computed from anything else than this job
/// now holds is left. Motions that were found come along, without which tracks would not be known. A copy that is named
/// twice, or lost, does no harm. Results are the bytes that one machine would have kept.
Merged merge_results(Job &job, const std::vector<std::string> &copies);

} // namespace ampletie
