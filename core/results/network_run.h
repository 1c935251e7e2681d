#pragma once
#include "network/loops.h"
#include "results/vectors.h"

namespace ampletie {

/// The adjusted network as the job keeps it in memory; cheap to compute again, so it is not cached in the file.
struct NetworkRun {
  std::string fingerprint;
  NetworkResult result;
  std::map<std::string, FullPosition> positions; ///< of every mark in the job's systems
  std::map<std::string, FullPosition> published; ///< of the published marks, moved to the job's frame and epoch
  OperationInfo operation;                       ///< from the orbits' frame to the job's
  std::string frame, epoch_text;
  std::vector<std::string> vectors;                    ///< ids of the vectors that took part
  std::vector<std::string> levels;                     ///< ids of the levelled sections
  std::vector<std::string> stations;                   ///< ids of the set-ups of total stations
  std::vector<std::string> measured;                   ///< ids of vectors and fixes that others measured
  std::vector<std::string> positioned;                 ///< marks that vectors end at
  std::string geoid_grid;                              ///< "grid egm96_15.gtx, bilinear"
  std::string geoid_name, geoid_source, geoid_refusal; ///< without a geoid between, the name of the heights' system
  bool heights_alone = false;                          ///< levels and nothing else: no mark has a place
  std::optional<double> geoid_sd;
  std::string older_datum, older_datum_way;   ///< of the grid, and how it is reached; empty: the frame's own grid
  std::optional<double> older_datum_accuracy; ///< stated, m
};

/// The vectors and sessions that the network takes, in the job's frame, with marks near where they are.
struct NetworkParts {
  NetworkInput input;
  std::vector<NetworkVector> dependent; ///< solved and used, but beyond the independent ones of their session
  std::vector<std::string> vectors;     ///< ids, as in `input`
  std::vector<std::string> levels, stations, measured;
  OperationInfo operation;
};
/// `what`: vectors alone, with levels, or everything.
enum class NetworkScope { vectors, levels, all };
NetworkParts network_parts(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const JobDatum &datum,
                           NetworkScope what = NetworkScope::all);

/// Everything that an adjustment would take now, of a job of heights alone too. Throws `InputError` in words.
NetworkInput network_input(const JobSnapshot &s, const std::vector<VectorResult> &vectors);

/// A mark of the network as the decisions hold it. `determined`: vectors or sights lead to it.
NetworkMark network_mark(const JobSnapshot &s, const JobDatum &datum, const NetworkInput &in, const std::string &name,
                         const TaggedPoint &position, bool determined);
/// Fills in everything about an adjusted network that its datum says: places in all systems, frame, geoid, datum.
void describe_run(NetworkRun &run, const JobSnapshot &s, const JobDatum &datum);

/// Closures of the vectors as they are, before any adjustment, and what would explain those that fail.
struct LoopReport {
  std::vector<Loop> loops;
  std::vector<LoopCause> causes;
};
LoopReport job_loops(const JobSnapshot &s, const std::vector<VectorResult> &vectors);

/// Fingerprint of everything an adjustment would use now.
std::string network_fingerprint(const JobSnapshot &s, const std::vector<VectorResult> &vectors);

/// Rotates the used, independent vectors into the job's frame and adjusts them. Throws `InputError` in words.
NetworkRun run_network(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const Progress &progress);

/// Why something between two marks that was measured at an epoch cannot be brought to the job's; empty: it can.
std::string epoch_problem(const std::string &from, const std::string &to, double length, double epoch,
                          const JobDatum &datum);
/// Why a vector cannot be brought from its session's epoch to the job's; empty: it can.
std::string epoch_problem(const VectorResult &v, const JobDatum &datum);

} // namespace ampletie
