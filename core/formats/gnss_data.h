#pragma once
#include "base/vector.h"
#include "time/gps_time.h"
#include <compare>
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

/// A satellite as RINEX names it: system letter and number, "G07".
struct SatId {
  char system = ' ';
  std::uint8_t number = 0;
  auto operator<=>(const SatId &) const = default;
  std::string name() const;
};
std::optional<SatId> parse_sat(std::string_view text);

/// Carrier frequency in Hz of a system's RINEX band digit ('1', '2', '5' …), RINEX 3.05 table 4 onwards; GLONASS bands
/// 1 and 2 depend on the satellite's channel (−7 … +6). 0 when the pair is not known.
double carrier_hz(char system, char band, int glonass_channel = 0);

/// One value of an observation record. `lli` bit 0: loss of lock, bit 1: half cycle unresolved. 0 is absent (RINEX).
struct Observable {
  double value = 0;
  std::uint8_t lli = 0, strength = 0;
  bool present() const { return value != 0; }
};

/// What one satellite gave at one epoch; the values follow the file's list of types for its system.
struct SatelliteRecord {
  SatId sat;
  std::uint16_t count = 0; ///< values it has; types added later in the file are not among them
  std::uint32_t first = 0; ///< index of its first value in `ObservationFile::values`
};

struct ObservationEpoch {
  GpsTime time;
  std::uint8_t flag = 0;              ///< 0 fine, 1 power failure since the last epoch
  std::uint32_t first = 0, count = 0; ///< its records
  long line = 0;
};

/// What a receiver's file says besides its epochs.
struct ObservationHeader {
  double version = 3.05;
  std::string marker, marker_number, receiver, receiver_serial, receiver_firmware, antenna, antenna_serial, program;
  Vec3 approximate = Vec3::Zero();
  Vec3 delta_hen = Vec3::Zero(); ///< height, east, north of the antenna reference point above the marker, m
  std::map<char, std::vector<std::string>> types;
  std::optional<double> interval;
  std::map<std::string, long> header_lines; ///< header label → line of the file, for the trace
  std::map<SatId, int> glonass_channel;
  std::map<std::string, double> glonass_code_phase_bias; ///< "C1C" → m, as the header states
  std::map<std::string, double> phase_shift; ///< "GL2X" → cycles that the header says were added to the phases
  std::optional<int> leap_seconds;
  bool moving = false;             ///< recorded between the events "antenna moves" and "new site"
  std::vector<GpsTime> marks;      ///< external events (flag 5)
  std::size_t event_records = 0;   ///< lines of event records
  std::size_t repeated_epochs = 0; ///< epochs of spliced files that were there already
  std::string cut_off;             ///< why the text ends before its last epoch is whole; empty: it is

  int type_index(char system, std::string_view code) const; ///< −1 when the file does not carry it
};

/// A receiver's file as it stands: its header and all epochs. Flat storage.
struct ObservationFile : ObservationHeader {
  std::vector<ObservationEpoch> epochs;
  std::vector<SatelliteRecord> records;
  std::vector<Observable> values;

  /// A value of a record, or an absent one when the record was written before the type came in.
  Observable value(const SatelliteRecord &r, int index) const {
    return index >= 0 && index < r.count ? values[r.first + static_cast<std::size_t>(index)] : Observable{};
  }
};

/// Broadcast elements of GPS, Galileo, BeiDou or QZSS (Keplerian with harmonic corrections), SI units and radians.
/// Times of BeiDou are turned to GPS time when read.
struct Ephemeris {
  SatId sat;
  GpsTime toc, toe, transmitted;
  double af0 = 0, af1 = 0, af2 = 0;
  double crs = 0, delta_n = 0, m0 = 0, cuc = 0, ecc = 0, cus = 0, sqrt_a = 0, cic = 0, omega0 = 0, cis = 0, i0 = 0,
         crc = 0, omega = 0, omega_dot = 0, idot = 0;
  int iode = 0;        ///< GPS IODE, Galileo IODnav, BeiDou AODE
  int source = 0;      ///< Galileo data source bits (1 I/NAV E1, 2 F/NAV, 4 I/NAV E5b); GPS codes on L2
  double accuracy = 2; ///< m (GPS URA, Galileo SISA); negative: none given
  int health = 0;
  /// GPS and QZSS TGD; Galileo BGD E5a/E1 and BGD E5b/E1; BeiDou TGD1 (B1/B3) and TGD2 (B2/B3), s.
  double group_delay = 0, group_delay_2 = 0;
  long line = 0;
};

/// State vector of a GLONASS satellite in its broadcast frame (PZ-90.11), SI units.
struct GlonassState {
  SatId sat;
  GpsTime time;
  Vec3 position = Vec3::Zero(), velocity = Vec3::Zero(), acceleration = Vec3::Zero(); ///< of Sun and Moon only
  double clock = 0;                                                                   ///< −τn, s
  double drift = 0;                                                                   ///< γn
  int health = 0, channel = 0, age_days = 0;
  long line = 0;
};

struct NavigationFile {
  double version = 3.05;
  std::vector<Ephemeris> ephemerides;
  std::vector<GlonassState> glonass;
  std::vector<double> klobuchar;   ///< GPSA then GPSB, eight values, or empty
  std::size_t skipped = 0;         ///< records of systems or message types that are not used
  std::size_t without_channel = 0; ///< messages of GLONASS left out, as their frequency number is none
  std::size_t size() const { return ephemerides.size() + glonass.size(); }
};

struct Sp3Epoch {
  GpsTime time;
  std::map<SatId, Vec3> position; ///< m
  std::map<SatId, double> clock;  ///< s
};
struct Sp3File {
  std::string frame; ///< as the header names it, "IGS20"
  char version = 'd';
  double interval = 900;
  std::vector<Sp3Epoch> epochs;
};

/// Calibration of one frequency: offset north, east, up of the mean phase centre from the ARP (m) and variations (m)
/// by zenith angle, without azimuth and, if given, by azimuth (rows 0°, step, … 360°).
struct AntennaFrequency {
  Vec3 offset_neu = Vec3::Zero();
  std::vector<double> no_azimuth;
  std::vector<std::vector<double>> by_azimuth;
};
struct Antenna {
  std::string type;    ///< 20 characters with the dome's name, blanks trimmed at the end only
  std::string serial;  ///< empty: type calibration
  std::string release; ///< SINEX code of the calibration set
  double zenith_first = 0, zenith_last = 90, zenith_step = 5, azimuth_step = 0;
  std::map<std::string, AntennaFrequency> frequencies; ///< "G01", "E05"
  long line = 0;
};
/// Antenna of a satellite over a span of time. Its offsets (under "north, east, up") are along the body's X, Y and Z: Z
/// towards the Earth, Y along the axis of the solar panels; its variations go by the angle from Z.
struct SatelliteAntenna {
  SatId sat;
  std::optional<GpsTime> from, until; ///< absent: since ever, for ever
  Antenna antenna;
};
struct AntexFile {
  std::vector<Antenna> receivers;
  std::vector<SatelliteAntenna> satellites;
};

} // namespace ampletie
