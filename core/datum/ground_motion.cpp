#include "datum/ground_motion.h"
#include "base/angle.h"
#include "base/error.h"
#include <Eigen/Geometry>

namespace ampletie {
namespace {
struct Plate {
  const char *name;
  double x, y, z; ///< rates of rotation, mas/yr
};
constexpr Plate plates[] = {{"Antarctica", -0.248, -0.324, 0.675},    {"Arabia", 1.154, -0.136, 1.444},
                            {"Australia", 1.510, 1.182, 1.215},       {"Eurasia", -0.085, -0.531, 0.770},
                            {"India", 1.154, -0.005, 1.454},          {"Nazca", -0.333, -1.544, 1.623},
                            {"North America", 0.024, -0.694, -0.063}, {"Nubia", 0.099, -0.614, 0.733},
                            {"Pacific", -0.409, 1.047, -2.169},       {"Somalia", -0.121, -0.794, 0.884},
                            {"South America", -0.270, -0.301, -0.140}};
} // namespace

const std::vector<std::string> &plate_names() {
  static const std::vector<std::string> names = [] {
    std::vector<std::string> out;
    for (const Plate &p : plates) out.emplace_back(p.name);
    return out;
  }();
  return names;
}

std::optional<Vec3> plate_rotation(const std::string &plate) {
  if (plate.empty()) return {};
  for (const Plate &p : plates)
    if (plate == p.name) return Vec3(p.x, p.y, p.z) * (1e-3 * rad_per_arcsec);
  throw InputError("\"" + plate + "\" is no plate whose motion is known");
}

Vec3 plate_velocity(const std::string &plate, const Vec3 &xyz) {
  const auto rotation = plate_rotation(plate);
  if (!rotation) throw InputError("nobody said which plate moves here");
  return rotation->cross(xyz);
}

std::optional<Velocity> ground_velocity(const Frame &frame, const Vec3 &xyz, const GroundMotion &motion) {
  // Inside a plate ground moves against a frame that goes with it by as much as against the plate's own rotation.
  if (!ground_moves(frame)) return Velocity{Vec3::Zero(), motion.sd_m_yr, "the frame goes with the ground"};
  if (motion.plate.empty()) return {};
  return Velocity{plate_velocity(motion.plate, xyz), motion.sd_m_yr, "plate " + motion.plate};
}

} // namespace ampletie
