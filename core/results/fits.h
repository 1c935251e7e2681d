#pragma once
#include "datum/fit/fit_causes.h"
#include "results/network_run.h"

namespace ampletie {

/// A mark in the system that a fit leads to.
struct FittedMark {
  std::string name;
  Vec3 to = Vec3::Zero();  ///< east, north, height, m
  Mat3 cov = Mat3::Zero(); ///< the transformation's uncertainty in it, m²
  bool has_height = false;
  double outside_m = 0; ///< beyond the marks that determine the plan
  bool control = false; ///< held: nothing new is issued of it
};

/// A mark of the list that makes no pair, and the job's mark that the fit finds at its place.
struct UnpairedMark {
  std::string name;
  long line = 0;
  std::optional<std::string> nearest;
  double distance_m = 0;
};

/// A frame fit as the job has it: pairs of adjusted marks and a list, and where it leads all marks.
struct JobFit {
  std::string name, source_id, source_name;
  SiteModel model;
  std::string plan, height; ///< names of the models
  std::string problem;      ///< why it cannot be computed; then only what is above counts
  bool by_position = false; ///< no name agrees: pairs are those that lie alike
  std::string given;        ///< how, where no pairs determine it: from a file, by a mark and a bearing; empty: by pairs
  bool physical = false;    ///< heights of the job are physical ones, else ellipsoidal
  FitInput input;
  FitResult result;
  std::vector<FitCause> causes;
  struct Line {
    std::string in_list;
    long line = 0;
    bool stated_sd = false; ///< by the list; else the fit's default
  };
  std::vector<Line> lines;                             ///< of each pair
  std::vector<std::pair<std::string, Vec3>> list_rows; ///< all of the list; NaN where it has no plan
  std::vector<UnpairedMark> unpaired;
  std::vector<FittedMark> marks;
  double reach_m = 0; ///< of the marks that determine the plan, from their middle
  std::optional<double> scale, scale_sd, rotation_rad, rotation_sd; ///< of plans that have one
  double ground_over_grid = 1; ///< in the middle of the pairs: the scale that leads from the grid to the ground
};

/// What is taken for the deviation of a list's coordinates where nobody states one, m.
constexpr double default_fit_sd = 0.01;

/// All fits that decisions ask for, with the network as it is adjusted now.
std::vector<JobFit> job_fits(const JobSnapshot &s, const NetworkRun *run);

} // namespace ampletie
