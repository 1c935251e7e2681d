#pragma once
#include <cstdint>
#include <string>
#include <vector>

namespace ampletie::level {

/// A mark with its true place; its true physical height follows from the true geoid.
struct Mark {
  std::string name;
  double lat = 0, lon = 0, h = 0; ///< degrees, ellipsoidal height in m
};

/// The true geoid near the job: a plane with waves on it. Nothing of the core's grid is in it.
struct Geoid {
  double lat = 46, lon = 14, height = 46; ///< of the plane's origin, degrees and m
  double north = 0, east = 0;             ///< slopes, m per km
  struct Wave {
    double amplitude = 0.1, length_km = 15, azimuth = 0, phase = 0; ///< m, km, degrees, degrees
  };
  std::vector<Wave> waves;
  double at(double lat, double lon) const; ///< m
};

/// What the crew did in one file.
struct Job {
  std::string file, run, date, instrument = "DL7", staff = "A", format = "delimited"; ///< delimited, words 8, words 16
  std::vector<std::string> route;                                                     ///< marks in the order of walking
  std::vector<std::string> side; ///< marks taken as intermediate sights from the set-up nearest to them
  double sight = 35;             ///< longest sight, m
  double collimation_mm_m = 0;   ///< slope of the line of sight
  double unbalance = 0.03;       ///< back sights longer than fore sights by this share
  double staff_ppm = 0;          ///< true length of a staff metre, less one
  int aborted = 0;               ///< set-ups that were begun and given up
  bool fore_back = false;        ///< every sight read twice: back, fore, fore, back
  std::vector<std::pair<std::string, std::string>> exchanged; ///< names booked for each other
  int twice = 0;                                              ///< a set-up booked once more (counted from 1)
  bool claims = true;                                         ///< writes the height of its first mark
};

struct Scenario {
  std::uint64_t seed = 1;
  std::vector<Mark> marks;
  Geoid geoid;
  double reading_mm = 0.02, reading_mm_per_100m = 0.15; ///< noise of one reading, and what the air adds by distance
  std::vector<Job> jobs;
  std::vector<std::string> benchmarks; ///< marks whose heights are published
  double benchmark_sd_mm = 1;
};

/// Reads a scenario; throws `InputError` in words.
Scenario read_scenario(const std::string &json);
bool is_level_scenario(const std::string &json);

struct Campaign {
  struct File {
    std::string name, text;
  };
  std::vector<File> files;
  std::string benchmarks_csv; ///< mark,height,sd_u
  std::string truth_json;     ///< true physical heights
};
/// Walks every route: sights as far as the ground allows, raw differences of potential over gravity (own formulas),
/// curvature and refraction, the instrument's and the staff's errors, noise, and the crew's mistakes.
Campaign simulate(const Scenario &s);
void simulate_to(const Scenario &s, const std::string &folder);

} // namespace ampletie::level
