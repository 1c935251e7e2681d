#pragma once
#include "datum/fit/fit_model.h"
#include "geodesy/projection.h"
#include <optional>

namespace ampletie {

/// A site's fit as coefficients of the whole coordinates: E' = E0 + ee E + en N, N' = N0 + ne E + nn N,
/// H' = hh H + H0 + he E + hn N + hee E² + hen EN + hnn N². In space E' and N' have eh H and nh H too.
struct FitCoefficients {
  double e0 = 0, ee = 1, en = 0, n0 = 0, ne = 0, nn = 1, h0 = 0, he = 0, hn = 0, hee = 0, hen = 0, hnn = 0;
  double eh = 0, nh = 0, hh = 1;
};
FitCoefficients coefficients(const SiteModel &m, const Eigen::VectorXd &parameters);

/// "+proj=pipeline +step +proj=affine …" from east, north, height of the job's grid to the system, m; nothing for
/// curved heights, which no step of PROJ has.
std::optional<std::string> fit_as_proj(const SiteModel &m, const Eigen::VectorXd &parameters);

/// What a coordinate operation says beside its parameters.
struct WktContext {
  std::string name;       ///< of the system that it leads to
  std::string source;     ///< WKT of the job's grid; empty: a local plane
  const Projection &grid; ///< the same: its axes and unit are those of the parameters
  double accuracy_m = 0;  ///< standard deviation of the plan in the middle of the marks
};
/// The plan as an ISO 19162 (WKT 2) coordinate operation, EPSG method 9624, from the grid's own figures (its order of
/// axes, its unit) to metres east and north, heights in words; empty where the plan stays as it is, or depends on
/// heights.
std::string fit_as_wkt(const SiteModel &m, const Eigen::VectorXd &parameters, const WktContext &about);

} // namespace ampletie
