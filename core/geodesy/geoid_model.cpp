#include "geodesy/geoid_model.h"
#include "base/angle.h"
#include "base/error.h"
#include "geodesy/proj_objects.h"
#include "geodesy/register.h"
#include <cmath>

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

double GeoidModel::undulation(const Geodetic &g) const {
  const Vec3 out = operation_.forward({degrees(g.lon), degrees(g.lat), 0}, HUGE_VAL);
  return -out.z();
}

} // namespace ampletie
