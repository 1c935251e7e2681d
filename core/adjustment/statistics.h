#pragma once
#include <Eigen/Core>

namespace ampletie {

/// Quantiles of the distributions that accuracy statements and tests use (Boost.Math).
double chi_squared_quantile(double probability, double degrees);
double chi_squared_cdf(double value, double degrees);
double normal_quantile(double probability);
double student_quantile(double probability, double degrees);
double fisher_quantile(double probability, double d1, double d2);

/// What a single test lets a difference be, in its standard deviations: α = 0.001, two-sided (Baarda 1968); and the
/// length of a difference in plan, √χ²(0.999, 2).
inline constexpr double single_test_limit = 3.2905267314918945, plan_test_limit = 3.7169221888498383;

/// Non-centrality λ₀ at which a χ² test with `q` degrees, error probability α, finds an error with the given power
/// (Baarda 1968). λ₀(0.001, 0.80, 1) = 17.075.
double noncentrality(double alpha, double power, int q = 1);

/// Factors that stretch a standard deviation, ellipse or ellipsoid to 95 %: 1.960, 2.448, 2.796. `degrees`: of the
/// variance factor, where it was estimated from the residuals themselves: then Student's and Fisher's distributions,
/// √(q F(0.95; q, degrees)) (Koch 1999, section 2.7); 0: it is known.
double factor95(int dimensions, int degrees = 0);

/// Error ellipse of a 2×2 covariance with axes east, north.
struct Ellipse {
  double major = 0, minor = 0; ///< semi-axes, same unit as the square root of the covariance
  double azimuth = 0;          ///< of the major axis, rad clockwise from north, [0, π)
};
Ellipse ellipse(const Eigen::Matrix2d &cov_en);

/// Radius of the circle that holds 95 % of a bivariate normal error with this standard ellipse (the
/// integral, tabulated to 1e-8; the polynomial of Leenhouts 1985 agrees to 0.003). With an estimated variance factor it
/// grows as an ellipse does: exact for a circle, a bound for a long ellipse on the safe side
/// by a quarter of what is added.
double circle95(const Ellipse &standard, int degrees = 0);

} // namespace ampletie
