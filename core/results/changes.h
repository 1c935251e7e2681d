#pragma once
#include "network/congruence.h"
#include "results/network_run.h"

namespace ampletie {

/// What moved since a record was issued, against the marks that did not.
struct JobChange {
  std::string source_id, source_name, record; ///< the record's file and what it calls itself
  double earlier = 0, later = 0;              ///< when the marks were measured, decimal years
  Congruence result;                          ///< marks in its order
  std::vector<Eigen::Vector2d> places;        ///< east, north of each in the job's grid, m
  std::vector<std::string> left_out;          ///< common marks that are held without error at both times
  std::string problem;                        ///< why nothing can be said
};

/// The adjusted network against every issue record among the sources that keeps the covariance of its marks together.
/// Both are brought to the job's frame and epoch; what the datum's marks give to all alike falls out with the common
/// shift.
std::vector<JobChange> job_changes(const JobSnapshot &s, const NetworkRun *run);

/// Covariance of marks together, east, north and up of each, m², with held marks errorless.
Eigen::MatrixXd joint_covariance(const NetworkRun &run, const std::vector<std::string> &marks);

} // namespace ampletie
