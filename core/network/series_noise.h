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

/// A series of one component of one mark: times, ascending, years; what a fit leaves, m; the fit's functions, one row a
/// time (the first column the place, the second the velocity).
struct NoiseSeries {
  std::vector<double> years;
  Eigen::VectorXd residuals;
  Eigen::MatrixXd design;
};

/// Estimates both for series of one kind (all heights of a network) by restricted maximum likelihood: how much of each
/// is common to them, since single series tell it badly, how large they are is each one's own. Series of more than 300
/// values are taken as means of some days, which leaves what is slow as it is. Where none has 40 values no colour is
/// told. Source: Williams 2003, "The effect of coloured noise on the uncertainties of rates estimated from geodetic
/// time series", J. Geodesy 76; flicker's covariance by fractional integration (Hosking 1981) of spectral index −1.
std::vector<SeriesNoise> estimate_noise(const std::vector<NoiseSeries> &series);

/// Variance of the parameter `k` of a fit by plain least squares under that noise: row k of
/// (AᵀA)⁻¹AᵀC A(AᵀA)⁻¹.
double variance_under(const SeriesNoise &noise, const NoiseSeries &series, Eigen::Index k);

} // namespace ampletie
