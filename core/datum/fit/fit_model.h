#pragma once
#include "base/vector.h"
#include <memory>
#include <string>
#include <vector>

namespace ampletie {

/// A transformation of points in three dimensions with parameters to be found: y = f(θ, x). Points are metres; which
/// axes they are on the model says. `p` are parameters as the model keeps them, in the order of `names`.
class FitModel {
public:
  virtual ~FitModel() = default;
  /// "a", "shift east" …: as the model keeps them.
  virtual std::vector<std::string> names() const = 0;
  int count() const { return static_cast<int>(names().size()); }
  /// How many of the parameters concern plan and height; the others both.
  virtual bool has_plan() const = 0;
  virtual bool has_height() const = 0;
  virtual Vec3 apply(const Eigen::VectorXd &p, const Vec3 &x) const = 0;
  virtual Eigen::Matrix<double, 3, Eigen::Dynamic> by_parameters(const Eigen::VectorXd &p, const Vec3 &x) const = 0;
  virtual Mat3 by_point(const Eigen::VectorXd &p, const Vec3 &x) const = 0;
  /// A first guess from pairs, without weights. Pairs that do not determine it give one that is finite all the same.
  virtual Eigen::VectorXd start(const std::vector<Vec3> &from, const std::vector<Vec3> &to,
                                const std::vector<bool> &plan, const std::vector<bool> &height) const = 0;
};

/// Of a site in a grid: east, north, height.
/// Those in space lead plan and height together: by three shifts, with a scale, with three turns, with both, with three
/// scales.
enum class PlanFit {
  none,
  shift,
  rigid,
  similarity,
  affine,
  scaled,
  space_shift,
  space_scaled,
  space_rigid,
  space_similarity,
  space_scales
};
enum class HeightFit { none, shift, plane, curved, with_plan };
/// "none", "shift", "rigid", "similarity", "affine", "scaled", "shift in space", "scaled in space", "rigid in space",
/// "similarity in space", "three scales in space"
const std::vector<std::string> &plan_fits();
const std::vector<std::string> &height_fits(); ///< "none", "shift", "plane", "curved", "with the plan"
inline bool in_space(PlanFit p) { return p >= PlanFit::space_shift; }
bool in_space(const std::string &plan_fit);

struct SiteModel {
  PlanFit plan = PlanFit::similarity;
  HeightFit height = HeightFit::shift;
  double scale = 1;         ///< where it is no parameter (shift, rigid)
  double rotation = 0;      ///< radians, where it is no parameter (shift, scaled); as that of a rigid plan counts
  Vec3 from = Vec3::Zero(); ///< near the middle of the points: parameters are those of what is left (conditioning)
  Vec3 to = Vec3::Zero();
};
/// Plan: to + shift + M (x − from), with M = [a b; −b a] of a similarity; rigid and shift have a fixed scale, shift and
/// scaled a fixed rotation. Height: x + shift + tilts and second-degree terms in (x − from), so that local heights
/// follow a plane or a curved surface. In space as `space_model` on the axes of the site, heights as they are.
std::unique_ptr<FitModel> site_model(const SiteModel &m);

/// In space: to + shift + S R (x − from) with R = Rx(ω) Ry(φ) Rz(κ) of position vectors and scales of
/// one or of three axes. Any parameter may be free or stay as it is.
struct SpaceModel {
  bool shift[3] = {true, true, true};
  bool rotation[3] = {true, true, true};
  enum class Scale { fixed, one, three } scale = Scale::one;
  Vec3 from = Vec3::Zero(), to = Vec3::Zero();
  const char *axes[3] = {"X", "Y", "Z"}; ///< in the names of parameters
};
std::unique_ptr<FitModel> space_model(const SpaceModel &m);

} // namespace ampletie
