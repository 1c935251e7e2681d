#pragma once
#include "formats/archive_index.h"
#include "results/snapshot.h"

namespace ampletie {

/// One thing that a job can use of an archive, and how it stands.
struct ArchiveNeed {
  enum class State {
    here,       ///< in the job already
    offered,    ///< the archive has it
    partly,     ///< the archive has some of the time
    not_yet,    ///< the archive will have it
    missing,    ///< the archive has nothing of it
    not_needed, ///< the archive has it; the job as it is set would not use it
  } state = State::missing;
  ArchiveKind kind = ArchiveKind::observations;
  std::string what, words;          ///< "REFA"; "08:00 to 12:00 is not covered"
  std::optional<double> distance_m; ///< of a station, from the nearest receiver in the field
  std::optional<GpsTime> from, to;  ///< when it is needed
  std::vector<std::size_t> files{}; ///< of the index, to be fetched
  std::uint64_t bytes = 0;          ///< of those
};
const char *archive_state_name(ArchiveNeed::State s);

/// What the job's receivers in the field need of an archive: the hours of the stations within `within_m` of one of
/// them, orbits as the job is set (precise ones with the eighty minutes on either side that their interpolation asks
/// for), of each time the ripest; clocks are said, not asked for: orbits have their own; calibrations of antennas that
/// the job knows none of, coordinates of stations that no list publishes. A receiver on a mark that the archive calls a
/// station is none in the field. Empty: nobody was in the field.
std::vector<ArchiveNeed> archive_needs(const JobSnapshot &s, const ArchiveIndex &index, double within_m);

/// Files that a job's needs ask for, each once, in the order of the needs.
std::vector<std::size_t> files_to_fetch(const std::vector<ArchiveNeed> &needs);

} // namespace ampletie
