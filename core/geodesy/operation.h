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

} // namespace ampletie
