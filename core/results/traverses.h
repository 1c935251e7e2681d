#pragma once
#include "base/angle.h"
#include "results/occupation.h"
#include "results/setups.h"
#include "traverse/free_station.h"
#include "traverse/onward.h"
#include "traverse/places.h"

namespace ampletie {

/// A mark that traverses may hang on, in the job's frame and epoch.
struct KnownPlace {
  FullPosition position;
  Mat3 cov_enu = Mat3::Zero(); ///< m²
  double height_sd = 0;        ///< of the height that is used: with the geoid's, where it is in it; m
  bool held = false;           ///< else from vectors
  bool check = false;          ///< to be compared with: traverses run through it
  /// The height that is used: physical where there is one.
  double height() const { return position.height.value_or(position.geodetic.h); }
};
using KnownPlaces = std::map<std::string, KnownPlace>;

/// A known mark computed from a set-up, against what it should be. m; NaN: cannot be told.
struct KnownMarkCheck {
  std::string mark;
  double along = NAN, across = NAN, up = NAN;
  double along_limit = 0, across_limit = 0, up_limit = 0;
  bool passes() const {
    return !(std::abs(along) > along_limit) && !(std::abs(across) > across_limit) && !(std::abs(up) > up_limit);
  }
};

/// What a job makes of one set-up beyond its own readings.
struct SetupJudgement {
  std::vector<KnownMarkCheck> checks;
  std::vector<OnwardChoice> onward; ///< best first
  std::string onward_mark;          ///< taken; empty: none
  bool onward_said = false;         ///< by decision
  std::optional<FreeStation> free;  ///< of a station on a mark that nothing else places
  bool joined = true;               ///< false: nothing leads from it to the other marks
};

/// A leg with both of its ends' measurements.
struct TraverseLeg {
  std::string from, to;
  double angle = NAN, angle_sd = 0;             ///< at `from`, against the leg before or the back sight, radians
  double length = 0, length_sd = 0, rise = NAN; ///< m, reduced
  double slope_there = NAN, slope_back = NAN;   ///< horizontal, at the station, m
  double length_difference = NAN, length_limit = 0, rise_sum = NAN, rise_limit = 0; ///< there against back
  double arc_to_chord = 0, combined_factor = 1;
  /// Refraction that zenith angles there and back show beyond the coefficient that was taken off, and how well; NaN:
  /// not measured both ways.
  double bent = NAN, bent_sd = 0;
};

/// A mark of a traverse against what vectors or levels say of it.
struct TraverseComparison {
  std::string mark, with = "vectors"; ///< levels know heights only
  double east = 0, north = 0;         ///< traverse − the others, m; NaN with levels
  double up = NAN;
  double expected = 0, up_expected = 0; ///< standard deviation of the difference
  bool passes = true;
};

/// What the field computed for a traverse, beside ours.
struct BookedClosure {
  FieldClosure booked; ///< turned into our direction and sign
  std::string source_id;
  std::string explained; ///< which way of computing gives the field's numbers
  bool same = false;     ///< ours are the same
  bool found = false;    ///< a way was found
};

struct TraverseLine {
  std::string id, name;            ///< the id is that of the set-up that it starts from
  std::vector<std::string> setups; ///< ids in the order of the route; a last one repeats the first in a loop
  std::vector<std::string> marks;
  std::string back_sight, closing_sight; ///< marks; empty: none
  TraverseInput input;
  TraverseResult result;
  std::vector<TraverseLeg> legs;
  bool loop = false;
  bool used = true; ///< its set-ups belong to the network
  std::string left_out_because;
  bool local_place = false, local_bearing = false; ///< assumed, not known
  AngleShare angles = AngleShare::equal;
  HeightShare heights = HeightShare::length;
  Balance balance = Balance::compass;
  double angular_limit = 0, linear_limit = 0, height_limit = 0; ///< radians, m
  std::string limit_name;                                       ///< "propagated", "10″·√n", a class
  std::string problem;                                          ///< why it cannot be computed; then `result` is empty
  bool by_azimuths = false; ///< for azimuths alone were measured on the way: the network takes them as they are
  std::vector<TraverseComparison> comparisons;
  std::vector<std::string> remarks;
  std::optional<BookedClosure> booked;
  const BalancedTraverse &balanced() const { return balanced(balance); }
  const BalancedTraverse &balanced(Balance b) const;
  bool angle_passes() const { return !result.closure.has_angular || std::abs(result.closure.angular) <= angular_limit; }
  bool length_passes() const { return !result.closure.has_linear || result.closure.linear <= linear_limit; }
  bool height_passes() const { return !result.closure.has_height || std::abs(result.closure.height) <= height_limit; }
  bool closes() const { return problem.empty() && angle_passes() && length_passes() && height_passes(); }
};

/// Provisional coordinates of one traverse or set-up.
struct ProvisionalMark {
  PlanePoint place;
  std::optional<double> height;
  double moved = 0;                    ///< by the balance, m
  double sd = 0;                       ///< in plan, m; 0: not known
  std::string line, setup, code, how;  ///< how: "traverse", "free station", "side shot", "intersection"
  bool station = false, local = false; ///< on a route; in a local system
  int sights = 1;                      ///< set-ups that place it
  double apart = 0;                    ///< of the places that they give, m
  double apart_limit = 0;
  std::string warning; ///< of a weak intersection
  /// Of the field's own coordinates: theirs less ours, m; NaN: not said. Never used.
  std::optional<Vec3> field;
};

struct TraverseReport {
  JobSetups field;
  std::map<std::string, SetupJudgement> judgements; ///< by set-up
  std::vector<TraverseLine> lines;
  std::map<std::string, std::size_t> line_by_setup; ///< set-up → its traverse, one in use before one that is not
  std::map<std::string, ProvisionalMark> marks;
  std::map<std::string, Vec3> places; ///< Cartesian, as sights carry them on; to begin adjustments from
  std::string key;                    ///< of what the network takes
  bool any() const { return !field.sources.empty(); }
  const TraverseLine *line(const std::string &id) const;
  /// The traverse that a set-up is on; null: none.
  const TraverseLine *line_of(const std::string &setup) const;
  /// Whether the network takes a set-up: used, and on no traverse that was left out.
  bool in_network(const ReducedSetup &s) const;
};

/// From where to where a sight of the network goes, by its id.
struct SightName {
  std::string setup, from, to;
};
std::map<std::string, SightName> sight_names(const TraverseReport &r);

/// Traverses as they were computed, by everything that they were made of: a decision computes those anew that it
/// concerns. `context`: of known marks and datum.
struct LineCache {
  std::string context;
  std::map<std::string, TraverseLine> lines;
};

/// Heights that levels alone give, with their standard deviations, m.
using LevelHeights = std::map<std::string, std::pair<double, double>>;

/// A bearing in the grid that is not held by two marks, radians.
struct StartBearing {
  std::string to;
  double bearing = 0, sd = 0;
};
/// What stands for the deviation of a bearing of which nobody states one: as good as errorless, radians.
constexpr double errorless_bearing = 0.05 * rad_per_arcsec;

/// Everything that total stations say by themselves. `datum` null: nothing says where the job is; then all is local.
/// `cache` may be null. `toward`: bearings by set-up, to marks whose places are published and not held; with the ones
/// that decisions give they count as azimuths that were measured there, for places, routes and the network alike.
TraverseReport job_traverses(JobSetups field, const JobState &state, const KnownPlaces &known, const JobDatum *datum,
                             LineCache *cache = nullptr, const LevelHeights &levels = {},
                             const std::map<std::string, StartBearing> &toward = {});

} // namespace ampletie
