#pragma once
#include "geodesy/height_grid.h"
#include "geodesy/operation.h"

namespace ampletie {

/// A grid of heights that the surveyor chose in place of the register's.
struct GeoidChoice {
  std::shared_ptr<const HeightGrid> grid; ///< null: the register's
  std::string source, file;               ///< id and name of the source that it stands in
  GridInterpolation interpolation = GridInterpolation::bilinear;
  std::string problem; ///< why what was chosen cannot be used
  /// Standard deviations of the surface as a grid of their own, m; null: none was chosen.
  std::shared_ptr<const HeightGrid> accuracy;
  std::string accuracy_source, accuracy_file; ///< id and name of its source
};

/// A vertical system with its reference surface as a grid.
class GeoidModel {
public:
  /// `vertical` is the code of the vertical system; throws when its grid is not on this machine.
  GeoidModel(const std::string &vertical, const Geodetic &near);
  /// Through a grid of the surveyor's, which need not contain `near`. Throws when what was chosen cannot be used, or
  /// states another ellipsoid than GRS 80 or WGS 84.
  GeoidModel(const std::string &vertical, const GeoidChoice &choice);
  /// Height of the surface above the ellipsoid, metres; throws outside the grid. The register's are bilinear.
  double undulation(const Geodetic &g) const;
  /// Stated absolute standard deviation and correlation length; absent where nobody states one.
  std::optional<double> sd_m() const { return sd_; }
  /// Takes what the surveyor states, m.
  void state(double sd, double correlation) {
    sd_ = sd, correlation_ = correlation;
    source_ = "stated by the surveyor";
  }
  /// What a grid of accuracies says at a place of the job, with a correlation length that is stated beside it, m.
  /// Throws where it ends or holds no deviation there.
  void state(const HeightGrid &accuracy, const std::string &file, const Geodetic &at, double correlation);
  std::optional<double> correlation_m() const { return correlation_; }
  const std::string &source_of_accuracy() const { return source_; }
  /// "grid egm96_15.gtx, bilinear"
  std::string grid_words() const;
  /// What the surveyor chose; its grid is null where that of the register is used.
  const GeoidChoice &choice() const { return choice_; }
  const std::string &name() const { return name_; }

private:
  std::optional<Operation> operation_;
  GeoidChoice choice_;
  std::string name_, source_;
  std::optional<double> sd_, correlation_;
};

} // namespace ampletie
