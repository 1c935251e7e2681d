#pragma once
#include "open_job/job.h"

namespace ampletie {

/// A column that a table of a track's epochs may have.
struct EpochColumn {
  const char *name, *unit, *sentence;
  bool of_grid; ///< needs the job's system
};
const std::vector<EpochColumn> &epoch_columns();
/// time, x, y, z, sd_e, sd_n, sd_u, solution, satellites.
const std::vector<std::string> &usual_epoch_columns();
/// Epochs of a track as a table of text with these columns in this order; empty: the usual ones. Epochs without a place
/// have empty cells. Throws `InputError` for names that are none (and says which there are), for one asked for twice,
/// and where no way leads to the job's system.
std::string track_csv(const Job &job, const TrackResult &t, const std::vector<std::string> &columns);

} // namespace ampletie
