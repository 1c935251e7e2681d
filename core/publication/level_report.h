#pragma once
#include "open_job/job.h"
#include "publication/report.h"

namespace ampletie {

/// Everything a checker wants to see of the levels: files and recipes, books as observed, corrections, misclosures
/// before anything was shared out, distribution, heights of each line (provisional) and of all levels adjusted. Throws
/// `InputError` when nothing is levelled.
Report level_report(const Job &job);

} // namespace ampletie
