#pragma once
#include "judgement/traverse_causes.h"
#include "results/network_run.h"

namespace ampletie {

/// What the software cannot settle and the surveyor must.
struct Doubt {
  enum class State { open, accepted };
  std::string id, kind, about, sentence;
  std::string section; ///< where to go: "intake", "gnss", "levels", "network", "datum", "issue"
  std::string item;    ///< id of the occupation, vector, line, source or mark to select there; "same mark?": A|B
  std::optional<double> value, limit;
  std::string unit;
  std::optional<double> effect_m;  ///< on the issued coordinates, where it can be told
  std::vector<std::string> causes; ///< each found by a check that was made
  State state = State::open;
  std::string accepted_because;
};

/// A doubt's value or limit in print, in a unit that suits its size: "92.3575°", "153.656 m", "3.42 χ²".
std::string measured(double value, const std::string &unit);

/// All doubts, largest effect first; accepted ones stay in the list. `network` may be null; `issued` are the records of
/// control, oldest first.
std::vector<Doubt> find_doubts(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const LoopReport &loops,
                               const TraverseFindings &traverses, const NetworkRun *network,
                               const std::vector<IssueRecord> &issued);

/// Those that need nothing computed: parts that failed, damaged sources and decisions.
std::vector<Doubt> plain_doubts(const JobSnapshot &s);

/// Id of the doubt about a published mark that does not belong to the job; marks of one file share it.
std::string misplaced_doubt(const PublishedMark &p);

} // namespace ampletie
