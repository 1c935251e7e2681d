#pragma once
#include "results/network_run.h"
#include <nlohmann/json.hpp>

namespace ampletie {

/// A mark as it is issued, written, compared and shown: everything that leaves the job about it comes from here.
/// Metres, decimal degrees; east, north and up at the mark.
struct ControlRecord {
  std::string name;
  Vec3 xyz = Vec3::Zero();
  double lat_deg = 0, lon_deg = 0, h_m = 0;
  double east_m = 0, north_m = 0;
  std::optional<double> height_m, geoid_m; ///< physical height and the geoid's undulation
  double scale = 1, convergence_deg = 0, combined_factor = 1;
  Mat3 cov_enu = Mat3::Zero();         ///< of the adjustment, held marks being without error, m²
  Mat3 network_cov_enu = Mat3::Zero(); ///< with the published uncertainty of the held marks, m²
  double local_plan95_m = 0, local_up95_m = 0, network_plan95_m = 0, network_up95_m = 0;
  std::optional<double> height_sd_m; ///< of the physical height, the geoid's uncertainty in it; none: not determined
  std::string held;                  ///< "none", "plan", "height", "full", "weighted", "check"
  int independent_checks = 0;
  std::string frame;
  double epoch = 0; ///< decimal year
  std::string description, origin;
  int scale_degrees = 0; ///< redundancy of the variance factor that everything was scaled with; 0: a priori
};

/// A mark of which only the height is known.
struct HeightRecord {
  std::string name;
  double height_m = 0, height_sd_m = 0;
  std::string held;
  int levels = 0; ///< levelled differences that end at it
  int independent_checks = 0;
  int scale_degrees = 0;
};

/// Standard deviation of a mark's physical height: as adjusted with levels, else of the ellipsoidal one with what is
/// stated of the geoid's grid. Nothing where nobody states how good the grid is, or where there is no such height.
std::optional<double> physical_height_sd(const NetworkRun &run, const AdjustedMark &m);

/// How a mark came about: "GNSS, 2 set-ups".
std::string mark_origin(const AdjustedMark &m);

ControlRecord control_record(const JobSnapshot &s, const NetworkRun &run, const AdjustedMark &m);
HeightRecord height_record(const NetworkRun &run, const AdjustedMark &m);

/// As issue records hold them (docs/formats.md); reading gives back what was written. Throws `nlohmann::json` errors
/// for what is no record.
nlohmann::ordered_json to_json(const ControlRecord &r);
nlohmann::ordered_json to_json(const HeightRecord &r);
ControlRecord control_record_of(const nlohmann::json &j);
HeightRecord height_record_of(const nlohmann::json &j);

/// A covariance as [ee, en, eu, nn, nu, uu].
nlohmann::ordered_json six_of(const Mat3 &c);
Mat3 covariance_of(const nlohmann::json &six);

/// The 95 % ellipse of a covariance's plan: semi-axes in metres, azimuth of the major one in degrees.
nlohmann::ordered_json ellipse95(const Mat3 &cov_enu, int scale_degrees);

} // namespace ampletie
