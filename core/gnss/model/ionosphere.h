#pragma once
#include "base/vector.h"
#include "formats/ionex.h"

namespace ampletie {

/// What is known beforehand of the ionosphere: slant delays from maps or from the broadcast model. Immutable.
class IonospherePrior {
public:
  virtual ~IonospherePrior() = default;
  /// Slant delay of a code on 1575.42 MHz, m, at a geodetic place (rad); 0 where nothing is known.
  virtual double delay(double lat, double lon, double azimuth, double elevation, GpsTime t) const = 0;
};

/// From IONEX maps: bilinear in a map, linear between two maps that are turned with the Sun (Schaer, Gurtner and
/// Feltens 1998, eq. 3), single-layer mapping at the shell's height; 40.3·10¹⁶ m per TECU·Hz².
class IonexPrior : public IonospherePrior {
public:
  explicit IonexPrior(std::vector<IonexFile> files) : files_(std::move(files)) {}
  double delay(double lat, double lon, double azimuth, double elevation, GpsTime t) const override;
  /// Vertical content, TECU, at a place; NaN outside the maps.
  double vertical(double lat_deg, double lon_deg, GpsTime t) const;

private:
  std::vector<IonexFile> files_;
};

/// Single-frequency model of IS-GPS-200, 20.3.3.5.2.5 (Klobuchar 1987), from eight broadcast coefficients.
class BroadcastIonosphere : public IonospherePrior {
public:
  explicit BroadcastIonosphere(std::vector<double> coefficients) : c_(std::move(coefficients)) {}
  double delay(double lat, double lon, double azimuth, double elevation, GpsTime t) const override;

private:
  std::vector<double> c_; ///< α0–α3, β0–β3
};

} // namespace ampletie
