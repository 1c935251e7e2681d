#pragma once
#include "base/vector.h"
#include "sky/random.h"
#include "sky/scenario.h"
#include <array>

namespace ampletie::sky {

/// Delays of the neutral atmosphere by integrating exponential refractivity along the straight ray through a spherical
/// Earth: no mapping function is shared with the core.
class Troposphere {
public:
  /// One station: its own pressure and vapour departures and a random walk in time.
  Troposphere(double height, const Noise &noise, GpsTime start, double hours, std::uint64_t seed,
              const std::string &station);
  double slant(double elevation, double azimuth, GpsTime t) const;

private:
  /// Ratio of slant to zenith integral of exp(−z/scale) from the station upwards: midpoint rule in the variable
  /// q = 1 − exp(−z/scale), which spreads the points evenly over the delay.
  struct Layer {
    Layer(double station_height, double scale);
    double obliquity(double elevation) const;
    std::array<double, 48> nearer; ///< radius of the station over that of each point
  };
  Layer dry_, wet_, tilted_;
  double gradient_north_ = 0, gradient_east_ = 0;
  double dry_zenith_, wet_zenith_;
  GpsTime start_;
  std::vector<double> walk_; // every 60 s
};

/// Vertical electron content with a gradient and two travelling waves on a thin shell at 350 km.
class Ionosphere {
public:
  /// The mean content is that above a place (degrees).
  Ionosphere(double mean_tecu, double unevenness, double lat, double lon, GpsTime start, std::uint64_t seed);
  /// Group delay in metres on a frequency (Hz) along a ray from a receiver.
  double slant(const Vec3 &receiver, const Vec3 &direction_unit, double elevation, GpsTime t, double hz) const;

private:
  double mean_, lat_, lon_, grad_lat_, grad_lon_;
  GpsTime start_;
  struct Wave {
    double amplitude, k_lat, k_lon, period, phase;
  };
  Wave waves_[2];
};

} // namespace ampletie::sky
