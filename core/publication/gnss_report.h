#pragma once
#include "open_job/job.h"
#include "publication/report.h"

namespace ampletie {

/// Everything a checker wants to see of the GNSS work: settings, orbits, occupations with the way to their antenna
/// heights, vectors with covariance and the way to their integers, sessions, closures, what was left out and why, what
/// is in doubt, and the sources. Throws `InputError` when nothing is solved.
Report gnss_report(const Job &job);

} // namespace ampletie
