#pragma once
#include "network/constraints.h"
#include "network/weight_groups.h"
#include "results/network_run.h"

namespace ampletie {

/// How observations of the network can be told into groups: "kind", "day", "instrument", "source", "session"; "all" has
/// one group, which scales everything.
const std::vector<std::string> &groupings();

/// What belongs to which group, and what factors were decided.
class WeightGroups {
public:
  /// `in`: the network's observations; what decisions say of groups comes from the job.
  WeightGroups(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const NetworkInput &in);
  /// "kind=levels"; empty where an observation belongs to none of a grouping.
  std::string group(const std::string &grouping, const std::string &id, const std::string &kind) const;
  /// What all groups of an observation put on its standard deviations.
  double factor(const std::string &id, const std::string &kind) const;

  /// Whether a factor was decided for all observations together.
  bool scales_everything() const { return factors_.count("all=observations") > 0; }

  /// The groups of vectors that may be turned or stretched, with those of `in` that belong to them.
  std::vector<NetworkTurn> turns(const NetworkInput &in) const;

private:
  std::vector<NetworkTurn> turns_;                                   ///< without their vectors
  std::map<std::string, std::map<std::string, std::string>> labels_; ///< id → grouping → value
  std::map<std::string, double> factors_;
};

/// Whether vectors of the network belong to a group: only those have a frame that can be turned.
bool has_vectors(const JobSnapshot &s, const std::string &group);

/// One grouping of the job's network: how accurate each group turns out, and what the network is without it.
struct GroupReport {
  std::string grouping;
  VarianceComponents components;
  std::vector<WithoutGroup> without;
  ConstraintTest constraints; ///< free, minimal, held
  std::string problem;        ///< why it could not be computed
};
GroupReport job_groups(const JobSnapshot &s, const NetworkRun &run, const std::string &grouping,
                       const Progress &progress);

} // namespace ampletie
