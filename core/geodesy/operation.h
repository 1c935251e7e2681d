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
  /// How the plate turns on which the place lies, rad/yr about the axes of the ITRF: ways to frames that stand for one
  /// epoch (SIRGAS 2000) lead along it. Nothing: nobody said which plate that is, and they are refused.
  std::optional<Vec3> plate_rotation{};
};

/// A coordinate operation between two systems of the EPSG register, the only way to PROJ in this program.
/// PROJ would answer wrongly without an error, therefore: no network, no ballpark operations, no missing grids, none of
/// unknown or insufficient accuracy. Each of these throws `InputError` with a sentence. Not shared between threads.
class Operation {
public:
  /// `near` gives the place (radians) whose area of use must contain the operation.
  static Operation between(const std::string &source, const std::string &target, const Geodetic &near,
                           const OperationPolicy &policy = {});
  /// Of steps that were put together elsewhere, as text of PROJ; `backwards` goes them from their end.
  static Operation of(OperationInfo info, bool backwards);
  const OperationInfo &info() const { return info_; }
  /// One point; axis order longitude/easting first, degrees for geographic systems; `epoch` a decimal year.
  Vec3 forward(const Vec3 &in, double epoch) const;
  Vec3 inverse(const Vec3 &in, double epoch) const;

private:
  struct Handle;
  std::shared_ptr<Handle> handle_;
  bool backwards_ = false;
  OperationInfo info_;
};

/// Change of frame for Cartesian points and vectors at an epoch. Identity when the frames are equal. Where the register
/// has a way at one epoch alone (`time_specific.h`) the plate's motion leads to it.
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
