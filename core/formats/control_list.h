#pragma once
#include "base/vector.h"
#include "formats/recipe.h"
#include "time/gps_time.h"
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

/// What a positioning service, or an agency's solution, says of the data behind a position.
struct PositionAnswer {
  std::string receiver, antenna, antenna_serial, solution; ///< solution: "fixed", "float"; empty: nothing is said
  std::string geoid, grid;                                 ///< of its other heights and coordinates: never used
  std::optional<double> antenna_height, physical_height;   ///< m, of the reference point above the marker
  Eigen::Vector2d eccentricity{0, 0};                      ///< east, north of the antenna from the marker, m
  std::optional<GpsTime> start, stop;                      ///< of the data
  std::optional<int> satellites;
};
/// The frame of coordinates that need one and whose file states none.
inline constexpr const char *frame_not_stated = "a frame that the file does not state";

/// One row of a control list, as written; what is absent is absent.
struct ControlRow {
  std::string mark, description, frame, epoch, code;
  std::string crs, vertical;                    ///< codes of the systems that the row itself names; empty: the job's
  std::string origin;                           ///< where the list says that it comes from: an issue record, a sheet
  std::optional<Vec3> xyz;                      ///< m
  std::optional<Vec3> geodetic;                 ///< latitude, longitude in degrees, ellipsoidal height in m
  std::optional<Vec3> grid;                     ///< east, north, physical height, m
  std::optional<Eigen::Vector2d> plan;          ///< east, north, m, where no height goes with them: a site's plan
  std::optional<Vec3> velocity;                 ///< X, Y, Z, m/yr
  std::optional<Vec3> sd_enu;                   ///< standard deviations east, north, up, m
  std::optional<Mat3> cov_enu;                  ///< their covariance, m², where the list gives it
  std::optional<double> height, sd_height;      ///< physical height, m, also where nothing else is known
  std::optional<double> gravity;                ///< measured at the mark, m/s²; lists may write mGal
  std::shared_ptr<const PositionAnswer> answer; ///< null: no service says it
  long line = 0;
};

/// What the errors of a record's marks have in common: east, north, up of each in its order, m²; held ones errorless.
struct JointCovariance {
  std::vector<std::string> marks;
  Eigen::MatrixXd enu;
};

struct ControlList {
  std::vector<ControlRow> rows;
  std::shared_ptr<const JointCovariance> joint; ///< null: the list has none
  std::optional<double> observed;               ///< of records: when their marks were measured, decimal year
  char delimiter = ',';
  std::vector<std::string> unread_columns;
  std::size_t passed_over = 0; ///< rows that are no published values: provisional ones, heights from zero
  double unit = 1;             ///< m: in which its lengths were read
  std::string said;            ///< what was said of it, or the recipe that read it: tells readings of one file apart
};

constexpr std::size_t most_listed = 100'000; ///< marks of one list
/// Adds a row; one that says the same once more is passed over. Throws `InputError` with line and reason for a mark
/// that stands twice with different values, and for too many.
class RowKeeper {
public:
  explicit RowKeeper(ControlList &list) : list_(list) {}
  void add(ControlRow r);

private:
  ControlList &list_;
  std::map<std::string, std::size_t> seen_;
};

/// Throws `InputError` with line and reason for a row without coordinates, or with such as no mark on Earth has.
void refuse_impossible(const ControlRow &r);

/// Reads a control list with a header line: columns in any order, comma, semicolon or tab; decimal commas with the
/// latter two; cells in quotes (RFC 4180); `#` starts a comment. The words that a header may have stand in
/// `control_list_words`; a unit may follow: `east_ft`, `Easting [m]`, `sd_e (us-ft)`. Angles in any writing of
/// `parse_angle_deg`; packed ones (46.17034) under `lat_packed` and `lon_packed`. A benchmark may have its height
/// alone, a mark of a plan its east and north. Impossible coordinates are refused with line and reason, so are marks
/// that stand twice with different values. Takes UTF-8.
ControlList read_control_list(std::string_view text);

/// How the heads of a list are understood, as a recipe that would read it without them. `name`: of the recipe.
Recipe recipe_of_heads(std::string_view text, const std::string &name);

/// What a header may say, as a sentence.
std::string control_list_words();

/// Whether the heads say where the marks are; else somebody has to say what the columns mean.
bool heads_suffice(std::string_view text);

/// True when the first line looks like the header of a control list.
bool looks_like_control_list(std::string_view text);

} // namespace ampletie
