#pragma once

namespace ampletie {

/// Distance to the nearest sea, m, on half-degree cells: good to some 40 km; 0 at sea, infinite beyond 800 km. Latitude
/// and longitude in radians.
double distance_to_sea(double lat, double lon);

namespace detail {
extern const unsigned short coast_runs[];
extern const unsigned coast_run_count;
} // namespace detail

} // namespace ampletie
