#pragma once
#include "adjustment/adjustment.h"
#include "geodesy/ellipsoid.h"
#include "geodesy/frame.h"
#include "network/level_network.h"
#include <functional>
#include <map>
#include <set>
#include <string>

namespace ampletie {

/// How a mark takes part in the datum. Weighted: its published coordinates are observations with their uncertainty.
enum class Hold { none, plan, height, full, weighted, check };
std::string hold_name(Hold h);
/// Whether a kind of observation of a total station is an angle (radians), not a length (m).
bool is_angle(std::string_view kind);

struct NetworkMark {
  std::string name;
  TaggedPoint position; ///< a-priori, or the held coordinates
  Hold hold = Hold::none;
  Vec3 published_sd = Vec3::Zero(); ///< east, north, up of held coordinates, m; zero: none was published
  std::optional<Mat3> published_cov = std::nullopt; ///< m², if published; weighted marks use it
  double undulation = 0;                            ///< of the geoid's grid, m
  bool physical = false;                            ///< its height is known as a physical one: that is what is held
  bool plan_known = true; ///< false: only levels lead to it, its place is a guess and its plan not asked for
};

/// One erection of an antenna over a mark: its errors are common to all vectors from it (geodesy.md 6).
struct NetworkSetup {
  std::string id, mark;
  Vec3 sd_enu = Vec3(0.001, 0.001, 0.001); ///< centring east, north; height; m
  std::string antenna{};                   ///< the calibration that was used: of a type, or of one antenna
};

struct NetworkVector {
  std::string id, from, to, from_setup, to_setup, session, group = "GNSS";
  Vec3 d = Vec3::Zero(); ///< marker to marker in the job's frame, m
  Mat3 cov = Mat3::Zero();
  Frame frame;
  double epoch = 0;
};

/// Vectors that were solved together: they enter as one block with everything they share.
struct NetworkSession {
  std::string id;
  std::vector<std::string> vectors;
  Eigen::MatrixXd cov; ///< 3 n × 3 n in the job's frame, m²; replaces the vectors' own
};

/// Vectors that may be turned and stretched as a whole against the job's frame (they are in another one, or were
/// brought in with a transformation of their own): three rotations and a scale as unknowns with a prior (Strang and
/// Borre 1997, Kuang 1996, the auxiliary parameters of combined networks).
struct NetworkTurn {
  std::string group;
  double rotation_sd = 0, scale_sd = 0; ///< of each rotation, radians; of the scale; 0: none
  std::set<std::string> vectors;        ///< ids
};

/// How far the geoid's grid may be off: the prior of the correction surface.
struct GeoidPrior {
  double sd = 0, correlation = 10e3; ///< m
};

/// What a total station saw of one target, means over its sets, corrected for instrument and air; NaN: not measured.
/// Radians, m.
struct NetworkSight {
  std::string id, to;
  double direction = 0, zenith = 0, distance = 0;
  double zenith_sd = 0, distance_sd = 0;
  double target_height = 0, target_centring = 0.001, target_height_sd = 0.001;
  /// Reduced observations: distance at the height of the instrument; height of the target's mark over the station's
  /// with curvature and refraction (coefficient `k`) taken off; azimuth, astronomic or from geodetic north.
  double horizontal = NAN, horizontal_sd = 0, rise = NAN, rise_sd = 0, azimuth = NAN, azimuth_sd = 0;
  bool geodetic_azimuth = false;
};
/// One erection of a total station. Its centring, height, orientation, refraction and plumb line are unknowns, all but
/// the orientation with a prior (geodesy.md 5, 6, 16).
struct NetworkStation {
  std::string id, mark, instrument;
  double height = 0;                         ///< of the instrument, m
  double azimuth_constant_sd = 0;            ///< of all azimuths of the instrument together; 0: no unknown
  Eigen::Vector2d offset{0, 0};              ///< east, north of the instrument from its mark, m
  Vec3 setup_sd = Vec3(0.001, 0.001, 0.001); ///< centring east, north; height; m
  std::vector<NetworkSight> sights;          ///< each mark once
  Eigen::MatrixXd direction_covariance;      ///< of the directions in their order, rad²
  double k = 0.13, k_sd = 0.15;              ///< refraction; sd 0: fixed
  Eigen::Vector2d deflection{0, 0};          ///< ξ, η of the geoid's grid at the mark, radians
};
struct PlumbPrior {
  double sd = 1.5e-5, correlation = 10e3; ///< radians; m; sd 0: the grid's deflections are fixed
};
struct EdmPrior {
  double scale_sd = 0, constant_sd = 0; ///< of each instrument; m; both 0: no unknowns
};

enum class DatumMode { held, minimal, free };
std::string datum_mode_name(DatumMode m);

struct NetworkInput {
  std::vector<NetworkMark> marks;
  std::vector<NetworkSetup> setups;
  std::vector<NetworkVector> vectors;
  std::vector<NetworkSession> sessions;
  std::vector<NetworkTurn> turns;
  std::vector<NetworkLevel> levels;
  std::vector<NetworkStation> stations;
  PlumbPrior plumb;
  EdmPrior edm;
  std::optional<GeoidPrior> geoid; ///< needed where levels or physical heights meet vectors
  DatumMode mode = DatumMode::held;
  /// How far a calibration may be off, east, north, up, m: an unknown of each antenna type, common to all of its
  /// set-ups (geodesy.md 22). Antennas stand turned to the north, so that what is off in plan does not fall out either.
  /// Zero: none.
  Vec3 calibration_sd = Vec3::Zero();
  /// What the standard deviations of an observation are multiplied with, by the id and kind of its block or part;
  /// absent: one.
  std::function<double(const std::string &id, const std::string &kind)> factor;
  bool estimated_scale = false; ///< one factor of everything in it was taken from the residuals
  bool setup_unknowns = true;   ///< off only to show in tests what they are worth
  AdjustmentOptions options;
};

struct AdjustedMark {
  std::string name;
  TaggedPoint position;
  Hold hold = Hold::none;
  Mat3 cov_enu = Mat3::Zero();                          ///< with held marks errorless
  Mat3 network_cov_enu = Mat3::Zero();                  ///< with the published uncertainty of the held marks
  double local_plan95 = 0, local_up95 = 0;              ///< mean 95 % accuracy to the marks it is connected with, m
  double network_plan95 = 0, network_up95 = 0;          ///< with respect to the datum, m
  double geoid_correction = 0, geoid_correction_sd = 0; ///< of the surface at the mark, m
  double height_sd = 0;          ///< of the physical height, m, with held marks' uncertainty; 0 without a geoid
  bool plan_known = true;        ///< false: only levels lead to it; its east and north mean nothing
  int levels = 0;                ///< levelled differences that end here
  int setups = 0;                ///< independent erections that used vectors start from
  int sighted_from = 0;          ///< marks that sights of total stations connect it with
  int independent_checks = 0;    ///< beyond the first
  Vec3 shift_enu = Vec3::Zero(); ///< adjusted − a-priori
};

/// A held mark predicted from all others: is the control good?
struct ControlCheck {
  std::string mark;
  Vec3 difference_enu = Vec3::Zero(); ///< held − predicted
  double statistic = 0, limit = 0;    ///< χ² with three degrees
  bool passes = true;
};

struct NetworkResult {
  DatumMode mode = DatumMode::held;
  AdjustmentResult adjustment;
  std::vector<std::unique_ptr<Block>> blocks; ///< `BlockTest::block` counts them
  std::vector<AdjustedMark> marks;
  std::vector<ControlCheck> control;
  std::vector<std::string> zero_sd_held; ///< held marks without published uncertainty, to be named
  std::map<std::string, int> parameter;  ///< mark → its first parameter (east, north, up)
  std::map<std::string, std::vector<std::pair<int, double>>> lift;    ///< as in `MarkAxes`
  std::map<std::string, std::vector<std::pair<int, double>>> surface; ///< as in `MarkAxes`
  int geoid_nodes = 0;                                                ///< of the correction surface; 0: there is none
  std::vector<std::string> setups;                                    ///< ids in the order of their parameters
  struct StationResult {
    double orientation = 0, k = 0, k_sd = 0; ///< azimuth of the circle's zero; refraction
    Eigen::Vector2d deflection{0, 0};        ///< ξ, η, adjusted; radians
  };
  std::map<std::string, StationResult> stations; ///< by set-up
  /// What all azimuths of an instrument that finds north by itself turned out to miss, beyond its card; radians.
  struct AzimuthConstant {
    double correction = 0, sd = 0;
    int azimuths = 0;
  };
  std::map<std::string, AzimuthConstant> azimuth_constants; ///< by instrument
  /// How a group of vectors turned out to lie against the job's frame: about its east, north and up; radians.
  struct TurnResult {
    std::string group;
    Vec3 rotation = Vec3::Zero(), rotation_sd = Vec3::Zero();
    double scale = 0, scale_sd = 0;
  };
  std::vector<TurnResult> turns;
  /// Redundancy of the variance factor that all standard deviations were scaled with, which values to 95 % allow for;
  /// 0: they are a priori.
  int scale_degrees = 0;
};

/// Why a network has no datum, in words with the cure; empty when it has one.
std::vector<std::string> datum_defects(const NetworkInput &input);

/// Adjusts marks and set-ups. Throws `InputError` for mixed frames or epochs and for a missing datum.
NetworkResult adjust_network(const NetworkInput &input, const Progress &progress);

/// n − 1 of a session's vectors that connect all its occupations: those solved together, then the most trustworthy,
/// then the shortest, first.
struct SessionVector {
  std::string id, from, to; ///< of the occupations
  bool trusted = true;      ///< fixed
  bool together = false;    ///< in a session solution
  double length = 0;
};
std::vector<std::string> independent_vectors(std::vector<SessionVector> session);

} // namespace ampletie
