#pragma once
#include "results/vectors.h"

namespace ampletie {

/// Vectors from one base that belong into one solution, as indices into the list they were planned from.
struct PlannedSession {
  std::string id, key; ///< key: fingerprint of everything the solution depends on
  std::vector<std::size_t> legs;
};
/// Stars of vectors that logged together: legs that overlap for at least half of the longer one, from the base that
/// serves most of them. Empty when the job asks for vectors one by one.
std::vector<PlannedSession> plan_sessions(const std::vector<VectorResult> &vectors, const JobState &state);

/// Marks what is stale, left out and dependent by what is planned: what the decisions say about results that exist.
void refresh(std::vector<VectorResult> &vectors, const JobSnapshot &s, const std::vector<PlannedVector> &plan);

/// Why an occupation cannot be taken for one that stands: its data show that it moved, in a span that is not left out
/// and that nobody has decided to be none. Empty: it can.
std::string movement_problem(const Occupation &o, const std::vector<LeftOutSpan> &left_out);

/// Session name of every used occupation: those that overlap directly or through others, named by their first start.
std::map<std::string, std::string> session_names(const std::vector<Occupation> &all);

StaticOptions static_options(const JobSettings &s);

} // namespace ampletie
