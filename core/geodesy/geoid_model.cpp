#include "geodesy/geoid_model.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "geodesy/proj_objects.h"
#include "geodesy/register.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
struct StatedAccuracy {
  const char *vertical, *grid;
  double sd, correlation;
  const char *source;
};
// A grid that is not here has no stated accuracy and does not join levels to GNSS.
constexpr StatedAccuracy stated[] = {
    {"EPSG:5773", "egm96_15.gtx", 0.30, 20000,
     "EGM96: 0.5 m global commission error (Lemoine et al. 1998), smaller in surveyed Europe; 0.30 m and 20 km taken "
     "for mountains, common practice"},
};
Operation geoid_operation(const std::string &vertical, const Geodetic &near) {
  OperationPolicy any{.worst_accuracy_m = 1e9, .accept_unknown = true};
  std::string first;
  // The surface belongs to the vertical system; WGS 84 is how the register names the ellipsoidal side of global grids.
  for (auto [ellipsoidal, horizontal] : {std::pair{"EPSG:4937", "EPSG:4258"}, std::pair{"EPSG:4979", "EPSG:4326"}}) {
    try {
      Operation op = Operation::between(ellipsoidal, std::string(horizontal) + "+" + vertical.substr(5), near, any);
      if (!op.info().grids.empty()) return op;
      first = "the register knows no grid for it";
    } catch (const InputError &e) {
      if (first.empty()) first = e.reason();
    }
  }
  throw InputError("no geoid model for " + system_name(vertical) + ": " + first);
}
} // namespace

GeoidModel::GeoidModel(const std::string &vertical, const Geodetic &near)
    : operation_(geoid_operation(vertical, near)), name_(system_name(vertical)) {
  for (const StatedAccuracy &s : stated)
    if (vertical == s.vertical) {
      sd_ = s.sd;
      correlation_ = s.correlation;
      source_ = s.source;
    }
}

GeoidModel::GeoidModel(const std::string &vertical, const GeoidChoice &choice)
    : choice_(choice), name_(system_name(vertical)) {
  if (!choice.problem.empty()) throw InputError(choice.problem);
  std::string ellipsoid = lower(choice.grid->ellipsoid);
  std::erase_if(ellipsoid, [](char c) { return c == ' ' || c == '-' || c == '_'; });
  if (!ellipsoid.empty() && ellipsoid != "grs80" && ellipsoid != "grs1980" && ellipsoid != "wgs84")
    throw InputError(fmt::format("{}: its heights count from the ellipsoid \"{}\", positions here from GRS 80",
                                 choice.file, choice.grid->ellipsoid));
}

void GeoidModel::state(const HeightGrid &accuracy, const std::string &file, const Geodetic &at, double correlation) {
  const double sd = height_in_grid(accuracy, at, GridInterpolation::bilinear);
  if (!(sd > 0 && sd < 10))
    throw InputError(
        fmt::format("{} says {:.3f} m where the job is: that is no standard deviation of a geoid in metres", file, sd));
  sd_ = sd, correlation_ = correlation;
  source_ = fmt::format("by the grid of accuracies {}, in the middle of the job", file);
}

std::string GeoidModel::grid_words() const {
  if (!choice_.grid) return "grid " + operation_->info().grids.front() + ", bilinear";
  const std::string &model = choice_.grid->name;
  return fmt::format("grid {}{}, {}", choice_.file, model.empty() || model == choice_.file ? "" : " (" + model + ")",
                     interpolation_name(choice_.interpolation));
}

double GeoidModel::undulation(const Geodetic &g) const {
  if (choice_.grid) return height_in_grid(*choice_.grid, g, choice_.interpolation);
  const Vec3 out = operation_->forward({degrees(g.lon), degrees(g.lat), 0}, HUGE_VAL);
  return -out.z();
}

} // namespace ampletie
