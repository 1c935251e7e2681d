#pragma once
#include "datum/datum.h"
#include "geodesy/system_search.h"

namespace ampletie {

/// What a system would mean for a job.
struct SystemOffer {
  bool usable = false;
  std::string why_not;                          ///< in words
  std::string axes;                             ///< of grids
  std::string frame;                            ///< that its datum stands for, or those that it may stand for
  std::optional<double> way_m;                  ///< stated accuracy of the way from the newest orbits' frame
  std::optional<double> scale, convergence_rad; ///< of a grid, at the place
};

/// Tries a grid or a vertical system at a place. A grid of a family of frames is usable once a realisation is said: the
/// offer names them. A vertical system needs its grid on this machine, or one of the job's own.
SystemOffer offer_system(const FoundSystem &system, const Geodetic &at);

} // namespace ampletie
