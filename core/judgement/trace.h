#pragma once
#include "results/network_run.h"

namespace ampletie {

/// One step from an issued number back to its origin.
struct TraceStep {
  int depth = 0;
  std::string kind; ///< "result", "vector", "occupation", "source", "decision", "control", "orbits", "antenna"
  std::string text, detail;
  std::string source_id; ///< with `line`: where in the file
  long line = 0, decision = 0;
  std::string item; ///< id to select
  /// How far one standard deviation of it moves the mark, m; of what the adjustment lets through, where it can be told.
  std::optional<double> effect_m{};
};

/// What a mark's coordinates rest on: every vector that contributes to it in the adjustment, its occupations, the lines
/// of their sources, the held marks and all decisions on the way; what moves the mark most comes first. Without a
/// network run only the mark's own data. `followed`: so many vectors are followed to their sources, those that move the
/// mark most; of the others only the vector itself is named.
std::vector<TraceStep> trace_mark(const std::string &mark, const JobSnapshot &s,
                                  const std::vector<VectorResult> &vectors, const NetworkRun *network,
                                  std::size_t followed = 1000000);
/// The first branches of a trace of a mark: what moves it most. The others are counted.
struct ShortTrace {
  static constexpr std::size_t branches = 8; ///< that fit on a screen
  std::vector<TraceStep> steps;
  int hidden = 0;
};
ShortTrace shortened(std::vector<TraceStep> steps);
std::vector<TraceStep> trace_vector(const VectorResult &v, const JobSnapshot &s, int depth = 0);
std::vector<TraceStep> trace_occupation(const Occupation &o, const JobSnapshot &s, int depth = 0);

} // namespace ampletie
