#pragma once
#include "judgement/doubts.h"
#include "judgement/near_names.h"
#include "judgement/network_causes.h"
#include "results/job_results.h"

namespace ampletie {

// What is thought of the results: nodes of the same graph. Each is defined in findings.cpp with what it reads.
const Result<TraverseFindings> &traverse_findings_result();
const Result<std::vector<NearNames>> &near_names_result();
/// What would make a network agree whose tests fail.
const Result<std::vector<NetworkCause>> &network_causes_result();
/// All doubts, largest effect first; accepted ones stay in the list.
const Result<std::vector<Doubt>> &doubts_result();

} // namespace ampletie
