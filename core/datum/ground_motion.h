#pragma once
#include "geodesy/frame.h"
#include <optional>
#include <string>
#include <vector>

namespace ampletie {

/// Names of the plates whose rotation is known, as the setting has them: "Eurasia", "North America" …
const std::vector<std::string> &plate_names();
/// Velocity of a plate at a place, m/yr, in ITRF2014: rotation poles of Altamimi et al. (2017), doi:10.1093/gji/ggx136,
/// as PROJ ships them; good to 0.3 mm/yr inside rigid plates. Between realisations of the ITRF it differs by less than
/// 0.3 mm/yr and is taken for all of them. Throws `InputError` for names of none.
Vec3 plate_velocity(const std::string &plate, const Vec3 &xyz);

/// The same as a rotation about the axes of the ITRF, rad/yr; nothing for an empty name.
std::optional<Vec3> plate_rotation(const std::string &plate);

/// How ground moves in a frame.
struct GroundMotion {
  std::string plate;      ///< empty: nobody said
  double sd_m_yr = 0.001; ///< of a velocity that is not published; 1 mm/yr inside stable plates (common practice)
};

/// A velocity in a frame and how well it is known.
struct Velocity {
  Vec3 m_yr = Vec3::Zero();
  double sd_m_yr = 0; ///< of each axis
  std::string how;    ///< "published", "plate Eurasia", "the frame moves with the ground"
};

/// Of ground without a published velocity: that of its plate in a frame in which ground moves, none in one that goes
/// with it. Nothing where it is not known.
std::optional<Velocity> ground_velocity(const Frame &frame, const Vec3 &xyz, const GroundMotion &motion);

} // namespace ampletie
