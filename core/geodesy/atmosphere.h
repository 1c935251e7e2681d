#pragma once

namespace ampletie {

/// Pressure (hPa), temperature (K) and water vapour pressure (hPa) at a height.
struct Meteorology {
  double pressure = 1013.25, temperature = 288.15, vapour = 8.5;
};

/// Vapour pressure in hPa at a temperature (K) and relative humidity (0…1), Magnus formula in the form of WMO No. 8.
double vapour_pressure(double temperature, double relative_humidity);

/// Standard atmosphere (ISO 2533 / US Standard Atmosphere 1976, troposphere) with the relative humidity given.
/// `height` is geometric metres above sea level, −500…11000.
Meteorology standard_atmosphere(double height, double relative_humidity = 0.5);

/// Zenith hydrostatic delay in metres: Saastamoinen (1972) in the form of Davis et al. (1985),
/// 0.0022768 p / (1 − 0.00266 cos 2φ − 0.00000028 h). Better than 1 mm when the pressure is right.
double zenith_hydrostatic_delay(double pressure_hpa, double lat, double height);
/// Zenith wet delay in metres, 0.002277 (1255/T + 0.05) e (Saastamoinen 1972). A rough prior: a few centimetres.
double zenith_wet_delay(const Meteorology &met);

struct Mapping {
  double hydrostatic = 1, wet = 1;
};
/// Niell (1996) mapping functions with the height correction of the hydrostatic part.
/// `elevation` in radians above 3°, `day_of_year` 1…366 may be fractional.
Mapping niell_mapping(double elevation, double lat, double height, double day_of_year);

} // namespace ampletie
