#pragma once
#include "results/network_run.h"

namespace ampletie {

/// Differences between an issue record and what the job computes now, beyond the printed digit (0.1 mm); empty when the
/// same. One sentence per mark.
std::vector<std::string> compare_with_record(const IssueRecord &r, const NetworkRun &now);

/// The same of provisional coordinates against what their traverse gives now.
std::vector<std::string> compare_provisional(const IssueRecord &r, const TraverseReport &now);
inline bool is_provisional(const IssueRecord &r) { return r.data.value("kind", "") == "provisional"; }

} // namespace ampletie
