#pragma once
#include <Eigen/Core>
#include <vector>

namespace ampletie {

/// What the residuals of a series of positions say of its noise: white, and flicker, whose power falls with the
/// frequency (what remains of satellites, air, water and monuments looks like that: Williams et al. 2004).
struct SeriesNoise {
  double white = 0, flicker = 0; ///< m; m/yr^¼
  bool colour_told = false;      ///< false: too short a series; all is taken for white
};

/// Estimates both by restricted maximum likelihood. `years`: times, ascending; `residuals`, m; `design`: one row a time,
/// what was estimated of the series (its first column the place, its second the velocity). Series of more than 300
/// values are taken as means of some days, which leaves what is slow as it is. Fewer than 40 values tell no colour.
/// Source: Williams 2003, "The effect of coloured noise on the uncertainties of rates estimated from geodetic time
/// series", J. Geodesy 76; flicker's covariance by fractional integration (Hosking 1981) of spectral index −1.
SeriesNoise estimate_noise(const std::vector<double> &years, const Eigen::VectorXd &residuals,
                           const Eigen::MatrixXd &design);

/// Variance of the parameter `k` of a fit by plain least squares under that noise: row k of
/// (AᵀA)⁻¹AᵀC A(AᵀA)⁻¹.
double variance_under(const SeriesNoise &noise, const std::vector<double> &years, const Eigen::MatrixXd &design,
                      Eigen::Index k);

} // namespace ampletie
