#include "traverse/edm.h"

namespace ampletie {

double group_refractivity(double wavelength) {
  const double s = 1 / (wavelength * wavelength);
  return 287.6155 + 4.88660 * s + 0.06800 * s * s;
}

double refractivity(double wavelength, const Air &air) {
  const double t = air.temperature_c + 273.15;
  return 273.15 / 1013.25 * group_refractivity(wavelength) * air.pressure_hpa / t - 11.27 * air.vapour_hpa / t;
}

double first_velocity_ppm(const EdmCard &card, const Air &air) {
  return refractivity(card.wavelength_um, card.reference) - refractivity(card.wavelength_um, air);
}

double velocity_ppm_per_hpa(const EdmCard &card, const Air &air) {
  return -273.15 / 1013.25 * group_refractivity(card.wavelength_um) / (air.temperature_c + 273.15);
}

} // namespace ampletie
