#pragma once
#include "geodesy/atmosphere.h"
#include "job/content.h"
#include "job/state.h"
#include "results/found_motion.h"

namespace ampletie {

/// One receiver's data over one set-up, as the file says and the decisions correct.
struct Occupation {
  std::string id, source_id, source_name, mark, setup;
  /// Shares its set-up with the file before it, because nothing says that it is a new one; the seconds between them.
  std::optional<double> gap_before;
  GpsTime start, stop;
  double interval = 0;
  std::string receiver, antenna;
  double measured = 0;             ///< the crew's reading, m
  std::string measured_to = "arp"; ///< named point of the antenna
  bool slant = false;
  std::optional<double> antenna_height;        ///< ARP above the marker; absent when it cannot be computed
  std::string height_problem;                  ///< why not
  double east = 0, north = 0, azimuth_deg = 0; ///< of the antenna against the mark, m; of its north mark, degrees
  std::optional<Meteorology> weather;          ///< measured at the mark, where pressure was given
  const Antenna *calibration = nullptr;        ///< into the job's contents; null when unknown
  const AntennaPoint *point = nullptr;
  const OceanLoading *loading = nullptr; ///< coefficients of this mark, or of a place within 10 km; null: none
  bool moving = false;
  enum class MovingBy : std::uint8_t { nothing, file, data, decision } moving_by = MovingBy::nothing;
  std::vector<Moved> moved; ///< spans in which the data show that it did not stand
  std::string base;         ///< mark that a moving one is solved from, as decided
  std::string bases;        ///< "all": it is solved from every base that logged beside it
  std::size_t epochs = 0;
  std::string systems;
  std::shared_ptr<const ObservationSite> file;
  std::map<std::string, long> decided; ///< field → decision that set it
  bool used = true;
  std::string left_out_because;
};

/// "R11 05-12 08:00": its mark, or its file where no mark is named, and when it began.
std::string occupation_name(const Occupation &o);

/// "TESSEL T4       NONE" and "TESSEL T4" are the same antenna: no dome is a dome called NONE.
std::string antenna_key(const std::string &type);

/// A named point on an antenna, by the job's tables of dimensions; null: none says it.
const AntennaPoint *find_point(const Contents &contents, const std::string &type, const std::string &point);

/// A calibration of the job and the file that it stands in.
struct CalibrationChoice {
  const Antenna *antenna;
  const Source *source;
};
/// Those that fit an antenna, the one that is used first: its own by serial number before the mean of its type, of
/// equal ones the newest release; whatever order the files were taken in.
std::vector<CalibrationChoice> calibrations_of(const Contents &contents, const std::string &type,
                                               const std::string &serial);

/// All occupations, moving ones included, sorted by start, mark and id. The id is made of the source's hash and the
/// record key. One moves when that was decided, else when its data show it (`motions`), else when its file says so; the
/// other sites of a file that says so, and lies within minutes, are stops of the same track.
std::vector<Occupation> occupations(const Contents &contents, const JobState &state, const FoundMotions &motions = {});

/// The occupation's data with what was corrected: mark, antenna, its height to the reference point and offsets.
ObservationFile corrected_file(const Occupation &o);

/// Antenna types with a calibration that resemble an unknown one, most alike first.
std::vector<std::string> similar_antennas(const Contents &contents, const std::string &type);

/// Published coordinates of a mark: from a control list, or typed with a decision.
struct PublishedMark {
  std::string name, description, source_id, source_name, frame, epoch;
  long line = 0, decision = 0;
  std::optional<Vec3> xyz, geodetic_deg, grid, velocity, sd_enu;
  std::optional<Mat3> cov_enu;             ///< m², where the list gives it
  std::optional<double> height, sd_height; ///< physical, m
  std::optional<double> gravity;           ///< measured at the mark, m/s²
  std::string crs, vertical, origin, code; ///< as the list names them; empty: the job's, nothing
  std::string said;                        ///< tells one reading of the list from another
  /// Where the physical height stands when another list than that of the position gives it; of line 0, when a decision
  /// does.
  struct Line {
    std::string source_id, source_name;
    long line = 0;
  };
  std::optional<Line> height_from;
  /// Where other lists place it: should its own place not belong to the job, one of these is taken.
  std::vector<PublishedMark> elsewhere;
  bool has_position() const { return xyz || geodetic_deg || grid; }
  /// "control.csv line 7", or the decision that it was typed with.
  std::string where() const;
  std::string where_height() const;
  /// "REFA in ETRF2000 at 2010.0", or that it is a height.
  std::string what() const;
};
/// What one row of a control list says of its mark; a height of another vertical system is none of the job's.
PublishedMark published_mark(const SourceContent &list, const ControlRow &row, const JobState &state);
/// From the control lists, and where a hold or check came with coordinates, those. Lists complete each other: the
/// position of the first that has one, issued lists and records last, else in the order of their content hashes, with
/// its physical height, else that of the first that has one.
std::map<std::string, PublishedMark> published_marks(const Contents &contents, const JobState &state);

} // namespace ampletie
