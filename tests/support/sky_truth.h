#pragma once
#include "gnss/static/static_vector.h"
#include "sky/sky.h"
#include <map>

namespace ampletie::testing {

/// A simulated campaign with what is needed to judge solutions against its truth.
struct Judged {
  sky::Campaign campaign;
  std::map<std::string, std::vector<sky::Arc>> arcs; ///< by "MARK/session/G07/L1C"
  std::map<std::string, Vec3> marker;                ///< by "MARK/session": true marker
  std::map<std::string, Vec3> setup_error;           ///< by "MARK/session": centring east, north and height
  std::map<std::string, Antenna> antennas;

  const ObservationFile &file(const std::string &mark, const std::string &session) const;
};
Judged judge(const sky::Scenario &scenario);

/// Number of accepted integer combinations that differ from the truth; 1000 and more: an arc spans a true slip. With an
/// empty session `base` and `rover` name it themselves, "MARK/session".
int wrong_integers(const Judged &j, const StaticVector &v, const std::string &base, const std::string &rover,
                   const std::string &session, const OccupationModel &base_model, const OccupationModel &rover_model);

struct Experiment {
  StaticOptions solve;
  ModelOptions model;
  bool antenna_calibration = true;
  bool precise = false;
  sky::Noise noise; ///< of the simulator, where a stratum does not set its own
};
struct Outcome {
  std::string base, rover, session;
  StaticVector vector;
  Vec3 error_enu = Vec3::Zero(); ///< solved − true, at the base
  Mat3 cov_enu = Mat3::Zero();   ///< printed covariance plus that of the set-ups, east north up
  /// Of the antennas where they really stood, set-ups apart: what the solution itself does.
  Vec3 own_error_enu = Vec3::Zero();
  Mat3 own_cov_enu = Mat3::Zero();
  int wrong = 0;
  double length = 0;
};
/// Solves all pairs of every session in a range of lengths. The base stands at its true place, the rovers' a-priori
/// places are some decimetres off.
std::vector<Outcome> solve_all(const Judged &j, const sky::Scenario &scenario, const Experiment &e,
                               double max_length = 1e9, double min_length = 0);

} // namespace ampletie::testing
