#pragma once
#include "open_job/job.h"

namespace ampletie::cli {

/// Keeps what `show` would print of a job as it is now; at the end of a command most of it has been computed.
void keep_lists(const std::string &path, const Job &job);

} // namespace ampletie::cli
