#pragma once
#include "open_job/job.h"
#include "results/control_record.h"

namespace ampletie {

/// What an issue record holds of the marks given: coordinates with their covariance, what held them, tests, sources,
/// decisions and doubts.
nlohmann::ordered_json issue_content(const Job &job, const NetworkRun &run,
                                     const std::vector<const AdjustedMark *> &marks);

} // namespace ampletie
