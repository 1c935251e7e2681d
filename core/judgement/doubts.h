#pragma once
#include "job/thing.h"
#include "judgement/doubt_kind.h"
#include "judgement/traverse_causes.h"
#include "results/network_run.h"

namespace ampletie {

/// What the software cannot settle and the surveyor must.
struct Doubt {
  enum class State { open, accepted };
  std::string id, about, sentence;
  DoubtKind kind = DoubtKind::not_computed;
  Section section = Section::intake; ///< where to go
  Thing thing;                       ///< to select there
  std::string other{};               ///< of two names that may be one mark the one to give up
  std::optional<double> value, limit;
  std::string unit;
  std::optional<double> effect_m;  ///< on the issued coordinates, where it can be told
  std::vector<std::string> causes; ///< each found by a check that was made
  State state = State::open;
  std::string accepted_because;
};

/// The id by which decisions accept a doubt, made of its kind and what tells it from others of its kind; and what it
/// was before kinds had codes.
std::string doubt_id(DoubtKind kind, const std::string &key);
std::string former_doubt_id(DoubtKind kind, const std::string &key);

/// A doubt's value or limit in print, in a unit that suits its size: "92.3575°", "153.656 m", "3.42 χ²".
std::string measured(double value, const std::string &unit);

/// All doubts, largest effect first; accepted ones stay in the list. `network` may be null; `issued` are the records of
/// control, oldest first.
std::vector<Doubt> find_doubts(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const LoopReport &loops,
                               const TraverseFindings &traverses, const NetworkRun *network,
                               const std::vector<IssueRecord> &issued);

/// Those that need nothing computed: parts that failed, damaged sources and decisions.
std::vector<Doubt> plain_doubts(const JobSnapshot &s);

/// Whether it was accepted that a published mark does not belong to the job; marks of one file share the doubt.
bool misplaced_accepted(const JobState &s, const PublishedMark &p);

} // namespace ampletie
