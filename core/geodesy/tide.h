#pragma once
#include "base/vector.h"
#include "time/gps_time.h"

namespace ampletie {

/// Geocentric Sun and Moon in the earth-fixed frame, metres.
struct SunMoon {
  Vec3 sun, moon;
};

/// From ERFA's series (EPV00 for the Sun, MOON98 for the Moon) and the IAU 2006/2000A rotation, with UT1 = UTC and no
/// polar motion: 2e-4 of the distance, which keeps a solid tide to 0.1 mm and wind-up to 1e-4 cycles.
SunMoon sun_and_moon(GpsTime t);

/// Displacement of a point by the solid Earth tide, metres, conventional tide-free frame: IERS Conventions (2010),
/// section 7.1.1, steps 1 and 2 (in-phase and out-of-phase degree 2, degree 3, latitude-dependent and
/// frequency-dependent parts). The permanent part is included, as in ITRF practice. Accuracy about 1 mm (model).
Vec3 solid_tide(const Vec3 &station, GpsTime t, const SunMoon &bodies);

} // namespace ampletie
