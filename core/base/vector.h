#pragma once
#include <Eigen/Core>

namespace ampletie {

using Vec3 = Eigen::Vector3d;
using Mat3 = Eigen::Matrix3d;

/// Speed of light, m/s (exact, BIPM).
constexpr double speed_of_light = 299792458.0;

} // namespace ampletie
