#pragma once
#include "geodesy/atmosphere.h"
#include "geodesy/ellipsoid.h"
#include "gnss/orbit/orbit.h"

namespace ampletie {

/// A satellite as seen from a point at reception: light time solved, turned with the Earth.
struct Sight {
  Vec3 unit;           ///< point to satellite
  double range, clock; ///< geometric m (with the delay in the Earth's field), satellite clock s
  Vec3 satellite;
};
std::optional<Sight> sight(const Orbits &orbits, SatId sat, const Vec3 &point, GpsTime reception, GpsTime epoch);

struct Look {
  double elevation, azimuth; ///< rad
};
Look look(const Mat3 &axes, const Vec3 &unit);

/// Wind-up of circular polarisation (Wu et al. 1993) with nominal yaw steering, cycles, continued from `last`.
double wind_up(const Sight &s, const Vec3 &sun, const Mat3 &axes, double last);

/// Delay of the standard atmosphere, or of the weather measured, along a sight (Saastamoinen, mapped with Niell's
/// functions).
class StandardDelay {
public:
  StandardDelay(const Geodetic &g, GpsTime t, const std::optional<Meteorology> &weather = {});
  double operator()(double elevation, double &wet_mapping) const;

private:
  double lat_, h_, dry_, wet_, doy_;
};

} // namespace ampletie
