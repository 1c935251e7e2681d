#pragma once
#include "formats/rinex_clock.h"
#include "geodesy/frame.h"
#include <optional>

namespace ampletie {

inline constexpr double omega_earth = 7.2921151467e-5; ///< rad/s (IS-GPS-200)
inline constexpr double gm_earth = 3.986004418e14;     ///< m³/s² (IERS Conventions 2010, table 1.1)

/// A satellite at the instant of transmission: Earth-fixed of that instant, clock offset with the eccentricity term.
struct SatelliteState {
  Vec3 position = Vec3::Zero(), velocity = Vec3::Zero(); ///< m, m/s (relative to the rotating Earth)
  double clock = 0;                                      ///< s
};

/// IS-GPS-200 (table 20-IV), Galileo OS SIS ICD, IS-QZSS-PNT and BDS-SIS-ICD B1I (with its turned frame for the
/// geostationary satellites): position, velocity and clock from broadcast elements. The clock refers to the code or
/// code pair of the message: L1/L2 for GPS and QZSS, E1/E5a for F/NAV, E1/E5b for I/NAV, B3 for BeiDou.
SatelliteState evaluate(const Ephemeris &e, GpsTime transmission);

/// GLONASS ICD (CDMA general description 2016, annex J): integration of the broadcast state vector in the rotating
/// frame with the second zonal harmonic, Runge–Kutta of fourth order in steps of at most 60 s.
SatelliteState evaluate(const GlonassState &s, GpsTime transmission);

/// Where the satellites are, from one source of orbits with its frame. Immutable; safe to share between threads.
class Orbits {
public:
  virtual ~Orbits() = default;
  /// Nothing when there is no healthy orbit for that instant. `epoch` is the nominal epoch of the observation: both
  /// ends of a vector thereby use the same issue of a message.
  virtual std::optional<SatelliteState> at(SatId sat, GpsTime transmission, GpsTime epoch) const = 0;
  virtual Frame frame(GpsTime t) const = 0;
  virtual std::string name() const = 0; ///< "broadcast" or "precise"
  /// Standard deviation of a satellite position, m, for the part of the error that grows with length.
  virtual double position_sd() const = 0;
  virtual double code_delay(SatId, char, GpsTime) const { return 0; }
  /// Which message of a satellite is used at an epoch; 0 where orbits are no messages.
  virtual long issue(SatId, GpsTime) const { return 0; }
  /// Channel of a GLONASS satellite where the orbits tell it; −99 otherwise.
  virtual int glonass_channel(SatId) const { return -99; }
};

class BroadcastOrbits : public Orbits {
public:
  explicit BroadcastOrbits(NavigationFile all);
  std::optional<SatelliteState> at(SatId sat, GpsTime transmission, GpsTime epoch) const override;
  Frame frame(GpsTime t) const override { return broadcast_frame(t); }
  std::string name() const override { return "broadcast"; }
  double position_sd() const override { return 1.0; }
  long issue(SatId sat, GpsTime epoch) const override;
  /// What the satellite's code on a band is late against the one its broadcast clock refers to, s (broadcast group
  /// delays); 0 for precise orbits, whose clocks refer to the ionosphere-free pair.
  double code_delay(SatId sat, char band, GpsTime epoch) const override;
  int glonass_channel(SatId sat) const override;
  const Ephemeris *select(SatId sat, GpsTime epoch) const;
  const GlonassState *select_glonass(SatId sat, GpsTime epoch) const;

private:
  std::map<SatId, std::vector<Ephemeris>> by_sat_; // sorted by toe, then issue
  std::map<SatId, std::vector<GlonassState>> glonass_;
};

/// SP3 positions by a Lagrange polynomial over ten epochs; clocks linear between the epochs of a clock file where one
/// covers the satellite, else between those of the positions (15 min or denser), else none. Positions are centres of
/// mass. Of a satellite that several files cover at a time, the first file's positions and clocks count. Throws
/// `InputError` when the file names a frame that is not known.
class PreciseOrbits : public Orbits {
public:
  explicit PreciseOrbits(const std::vector<Sp3File> &files, const std::vector<ClockFile> &clocks = {});
  std::optional<SatelliteState> at(SatId sat, GpsTime transmission, GpsTime epoch) const override;
  Frame frame(GpsTime) const override { return frame_; }
  std::string name() const override { return "precise"; }
  double position_sd() const override { return 0.03; }

private:
  std::map<SatId, std::vector<std::tuple<GpsTime, Vec3, std::optional<double>>>> by_sat_;
  std::map<SatId, std::vector<std::pair<GpsTime, double>>> clocks_;
  Frame frame_;
};

} // namespace ampletie
