#pragma once
#include "base/vector.h"
#include "sky/route.h"
#include "time/gps_time.h"
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie::sky {

/// A step of the published transformation from the orbits' frame: 14 parameters, position-vector convention,
/// translations in m, rotations in arc seconds, scale in ppm, rates per year.
struct HelmertStep {
  Vec3 t, r, dt, dr;
  double s = 0, ds = 0, epoch = 2010;
  bool inverse = false;
};

struct Obstruction {
  double azimuth_from = 0, azimuth_to = 0, elevation = 0; ///< degrees; the sector goes clockwise
};

/// A physical point: truth in the orbits' frame at the scenario's start.
struct Mark {
  std::string name, description;
  double lat = 0, lon = 0, h = 0; ///< degrees, degrees, m
  bool control = false;
  Vec3 velocity_enu = Vec3::Zero(); ///< in the control's frame, m/yr
  std::vector<Obstruction> obstructions;
};

/// Phase centre of one band: offset (m, north east up) and variation a1 sin z + a2 sin² 2z + a3 sin² z cos 2α (m).
struct Band {
  std::string frequency; ///< "G01"
  Vec3 offset;
  double a1 = 0, a2 = 0, a3 = 0;
};
struct AntennaType {
  std::string type;
  std::vector<Band> bands;
  bool calibrated = true; ///< false: left out of the antenna file
};

struct Setup {
  std::string mark, receiver, antenna, serial;
  Vec3 eccentricity_enu = Vec3::Zero(); ///< east and north of the antenna against the mark, m, known to the crew
  double height = 0;        ///< to the ARP, m, as the crew measured it; the truth differs by the height error
  double header_height = 0; ///< what the crew keyed in: may be a slant reading
  /// Spans in which nothing was logged, s from the start of the session; what lies between them are files of their own.
  std::vector<std::pair<double, double>> off{};
  Route route{}; ///< of a moving antenna, from the mark; empty: it stands
};
struct Session {
  std::string name;
  GpsTime start;
  double hours = 1, interval = 15;
  std::vector<Setup> setups;
};

/// Standard deviations of the simulated errors. The floors of docs/verification.md are enforced when reading.
struct Noise {
  double phase = 0.002, code = 0.3;                     ///< white, at zenith, m
  double phase_multipath = 0.005, code_multipath = 1.0; ///< m
  double multipath_lasting = 0.1;                 ///< share that fades with the correlation time alone, without turning
  double centring = 0.001, height = 0.001;        ///< per set-up, m
  double zenith_delay = 0.02, zenith_walk = 0.01; ///< of the difference between two stations, m, m/√h
  double ionosphere_unevenness = 1;               ///< factor on its slopes and waves
  double orbit = 1.0;                             ///< broadcast orbit, m
  double slips_per_hour = 0.4;                    ///< per satellite
  double gaps_per_hour = 0;                       ///< per receiver: everything is lost for 10 to 60 s
  double clock_jumps_per_hour = 0; ///< per receiver: the code steps by a millisecond, the carrier does not
  double gradient = 0;             ///< zenith-equivalent horizontal gradient of a station, m
  double control_plan = 0.001, control_up = 0.002; ///< of the published control, m
};

struct Scenario {
  std::string title;
  std::uint64_t seed = 1;
  GpsTime start;
  std::string orbit_frame = "IGS20", orbit_frame_name = "ITRF2020";
  double mask = 5;            ///< degrees
  std::string systems = "GE"; ///< of G, R, E, C, J
  bool third_frequency = false;
  std::vector<Mark> marks;
  std::vector<AntennaType> antennas;
  std::vector<Session> sessions;
  std::vector<HelmertStep> to_control;
  std::string control_frame = "ETRF2000";
  double control_epoch = 2010.0;
  Noise noise;
  double ionosphere_tecu = 15;
};

/// Reads a scenario; throws `InputError` with a sentence for what is missing or impossible.
Scenario read_scenario(std::string_view json);

} // namespace ampletie::sky
