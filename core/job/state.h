#pragma once
#include "datum/datum.h"
#include "formats/list_reading.h"
#include "gnss/static/static_vector.h"
#include "job/asked.h"
#include "job/issue_choice.h"
#include "job/store.h"
#include "job/thing.h"
#include "levelling/height_system.h"
#include "levelling/line.h"
#include "network/network.h"
#include "time/shown_time.h"
#include "traverse/route.h"
#include "traverse/setup.h"
#include <map>

namespace ampletie {

/// A value together with the decision that set it (0: the default).
template <class T> struct Decided {
  T value{};
  long decision = 0;
};

/// What the surveyor said about an occupation; absent: as the file says.
struct OccupationEdits {
  Decided<std::optional<std::string>> mark, antenna, measured_to, setup;
  Decided<std::optional<double>> measured, east, north, azimuth_deg, pressure, temperature, humidity;
  Decided<std::optional<bool>> slant, moving;
  Decided<std::optional<std::string>> base;  ///< mark that a moving receiver is solved from
  Decided<std::optional<std::string>> bases; ///< "all": from every base that logged beside it
};

/// What the surveyor said about a stop of a track.
struct StopEdits {
  Decided<std::optional<std::string>> mark, code;
  Decided<std::optional<double>> height; ///< of the antenna's reference point above the mark, m
};

/// A mark that is held or checked.
struct HoldDecision {
  Hold how = Hold::full;
  long decision = 0;
  /// Coordinates that came with the decision; absent: those of the control list.
  std::optional<Vec3> xyz, geodetic_deg, grid;
  std::optional<double> height, sd_height; ///< physical, m
  std::optional<Vec3> sd_enu, velocity;    ///< also without coordinates: then in place of those of the control list
  std::string frame, epoch;
};

/// How levels are judged, weighted and corrected.
struct LevelSettings {
  double limit_mm_km = 4, limit_mm_setup = 0;
  double sd_mm_km = 1, sd_mm_setup = 0; ///< single run
  Distribution distribution = Distribution::distance;
  double collimation_mm_m = 0;
  bool curvature = false;
  double refraction = 0.13;
  double staff_ppm = 0;
  double staff_expansion = 0, staff_temperature = 20; ///< ppm/K; °C while measuring, 20 by its certificate
  bool height_correction = true;                      ///< of the type of height system, where latitudes are known
  HeightType height_type = HeightType::normal_orthometric;
  std::string order = "own"; ///< of a published standard; then its limits count
  double section_mm_km = 3;  ///< between fore and back of a section
  LevelLimits limits() const {
    const LevelOrder *o = level_order(order);
    return {o ? o->line : limit_mm_km, limit_mm_setup};
  }
  double section_limit() const {
    const LevelOrder *o = level_order(order);
    return o ? o->section : section_mm_km;
  }
};

/// How set-ups and traverses are reduced, judged and weighted.
struct TraverseSettings {
  InstrumentStandard standard; ///< of instruments without a card of their own
  double k = 0.13, k_sd = 0.15;
  double deflection_sd_s = 5;                       ///< of a plumb line from the geoid's grid, seconds
  double edm_scale_sd_ppm = 0, edm_constant_sd = 0; ///< 0: no unknown; m
  bool air_applied = true; ///< the instrument has put in the air as booked, where the book states no ppm
  bool grid = true;        ///< else on the ground, without scale and arc-to-chord
  AngleShare angles = AngleShare::equal;
  HeightShare heights = HeightShare::length;
  Balance balance = Balance::compass;
  double spread_direction_s = 0, spread_zenith_s = 0, spread_distance = 0; ///< 0: from the standard; m
  std::string order = "propagated";              ///< "own", or a class of a published standard
  double angle_limit_s = 10, ratio_limit = 5000; ///< own: k of k·√n, seconds; 1 : n
  double known_mark = 0;                         ///< 0: propagated; m
};

/// What was decided about a set-up.
struct SetupEdits {
  Decided<std::optional<std::string>> mark, instrument, onward; ///< onward: next mark of the route; empty: none
  Decided<std::optional<double>> instrument_height, pressure, temperature;
  Decided<std::optional<double>> east, north; ///< of the instrument from its mark, m
  struct Target {
    Decided<std::optional<std::string>> mark, kind;
    Decided<std::optional<double>> height, constant;
  };
  std::map<std::string, Target> targets; ///< by the name in the book
};
/// What was decided about a single pointing.
struct PointingEdits {
  Decided<std::optional<std::string>> mark;
  Decided<std::optional<double>> height, constant;
};
/// What was decided about a traverse, by the set-up that it starts from.
struct RouteEdits {
  Decided<std::optional<std::string>> name, balance, angles, heights;
  Decided<std::optional<double>> start_east, start_north, start_bearing_deg, start_height;
  Decided<std::optional<std::string>> start_toward; ///< a mark whose published place turns it, without being held
  Decided<std::optional<double>> start_bearing_sd_s;
};

/// How points of a code are drawn on the plan.
struct CodeStyle {
  std::string symbol = "dot"; ///< one of `code_symbols()`
  bool label = true, height = false;
  bool line = false; ///< joined in the order of the field
  long decision = 0;
};
/// "dot", "circle", "square", "triangle", "cross", "diamond", "none".
const std::vector<std::string> &code_symbols();

/// What is known of one level or total station: by its certificate, and by tests in the field.
struct InstrumentCard {
  Decided<std::optional<double>> sd_mm_km, sd_mm_setup;  ///< of a single run
  Decided<std::optional<std::string>> until;             ///< last day of the certificate, "2026-12-31"
  std::map<std::string, Decided<double>> lines_of_sight; ///< day of the test → slope, mm/m
  std::map<std::string, Decided<double>> station;        ///< of a total station: entry of `station_card` → value
  /// The slope that counts on a day: of the last test up to it, of the first one when all came later; without a day
  /// that of the last test. Null when there was none.
  const std::pair<const std::string, Decided<double>> *line_of_sight(const std::string &day) const;
};

/// What was decided about a levelled run.
struct RunEdits {
  Decided<std::optional<bool>> reverse;
  Decided<std::optional<std::string>> name;
  std::map<std::string, Decided<std::string>> rename; ///< mark in the book → mark meant
  std::map<std::string, long> computed;               ///< known marks that are computed all the same
  std::map<std::string, long> split;                  ///< marks at which the run is cut
  Decided<std::optional<std::string>> follows;        ///< the run (part) after which this one is chained
  Decided<std::optional<double>> sd_mm_km, sd_mm_setup, staff_ppm, staff_temperature, collimation_mm_m;
};

/// What was decided about a system that marks common with a list lead to (datum/fit/frame_fit.h).
struct FitEdits {
  /// Source with the coordinates in that system, or with a fit of before; neither it nor a mark: no fit.
  Decided<std::optional<std::string>> list;
  Decided<std::optional<std::string>> plan, height; ///< names of `plan_fits` and `height_fits`
  Decided<std::optional<double>> scale;             ///< where it is not to be found
  Decided<std::optional<double>> rotation_deg;      ///< where it is not to be found, as that of a rigid plan counts
  Decided<std::optional<double>> sd, sd_height;     ///< of coordinates that the list states none of, m
  /// A grid of one's own in place of a list: what a mark has in it, and the bearing to another, degrees.
  Decided<std::optional<std::string>> mark, toward;
  Decided<std::optional<double>> at_east, at_north, at_height, bearing_deg;
  struct Pair {
    Decided<std::optional<std::string>> use;  ///< name of `pair_uses`, or "none"
    Decided<std::optional<std::string>> with; ///< name in the list
  };
  std::map<std::string, Pair> pairs; ///< by the mark of the job
  bool there() const { return list.value || mark.value; }
};

/// Another system that marks are issued in beside the job's own.
struct AlsoEdits {
  Decided<std::optional<std::string>> crs;     ///< code of a projected system; none: not issued in it
  Decided<std::optional<std::string>> through; ///< source with a grid of shifts, to an older datum
};

/// Observations that share a factor of accuracy or a frame (results/weight_groups.h: what belongs to which).
struct GroupEdits {
  Decided<std::optional<double>> factor;       ///< on their standard deviations
  Decided<std::optional<double>> rotation_ppm; ///< its vectors may be turned as a whole: standard deviation
  Decided<std::optional<double>> scale_ppm;    ///< the same for their scale
};

/// Something that is to be measured, or a mark that is to be built: "mark K7", "session 1", "line S1", "station T4".
struct PlanEdits {
  template <class T> using Slot = Decided<std::optional<T>>;
  Slot<bool> planned;                            ///< false: no longer
  Slot<double> east, north, height;              ///< of a mark, in the job's grid and height system, m
  Slot<double> lat, lon;                         ///< in their place, degrees
  Slot<std::string> marks, start;                ///< of a session: names; first epoch in GPS time
  Slot<double> minutes, mask;                    ///< of a session; degrees
  Slot<std::string> from, to;                    ///< of a levelled line
  Slot<double> km, sd_km;                        ///< its length; mean of fore and back over a kilometre, m
  Slot<std::string> targets;                     ///< of a station: names
  Slot<double> direction, zenith, distance, ppm; ///< deviations of a set, radians and m
  Slot<double> azimuth, azimuth_constant;        ///< of an azimuth to the first target; what all of them share; radians
};

/// What is known of a mark on the ground, and whether it is issued.
struct MarkNotes {
  Decided<std::optional<std::string>> monument, access, remark;
  Decided<std::optional<bool>> issued; ///< false: it stays out of issues
};

/// An occupation as the crew wrote it down, perhaps before its file came.
struct FieldEntry {
  Decided<std::optional<std::string>> mark, antenna, point, remark;
  Decided<std::optional<std::string>> start, stop; ///< GPS time, ISO
  Decided<std::optional<double>> height;           ///< as read, m
};

/// What is taken for the accuracy of an observation where nobody states one: a part of its own and one by length.
struct DefaultWeight {
  double plan = 0, plan_ppm = 0, up = 0, up_ppm = 0; ///< m, ppm
};

/// Limits that raise doubts, and settings of the computations. Names as `ample set JOB limit NAME=VALUE` writes them.
struct JobSettings {
  std::string title = "untitled job";
  DatumSettings datum;
  double mask_deg = 7, interval_s = 30, ratio_limit = 3, rms_limit_m = 0.012, min_overlap_min = 20;
  std::string orbits = "broadcast";
  std::string systems = std::string(solved_systems);
  double frequencies = band_count, correlation_s = 300, ionosphere_ppm = 1.5;
  std::string known_ionosphere = "maps"; ///< "maps", "broadcast" or "none"
  bool together = true;                  ///< all receivers of a session in one solution
  bool all_pairs = false;                ///< also between receivers of crowded sessions that others tie already
  double loop_mm = 10, loop_ppm = 1;
  double centring_sd_m = 0.001, height_sd_m = 0.001;
  double calibration_sd_m = 0.001; ///< of an antenna type's mean, in height; half of it in plan
  /// Of fixes of real time, and of vectors that others solved (common practice).
  DefaultWeight fix_weight{0.010, 1, 0.020, 1.5}, vector_weight{0.005, 1, 0.010, 1.5};
  double worst_transformation_m = 0.02;
  AskedAccuracy asked; ///< of every mark that no group says otherwise of
  TimeStyle times;
  LevelSettings levels;
  TraverseSettings traverse;
  DatumMode mode = DatumMode::held;
  IssueChoice issue;
};

/// The job as the decisions say: a fold over the log.
struct JobState {
  JobSettings settings;
  std::map<std::string, long> setting_decisions; ///< setting name → decision
  std::map<std::string, OccupationEdits> occupations;
  std::map<std::string, StopEdits> stops;
  std::map<std::string, RunEdits> runs;
  std::map<std::string, SetupEdits> setups;
  std::map<std::string, PointingEdits> pointings;
  std::map<std::string, RouteEdits> routes;                ///< by the set-up that a traverse starts from
  std::map<std::string, FitEdits> fits;                    ///< by the name of the system
  std::map<std::string, AlsoEdits> also;                   ///< by the name of the system
  std::map<std::string, GroupEdits> groups;                ///< by name: "kind=vectors"
  std::map<std::string, PlanEdits> plan;                   ///< by what it is: "session 1"
  std::map<std::string, MarkNotes> notes;                  ///< by mark
  std::map<std::string, FieldEntry> field_sheet;           ///< by the entry's name
  std::map<std::string, Decided<std::string>> attachments; ///< source → mark or occupation that it belongs to
  std::vector<SecondCheck> second_checks;                  ///< in their order
  std::map<std::string, CodeStyle> styles;                 ///< by code; "WALL*" for all that begin so
  std::map<std::string, Decided<double>> staffs;           ///< staff → scale of its graduation, ppm
  std::map<std::string, InstrumentCard> instruments;       ///< by serial number, as the books write it
  std::map<std::string, AskedOfGroup> asked;               ///< group of marks → accuracy asked for
  std::map<std::string, Decided<double>> gravity;          ///< mark → measured, m/s²
  std::map<std::string, Decided<std::string>> same_marks;  ///< name → name of the mark it stands for
  std::map<std::string, Decided<std::string>> sight_marks; ///< sight → mark meant
  std::map<std::string, Decided<std::string>> recipes;     ///< source → recipe
  std::map<std::string, Decided<ListReading>> lists;       ///< source → what was said of all of its marks
  Decided<std::string> geoid; ///< source whose grid gives physical heights; empty: the register's
  std::map<std::string, Decided<double>> added_seconds; ///< list of stops → what makes its times GPS time, s
  std::map<std::string, Decided<bool>>
      bases_published;                              ///< source of fixes → that bases stood on their published places
  std::map<std::string, Decided<bool>> differences; ///< solution → that its differences are observations
  std::map<std::string, Decided<double>> observed;  ///< record → decimal year that its marks were measured at
  Decided<std::string> geoid_accuracy;              ///< source whose grid says how good the surface is; empty: none
  Decided<std::string> shifts; ///< source through which the older datum of the job's grid is reached; empty: none
  std::map<std::string, Decided<GridInterpolation>> interpolations; ///< source → how its grid is read
  std::map<std::string, long> seen;                                 ///< sources whose unread pieces were looked at
  std::map<std::string, std::map<std::string, Decided<nlohmann::json>>> vector_settings; ///< vector → setting → value
  std::map<std::string, HoldDecision> holds;
  struct Reasoned {
    std::string reason;
    long decision = 0;
  };
  std::map<std::string, Reasoned> left_out; ///< item → why
  std::map<std::string, long> taken_up;     ///< item that was to be used although its file or default leaves it out
  std::map<std::string, Reasoned> accepted; ///< doubt → why
  struct Aim {
    Thing thing;
    std::vector<long> decisions;
  };
  std::map<std::string, Aim> aims;        ///< by id: what of the sources decisions that stand are about
  std::map<long, std::string> unreadable; ///< decisions that could not be read, and why: they do not count
  /// Whether a source gives the coordinates of a fit's system: then it says nothing in the job's own.
  bool of_a_fit(const std::string &source) const;
  /// How a code is drawn: its own style, else that of the longest beginning, else the default.
  CodeStyle style_of(const std::string &code) const;
  /// The group of `asked` whose values count for a mark: its own name, else the longest beginning; null: none.
  const std::pair<const std::string, AskedOfGroup> *asked_group(const std::string &mark) const;
  /// The accuracy asked of a mark: that of its group, over the job's.
  AskedAccuracy asked_of(const std::string &mark) const;
  /// The mark that a name stands for.
  std::string mark_name(std::string name) const;
};

/// Entries of a total station's card: name, label, unit, sentence.
struct CardEntry {
  const char *name, *label, *unit, *sentence;
  double least, most;
};
const std::vector<CardEntry> &station_card();
/// Accuracies and constants of an instrument: its card over the job's defaults.
InstrumentStandard instrument_standard(const JobState &s, const std::string &instrument);

/// For each decision, whether it stands: withdrawals undo what they name, and can be withdrawn themselves.
std::vector<bool> standing(const std::vector<Decision> &log);
/// Never throws: a decision that cannot be read is left out and named in `unreadable`.
JobState fold(const std::vector<Decision> &log);

/// The decision that undo would withdraw, and the withdrawal that redo would withdraw; 0 when there is none.
long undo_target(const std::vector<Decision> &log);
long redo_target(const std::vector<Decision> &log);

} // namespace ampletie
