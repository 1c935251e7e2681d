#pragma once
#include "results/network_run.h"

namespace ampletie {

/// From one adjusted mark to another.
struct Between {
  std::string from, to;
  double slope_m = 0;     ///< straight through space, marker to marker
  double ellipsoid_m = 0; ///< along the ellipsoid; of marks up to some 50 km apart to a millimetre
  double ground_m = 0;    ///< level at the mean of both heights
  double azimuth_rad = 0; ///< geodetic, at `from`
  double zenith_rad = 0;  ///< at `from`, from the ellipsoid's normal
  double east_m = 0, north_m = 0, grid_m = 0, bearing_rad = 0; ///< in the grid
  double up_m = 0;                                             ///< difference of ellipsoidal heights
  std::optional<double> height_m, height_sd_m;                 ///< of physical heights
  Mat3 cov_enu = Mat3::Zero(); ///< of the difference, on the axes at `from`, m²; held marks errorless
  double slope_sd_m = 0;
};

/// What the place of a mark shares with others. Beside its own unknowns that is the geoid's surface under a physical
/// height that holds it; of what is held without error nothing.
class SharedPlace {
public:
  SharedPlace(const NetworkRun &run, const std::string &mark);
  /// Its columns of the inverse of the normal equations: what every unknown shares with its east, north and up.
  Eigen::MatrixXd columns(const AdjustmentResult &a) const;
  /// Covariance of its east, north and up with those of the mark that the columns are of, m², each on its own axes.
  Mat3 with(const Eigen::MatrixXd &columns) const;

private:
  struct Part {
    int unknown, axis;
    double weight;
  };
  std::vector<Part> parts_;
};

/// Covariance of `to` less `from`, m², on the axes at `from`; `columns` those of `from`.
Mat3 difference_covariance(const AdjustedMark &from, const AdjustedMark &to, const SharedPlace &place_of_to,
                           const Eigen::MatrixXd &columns);

/// Standard deviation of the difference of two physical heights, m: what the geoid is unsure of is in it only where
/// vectors lead to them. Nothing where the network has no geoid between: it knows ellipsoidal heights alone then.
std::optional<double> height_difference_sd(const NetworkRun &run, const std::string &from, const std::string &to);

/// Throws `InputError` where the network has no place of one of them, or they are the same.
Between between(const NetworkRun &run, const std::string &from, const std::string &to);

/// What lies between the ends of two drives that shall meet: along the axis, across it (to the right) and up, `to` less
/// `from`. The covariance says how far they will miss each other, whatever they are planned to do.
struct Breakthrough {
  std::string from, to;
  double azimuth_rad = 0, bearing_rad = 0; ///< of the axis at `from`: geodetic, in the grid
  Vec3 gap_m = Vec3::Zero();
  Mat3 cov = Mat3::Zero();           ///< m²
  std::optional<double> height_sd_m; ///< of the difference of their physical heights
  int scale_degrees = 0;             ///< redundancy of the factor that everything was scaled with; 0: a priori
};
/// `azimuth`: of the axis at `from`, geodetic, radians. Throws as `between`, but ends may lie on one another.
Breakthrough breakthrough(const NetworkRun &run, const std::string &from, const std::string &to, double azimuth);
/// The axis at `at` of a drive that came from `behind`, and that of a bearing in the grid: geodetic azimuths, radians.
double axis_from(const NetworkRun &run, const std::string &behind, const std::string &at);
double axis_of_bearing(const NetworkRun &run, const std::string &at, double bearing);

} // namespace ampletie
