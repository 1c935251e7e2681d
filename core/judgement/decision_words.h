#pragma once
#include "job/decision.h"
#include "judgement/doubts.h"

namespace ampletie {

/// Decisions as people say them: "antenna height of R11 05-12 08:00: point rim, slant". Looks things up in the job as
/// it is now; what is gone from it keeps its id. Keeps a reference to the log.
class DecisionWords {
public:
  DecisionWords(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const std::vector<Doubt> &doubts,
                const std::vector<Decision> &log);
  /// What it is about: "occupation R11 05-12 08:00".
  std::string about(const Decision &d) const;
  /// What was said about it: "point rim, slant".
  std::string said(const Decision &d) const;
  /// Both in one sentence.
  std::string sentence(const Decision &d) const;

private:
  std::string named(const std::string &id) const;
  const Decision *decision(long number) const;
  const std::vector<Decision> &log_;
  std::map<std::string, std::string> names_; ///< id → words
};

} // namespace ampletie
