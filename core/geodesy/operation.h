#pragma once
#include "geodesy/ellipsoid.h"
#include "geodesy/frame.h"
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace ampletie {

/// What a coordinate operation does, for the screen and the sheet.
struct OperationInfo {
  std::string name, pipeline;
  std::optional<double> accuracy_m; ///< absent: the register states none
  std::vector<std::string> grids;   ///< short names of the grids used
};

/// Which operations may serve control. The limits follow geodesy.md rule 2.
struct OperationPolicy {
  double worst_accuracy_m = 0.02;
  bool accept_unknown = false; ///< only after a decision of the surveyor
};

/// A coordinate operation between two systems of the EPSG register, the only way to PROJ in this program.
/// PROJ would answer wrongly without an error, therefore: no network, no ballpark operations, no missing grids, none of
/// unknown or insufficient accuracy. Each of these throws `InputError` with a sentence. Not shared between threads.
class Operation {
public:
  /// `near` gives the place (radians) whose area of use must contain the operation.
  static Operation between(const std::string &source, const std::string &target, const Geodetic &near,
                           const OperationPolicy &policy = {});
  const OperationInfo &info() const { return info_; }
  /// One point; axis order longitude/easting first, degrees for geographic systems; `epoch` a decimal year.
  Vec3 forward(const Vec3 &in, double epoch) const;
  Vec3 inverse(const Vec3 &in, double epoch) const;

private:
  struct Handle;
  std::shared_ptr<Handle> handle_;
  OperationInfo info_;
};

/// Change of frame for Cartesian points and vectors at an epoch. Identity when the frames are equal.
class FrameChange {
public:
  FrameChange(Frame from, Frame to, const Vec3 &near, const OperationPolicy &policy = {});
  TaggedPoint operator()(const TaggedPoint &p) const;
  /// Linear part at an epoch near a place: rotates vectors and, as R Q Rᵀ, their covariances.
  Mat3 linear_part(double epoch) const { return linear_part(epoch, near_); }
  Mat3 linear_part(double epoch, const Vec3 &near) const;
  const OperationInfo &info() const { return info_; }

private:
  Frame from_, to_;
  Vec3 near_;
  std::optional<Operation> operation_;
  OperationInfo info_;
};

struct GridPoint {
  double east = 0, north = 0;
  double scale = 1;           ///< point scale factor
  double convergence_rad = 0; ///< grid north east of true north is positive
};

/// A plane of a site's own, without relation to any system of the register: "local", or "local:47.1:9.3:450" with the
/// rough latitude and longitude (degrees) and the mean height (m) of the site, on which curvature and normal gravity
/// depend.
bool is_local(std::string_view code);
/// The rough place that such a code states; 45° N, 0° E, 0 m when it states none.
Geodetic local_place(const std::string &code);

/// A projected system of the register, or a local plane. Geodetic coordinates are those of its own datum.
class Projection {
public:
  /// `origin`: of a local plane, the coordinates (east, north) in the middle of the site. There the plane touches the
  /// ground at the site's mean height: a transverse Mercator projection whose scale is one at that height, so that
  /// lengths are those on the ground (within d³/24R², 0.1 mm over 5 km).
  explicit Projection(const std::string &code, const Eigen::Vector2d &origin = {0, 0});
  GridPoint project(const Geodetic &g) const;
  Geodetic unproject(double east, double north, double h) const;
  /// The area that the register gives for the system when a place lies outside it by more than half a degree; else
  /// empty.
  std::string outside(const Geodetic &g) const;
  const std::string &name() const { return name_; }
  const std::string &datum() const { return datum_; } ///< "European Terrestrial Reference System 1989 ensemble"
  const std::string &geographic() const { return geographic_; } ///< code of the geographic base system

private:
  struct Handle;
  std::shared_ptr<Handle> handle_;
  std::string name_, datum_, geographic_;
};

/// A vertical system with its reference surface as a grid.
class GeoidModel {
public:
  /// `vertical` is the code of the vertical system; throws when its grid is not on this machine.
  GeoidModel(const std::string &vertical, const Geodetic &near);
  /// Height of the surface above the ellipsoid, metres, bilinear in the grid; throws outside it.
  double undulation(const Geodetic &g) const;
  /// Stated absolute standard deviation and correlation length; absent where nobody states one.
  std::optional<double> sd_m() const { return sd_; }
  std::optional<double> correlation_m() const { return correlation_; }
  const std::string &source_of_accuracy() const { return source_; }
  const OperationInfo &info() const { return operation_.info(); }
  const std::string &name() const { return name_; }

private:
  Operation operation_;
  std::string name_, source_;
  std::optional<double> sd_, correlation_;
};

/// Name of a system in the register; throws when there is no such code.
std::string system_name(const std::string &code);
/// The same of a vertical system; throws when the code is that of anything else.
std::string vertical_name(const std::string &code);
/// PROJ and its register, for fingerprints: "PROJ 9.1.1, EPSG v10.074".
std::string register_version();

} // namespace ampletie
