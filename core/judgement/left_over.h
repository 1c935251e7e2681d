#pragma once
#include "results/network_run.h"

namespace ampletie {

/// Something of the job that takes no part in the result.
struct LeftOver {
  std::string kind; ///< "occupation", "vector", "track", "stop", "level line", "field book", "set-up", "file", "mark",
                    ///< "held mark"
  std::string name, because;
};

/// All of it: what was left out by a decision or by its default, what cannot be used, and what nothing joins to the
/// adjusted network (`run` may be null: then only the former).
std::vector<LeftOver> left_over(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const NetworkRun *run);

/// Why levels and physical heights cannot join the vectors of an adjusted network; empty: they can.
std::string why_heights_stay_apart(const JobSnapshot &s, const NetworkRun &run);

/// "3 level lines, 1 field book": by kind.
std::string left_over_words(const std::vector<LeftOver> &list);

} // namespace ampletie
