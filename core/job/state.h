#pragma once
#include "datum/datum.h"
#include "gnss/static_vector.h"
#include "job/store.h"
#include "levelling/height_system.h"
#include "levelling/line.h"
#include "network/network.h"
#include "time/shown_time.h"
#include <map>

namespace ampletie {

/// A value together with the decision that set it (0: the default).
template <class T> struct Decided {
  T value{};
  long decision = 0;
};

/// What the surveyor said about an occupation; absent: as the file says.
struct OccupationEdits {
  Decided<std::optional<std::string>> mark, antenna, measured_to, set_up;
  Decided<std::optional<double>> measured, east, north, azimuth_deg, pressure, temperature, humidity;
  Decided<std::optional<bool>> slant;
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

/// What is known of one level: by its certificate, and by tests in the field.
struct InstrumentCard {
  Decided<std::optional<double>> sd_mm_km, sd_mm_setup;  ///< of a single run
  Decided<std::optional<std::string>> until;             ///< last day of the certificate, "2026-12-31"
  std::map<std::string, Decided<double>> lines_of_sight; ///< day of the test → slope, mm/m
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

/// Limits that raise doubts, and settings of the computations. Names as `ample set JOB limit NAME=VALUE` writes them.
struct JobSettings {
  std::string title = "untitled job";
  DatumSettings datum;
  double mask_deg = 7, interval_s = 30, ratio_limit = 3, rms_limit_m = 0.012, min_overlap_min = 20;
  std::string orbits = "broadcast";
  std::string systems = std::string(solved_systems);
  double frequencies = band_count, correlation_s = 300, ionosphere_ppm = 2;
  std::string known_ionosphere = "maps"; ///< "maps", "broadcast" or "none"
  bool together = true;                  ///< all receivers of a session in one solution
  double loop_mm = 10, loop_ppm = 1;
  double centring_sd_m = 0.001, height_sd_m = 0.001;
  double worst_transformation_m = 0.02;
  TimeStyle times;
  LevelSettings levels;
  DatumMode mode = DatumMode::held;
};

/// The job as the decisions say: a fold over the log.
struct JobState {
  JobSettings settings;
  std::map<std::string, long> setting_decisions; ///< setting name → decision
  std::map<std::string, OccupationEdits> occupations;
  std::map<std::string, RunEdits> runs;
  std::map<std::string, Decided<double>> staffs;           ///< staff → scale of its graduation, ppm
  std::map<std::string, InstrumentCard> instruments;       ///< by serial number, as the books write it
  std::map<std::string, Decided<double>> gravity;          ///< mark → measured, m/s²
  std::map<std::string, Decided<std::string>> same_marks;  ///< name → name of the mark it stands for
  std::map<std::string, Decided<std::string>> sight_marks; ///< sight → mark meant
  std::map<std::string, Decided<std::string>> recipes;     ///< source → recipe
  std::map<std::string, long> seen;                        ///< sources whose unread pieces were looked at
  std::map<std::string, std::map<std::string, Decided<nlohmann::json>>> vector_settings; ///< vector → setting → value
  std::map<std::string, HoldDecision> holds;
  struct Reasoned {
    std::string reason;
    long decision = 0;
  };
  std::map<std::string, Reasoned> left_out; ///< item → why
  std::map<std::string, long> taken_up;     ///< item that was to be used although its file or default leaves it out
  std::map<std::string, Reasoned> accepted; ///< doubt → why
  /// The mark that a name stands for.
  std::string mark_name(std::string name) const;
};

/// For each decision, whether it stands: withdrawals undo what they name, and can be withdrawn themselves.
std::vector<bool> standing(const std::vector<Decision> &log);
JobState fold(const std::vector<Decision> &log);

/// The decision that undo would withdraw, and the withdrawal that redo would withdraw; 0 when there is none.
long undo_target(const std::vector<Decision> &log);
long redo_target(const std::vector<Decision> &log);

/// Names, types and sentences of the settings, for the settings sheet and for `ample set`.
struct SettingInfo {
  const char *target, *name, *label, *unit, *sentence;
  enum class Kind { text, number, choice } kind;
  double least = 0, most = 0; ///< for numbers, in the unit shown
  const char *choices = "";   ///< separated by |
};
const std::vector<SettingInfo> &setting_catalogue();
/// Whether a setting can be given for one vector alone.
bool is_vector_setting(std::string_view name);
/// The job's settings with what was decided for one vector.
JobSettings settings_of_vector(const JobState &s, const std::string &vector);
/// Current value as text in the unit shown.
std::string setting_text(const JobSettings &s, const std::string &name);
/// Checks a text for a setting and gives the JSON value of the decision; throws `InputError` when it does not fit.
nlohmann::json setting_value(const std::string &name, const std::string &text);

} // namespace ampletie
