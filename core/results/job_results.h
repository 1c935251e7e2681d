#pragma once
#include "results/also_systems.h"
#include "results/belonging.h"
#include "results/changes.h"
#include "results/fits.h"
#include "results/lists.h"
#include "results/network_run.h"
#include "results/setups.h"
#include "results/snapshot.h"

namespace ampletie {

// What few ask for: they include what they need.
struct JobDesign;
struct JobMotions;

/// What is published and where the job is.
struct Belonging {
  std::map<std::string, PublishedMark> published, benchmarks;
  std::map<std::string, PublishedMark> anchors; ///< of the published ones those that vectors are solved from
  std::map<std::string, PublishedMark> checks;  ///< compared, never used: nothing is computed with them
  std::map<std::string, MisplacedMark> misplaced;
  std::optional<Vec3> centre;
  Eigen::Vector2d grid_origin{0, 0};
  GeoidChoice geoid;  ///< in place of the register's grid
  ShiftChoice shifts; ///< to the older datum of the job's grid
};

/// Places and heights that traverses may hang on, by vectors, levels and held marks.
struct TraverseSupport {
  KnownPlaces places;
  LevelHeights levels;
  std::map<std::string, StartBearing> bearings; ///< by set-up
};

// The graph of results, from the sources on. Each is defined in job_results.cpp with what it reads.
const Result<std::vector<ListSource>> &lists_result();
const Result<Contents> &contents_result();
const Result<std::vector<Occupation>> &occupations_result();
const Result<std::vector<Occupation>> &moving_result();
const ResultBase &occupied_marks(); ///< of the occupations where they stand, not what was measured there
const Result<std::map<std::string, PublishedMark>> &listed_result(); ///< published, whether it can be or not
const Result<Belonging> &belonging_result();
const Result<LevelPlaces> &level_places_result();
const Result<LevelReport> &levels_result();
const Result<std::vector<PlannedVector>> &plan_result();
const Result<std::vector<VectorResult>> &vectors_result();
const ResultBase &network_vectors(); ///< of the vectors what a network takes, not whether they are out of date
const Result<LoopReport> &loops_result();
const Result<TraverseSupport> &traverse_support_result();
const Result<JobSetups> &setups_result();
const Result<TraverseReport> &traverses_result();
/// Fingerprint of everything an adjustment would use now.
const Result<std::string> &network_key_result();
/// The last adjustment, if it is still that of the job as it is; null: none.
const Result<std::shared_ptr<const NetworkRun>> &network_result();
/// Why nothing may be adjusted now: solutions that are used were made from something else than the job has; empty: it
/// may.
std::string out_of_date(const JobSnapshot &s);
const Result<std::vector<JobFit>> &fits_result();
const Result<std::vector<AlsoSystem>> &also_result();
const Result<std::vector<JobChange>> &changes_result();
const Result<JobMotions> &motions_result();
const Result<JobDesign> &design_result();

} // namespace ampletie
