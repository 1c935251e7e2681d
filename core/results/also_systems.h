#pragma once
#include "results/network_run.h"

namespace ampletie {

/// A mark in a system that the job is issued in beside its own.
struct AlsoMark {
  std::string name;
  double lat_deg = 0, lon_deg = 0;  ///< in that system's datum
  double east = 0, north = 0;       ///< m
  Eigen::Vector2d figures{0, 0};    ///< as the system writes them, in the order of its axes and in its unit
  double sd_east = 0, sd_north = 0; ///< network accuracy with what the way leaves uncertain, m
};

struct AlsoSystem {
  std::string name, crs, crs_name, axes, through; ///< through: the file of the grid of shifts
  std::array<std::string, 2> figure_names;        ///< "Easting (E) US survey foot"
  std::string way;                                ///< how it is led there, as a sentence
  std::optional<double> way_accuracy_m;           ///< that is stated of it; nothing where none is
  std::string problem;                            ///< why it cannot be; then no marks
  std::vector<AlsoMark> marks;
};

/// Adjusted marks in every further system that decisions name: in another grid of the same datum, in another frame that
/// satellites know, or in an older datum through a grid of shifts (the way back through NTv2).
std::vector<AlsoSystem> also_systems(const JobSnapshot &s, const NetworkRun *run);

} // namespace ampletie
