#pragma once
#include "network/blocks.h"

namespace ampletie {

/// Where the unknowns of a set-up stand among the parameters; −1: there is none, the value below holds.
struct StationUnknowns {
  int orientation = -1; ///< azimuth of the circle's zero
  int setup = -1;       ///< centring east, north; instrument height
  int refraction = -1;
  int deflection = -1;     ///< ξ: what is added to the grid's
  int deflection_step = 1; ///< from it to η
  int edm = -1;            ///< scale, constant
  int azimuth = -1;        ///< what is missing from every azimuth that the instrument finds by itself
};

/// Directions of one set-up: azimuth in the frame of the plumb line less the orientation; a part for each target.
/// Target centring is in their covariance.
std::unique_ptr<Block> direction_block(const NetworkStation &s, const MarkAxes &station,
                                       const std::map<std::string, MarkAxes> &marks, const StationUnknowns &u);
/// Azimuth of one sight; a geodetic one is free of the plumb line.
std::unique_ptr<Block> azimuth_block(const NetworkStation &s, const NetworkSight &t, const MarkAxes &station,
                                     const MarkAxes &target, const StationUnknowns &u);
/// Zenith angle, slope or horizontal distance and height difference of one sight, what was measured of them; a part for
/// each.
std::unique_ptr<Block> sight_block(const NetworkStation &s, const NetworkSight &t, const MarkAxes &station,
                                   const MarkAxes &target, const StationUnknowns &u);
/// Corrections that are zero with a standard deviation: refraction, an instrument's scale and constant.
std::unique_ptr<Block> prior_block(const std::string &id, const std::string &kind, int first,
                                   const std::vector<std::pair<std::string, double>> &component_sd);

} // namespace ampletie
