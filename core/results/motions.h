#pragma once
#include "network/motion.h"
#include "results/network_run.h"

namespace ampletie {

/// How marks move, from the adjusted network and every issue record among the sources, each at the time that it was
/// measured.
struct JobMotions {
  struct Time {
    std::string name; ///< of the record; the network itself is "this job"
    double year = 0;
  };
  std::vector<Time> times;           ///< that were used, in the order of time
  std::vector<std::string> left_out; ///< records and marks that took no part, with the reason
  Motions standing;                  ///< against the marks that stand
  Motions frame;                     ///< in the job's frame
  std::string problem;               ///< why nothing can be said
};

/// Records are brought to the job's frame at the time they were measured, so that what a velocity had moved is moved
/// back. Marks that all times hold without error are said to stand, and found to move where all others agree that they
/// do; those that only some hold take no part.
JobMotions job_motions(const JobSnapshot &s, const NetworkRun *run);

} // namespace ampletie
