#include "base/angle.h"
#include "job/state.h"

namespace ampletie {

const std::vector<CardEntry> &station_card() {
  static const std::vector<CardEntry> all{
      {"direction", "Directions", "″", "of a direction from both faces in one set", 0.1, 60},
      {"zenith", "Zenith angles", "″", "of a zenith angle from both faces", 0.1, 60},
      {"distance", "Distances", "mm", "constant part of a distance's standard deviation", 0.1, 50},
      {"distance-ppm", "Distances, per length", "ppm", "the part that grows with length", 0, 50},
      {"wavelength", "Wavelength", "µm", "of the carrier", 0.4, 1.6},
      {"reference-pressure", "Reference pressure", "hPa", "for which distances are shown without correction", 500,
       1100},
      {"reference-temperature", "Reference temperature", "°C", "likewise", -40, 50},
      {"scale", "Scale", "ppm", "what a distance must be corrected by, from a certificate", -100, 100},
      {"constant", "Constant", "mm", "the same of the instrument's constant", -500, 500},
      {"azimuth", "Azimuths", "″",
       "of one azimuth that the instrument finds by itself (a gyro), where the book says none", 0.1, 3600},
      {"azimuth-constant", "Constant of azimuths", "″", "added to every azimuth: true less read on a known line",
       -648000, 648000},
      {"azimuth-constant-sd", "Its deviation", "″",
       "makes the constant an unknown that all azimuths of the instrument share; 0: taken for errorless", 0, 648000},
  };
  return all;
}

InstrumentStandard instrument_standard(const JobState &s, const std::string &instrument) {
  InstrumentStandard out = s.settings.traverse.standard;
  const auto card = s.instruments.find(instrument);
  if (card == s.instruments.end()) return out;
  const auto put = [&](const char *name, double &value, double unit) {
    if (const auto it = card->second.station.find(name); it != card->second.station.end())
      value = it->second.value * unit;
  };
  put("direction", out.direction, rad_per_arcsec);
  put("zenith", out.zenith, rad_per_arcsec);
  put("distance", out.distance, 1e-3);
  put("distance-ppm", out.distance_ppm, 1e-6);
  put("wavelength", out.edm.wavelength_um, 1);
  put("reference-pressure", out.edm.reference.pressure_hpa, 1);
  put("reference-temperature", out.edm.reference.temperature_c, 1);
  put("scale", out.edm.scale_ppm, 1);
  put("constant", out.edm.constant_m, 1e-3);
  put("azimuth", out.gyro.sd, rad_per_arcsec);
  put("azimuth-constant", out.gyro.constant, rad_per_arcsec);
  put("azimuth-constant-sd", out.gyro.constant_sd, rad_per_arcsec);
  return out;
}

} // namespace ampletie
