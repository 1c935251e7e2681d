#pragma once
#include "formats/gnss_data.h"
#include "sky/random.h"

namespace ampletie::sky {

constexpr double omega_e = 7.2921151467e-5; ///< rotation of the Earth, rad/s

/// True motion of the simulated constellation: numerically integrated in an inertial frame (point mass, J2–J4, Sun,
/// Moon, radiation pressure; fourth-order Runge–Kutta, 30 s), seen from the rotating Earth.
class Orbits {
public:
  Orbits(GpsTime from, GpsTime to, std::uint64_t seed, const std::string &systems = "GE");
  const std::vector<SatId> &satellites() const { return sats_; }
  /// Earth-fixed position and velocity relative to the rotating Earth at an instant inside the span.
  struct State {
    Vec3 position, velocity;
  };
  State earth_fixed(std::size_t sat, GpsTime t) const;
  /// Geocentric Sun and Moon, m, earth-fixed.
  Vec3 sun(GpsTime t) const;
  Vec3 moon(GpsTime t) const;
  /// Attraction of Sun and Moon on a satellite, earth-fixed axes, m/s².
  Vec3 lunisolar(std::size_t sat, GpsTime t) const;

private:
  double angle(GpsTime t) const;
  GpsTime start_;
  std::vector<SatId> sats_;
  std::vector<std::vector<std::array<Vec3, 2>>> states_; // per satellite, every 30 s, inertial
};

/// Satellite clocks: drift plus a random walk (white frequency noise) that goes on between its values too, some clocks
/// restless, most calm; seconds, without the eccentricity term.
class Clocks {
public:
  Clocks(std::size_t n, GpsTime from, GpsTime to, std::uint64_t seed);
  double offset(std::size_t sat, GpsTime t) const;

private:
  double between(std::size_t sat, std::size_t k, double u) const;
  GpsTime start_;
  std::uint64_t seed_;
  std::vector<std::vector<double>> values_; // every 30 s
  std::vector<double> restless_;            // s per square root of a second
};

/// Broadcast elements fitted by least squares to the true orbit plus an error of `orbit_sd` metres.
Ephemeris fit_broadcast(const Orbits &orbits, const Clocks &clocks, std::size_t sat, GpsTime toe, double orbit_sd,
                        std::uint64_t seed);

/// Channel of a simulated GLONASS satellite: antipodal ones share it.
int glonass_channel(SatId sat);
/// State vector as GLONASS broadcasts it, with an error of `orbit_sd` metres.
GlonassState glonass_broadcast(const Orbits &orbits, const Clocks &clocks, std::size_t sat, GpsTime t, double orbit_sd,
                               std::uint64_t seed);

} // namespace ampletie::sky
