#pragma once
#include "geodesy/operation.h"

namespace ampletie {

/// A vertical system with its reference surface as a grid.
class GeoidModel {
public:
  /// `vertical` is the code of the vertical system; throws when its grid is not on this machine.
  GeoidModel(const std::string &vertical, const Geodetic &near);
  /// Height of the surface above the ellipsoid, metres, bilinear in the grid; throws outside it.
  double undulation(const Geodetic &g) const;
  /// Stated absolute standard deviation and correlation length; absent where nobody states one.
  std::optional<double> sd_m() const { return sd_; }
  /// Takes what the surveyor states, m.
  void state(double sd, double correlation) {
    sd_ = sd, correlation_ = correlation;
    source_ = "stated by the surveyor";
  }
  std::optional<double> correlation_m() const { return correlation_; }
  const std::string &source_of_accuracy() const { return source_; }
  const OperationInfo &info() const { return operation_.info(); }
  const std::string &name() const { return name_; }

private:
  Operation operation_;
  std::string name_, source_;
  std::optional<double> sd_, correlation_;
};

} // namespace ampletie
