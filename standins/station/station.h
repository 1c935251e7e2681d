#pragma once
#include <cstdint>
#include <string>
#include <vector>

namespace ampletie::station {

/// A mark with its true place and the true deflection of the vertical there.
struct Mark {
  std::string name;
  double lat = 0, lon = 0, h = 0; ///< degrees, ellipsoidal height in m
  double north_s = 0, east_s = 0; ///< deflection ξ, η, seconds of arc
};

/// One target of a set-up.
struct Target {
  std::string mark, kind = "detail"; ///< orientation, control, detail
  double height = 1.3, constant = 0; ///< m: of the target; prism constant as its plate says
  std::string code{};                ///< of what it is
  double lateral_s = 0;              ///< the line of sight is bent sideways by so many seconds (a wall in the sun)
  // Mistakes of the crew.
  std::string booked_as{};   ///< another name in the book
  double booked_height = -1; ///< another height in the book; negative: the true one
};

/// One erection of the instrument.
struct Setup {
  std::string mark, booked_as;
  double height = 1.5, booked_height = -1; ///< m
  double pressure = 950, temperature = 15; ///< as they are
  double booked_pressure = -1;             ///< as booked; negative: as it is
  double east = 0, north = 0; ///< of the instrument from its mark, m: nobody noticed, and the book says nothing
  int sets = 2;
  double refraction = 0.13;
  std::vector<Target> targets;
  int wild = -1;    ///< this pointing (from 0) is off by a minute
  int deleted = -1; ///< this pointing was struck out by the crew
};

struct Job {
  std::string file, name, instrument = "TS3", date = "2026-05-15", unit = "gon"; ///< gon or deg
  std::vector<Setup> setups;
};

struct Scenario {
  std::uint64_t seed = 1;
  std::vector<Mark> marks;
  double direction_s = 3, zenith_s = 3;       ///< of a pointing on one face, seconds
  double distance_mm = 1, distance_ppm = 1.5; ///< noise, and scatter of the instrument's scale by job
  double centring_mm = 1, target_mm = 1, height_mm = 1;
  double collimation_s = 8, index_s = -12; ///< of the instrument
  double pointing_mm = 0.4;                ///< across the line of sight at the target
  double true_constant_mm = 0;             ///< what the prism's constant is off its plate
  std::vector<Job> jobs;
};

Scenario read_scenario(const std::string &json);
bool is_station_scenario(const std::string &json);

struct Campaign {
  struct File {
    std::string name, text;
  };
  std::vector<File> files;
  std::string truth_json; ///< true places of all marks
};
/// Measures every set-up in space: directions and zenith angles against the true vertical, refraction upwards and
/// sideways, the instrument's errors on two faces, centring, distances through the air as it is with the correction for
/// the air as booked, and the crew's mistakes. Own formulas throughout.
Campaign simulate(const Scenario &s);
void simulate_to(const Scenario &s, const std::string &folder);

} // namespace ampletie::station
