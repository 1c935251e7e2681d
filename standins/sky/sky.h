#pragma once
#include "formats/gnss_data.h"
#include "sky/scenario.h"

namespace ampletie::sky {

/// One unbroken carrier arc of one receiver with its true integer.
struct Arc {
  std::string mark, session, signal;
  SatId sat;
  GpsTime first, last;
  std::int64_t integer = 0;
  std::vector<double> winding; ///< wind-up at every epoch, cycles: the integer counts from its branch
};
struct TrueSetup {
  std::string mark, session;
  Vec3 marker;    ///< orbits' frame, mid-epoch of the session, tide-free
  Vec3 error_enu; ///< centring east, north and height error of this set-up
};
/// Where the marker of a moving antenna was at the epochs of its file (ARP less the stated height), orbits' frame.
struct TrueTrack {
  std::string mark, session;
  std::vector<GpsTime> times;
  std::vector<Vec3> places;
};
struct ReceiverFile {
  std::string name; ///< suggested file name without ending
  ObservationFile data;
};

/// Everything that a simulated campaign leaves behind.
struct Campaign {
  std::vector<ReceiverFile> receivers;
  NavigationFile navigation;
  Sp3File orbits;
  AntexFile antennas;
  std::vector<Arc> arcs;
  std::vector<TrueTrack> tracks;
  std::string control_csv, truth_json;
};

/// Runs a scenario. Same scenario, same bytes. Shares formats, time and the ellipsoid with the core, nothing else.
Campaign simulate(const Scenario &scenario);

/// Runs a scenario and writes its files (observations, orbits gzipped) into a folder.
void simulate_to(const Scenario &scenario, const std::string &folder);

} // namespace ampletie::sky
