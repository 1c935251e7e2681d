#pragma once

namespace ampletie {

/// Group refractivity Ng = (n − 1)·10⁶ of standard air (0 °C, 1013.25 hPa, dry, 0.0375 % CO₂) for a carrier in
/// micrometres: 287.6155 + 4.88660/λ² + 0.06800/λ⁴ (IAG 1999, resolution 3; Rüeger). 0.4 to 1.6 µm.
double group_refractivity(double wavelength_um);

/// Air on the way of a distance.
struct Air {
  double pressure_hpa = 1013.25, temperature_c = 15, vapour_hpa = 0;
};
/// Refractivity in ambient air, ppm: 273.15/1013.25 Ng p/T − 11.27 e/T (the same resolution, closed form, about 1 ppm).
double refractivity(double wavelength_um, const Air &air);

/// What an instrument does to its distances by itself.
struct EdmCard {
  double wavelength_um = 0.85;
  Air reference{1013.25, 12, 0}; ///< the air for which it shows true distances
  double scale_ppm = 0, constant_m = 0;
};
/// First velocity correction, ppm: reference less ambient refractivity.
double first_velocity_ppm(const EdmCard &card, const Air &air);
/// The same, when the pressure is wrong by so much, ppm: for the question what a wrong entry would do.
double velocity_ppm_per_hpa(const EdmCard &card, const Air &air);

} // namespace ampletie
