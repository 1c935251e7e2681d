#pragma once

namespace ampletie {

/// Gravity of the GRS 80 level ellipsoid, m/s² (Somigliana's closed formula with Moritz's (2000) derived constants;
/// 1e-10 m/s²).
double normal_gravity(double lat);
/// At a height above the ellipsoid, m: second-order expansion (Moritz 2000; 1e-7 m/s² up to 5 km).
double normal_gravity(double lat, double height);
/// Mean along the normal from the ellipsoid up to a height.
double mean_normal_gravity(double lat, double height);

} // namespace ampletie
