#include "base/text.h"
#include "formats/recipe.h"
#include <algorithm>

// What the fields of each kind of text file can be. One table a kind.

namespace ampletie {
namespace {
const std::vector<RecipeMeaning> &control_meanings() {
  using T = RecipeMeaning::Type;
  static const std::vector<RecipeMeaning> control{
      {T::text, "mark", "name of the mark"},
      {T::length, "east", "east in the grid"},
      {T::length, "north", "north in the grid"},
      {T::length, "physical_height", "height above the surface of the vertical system"},
      {T::angle, "latitude", "latitude; a letter N or S in it counts"},
      {T::angle, "longitude", "longitude; a letter E or W in it counts"},
      {T::coded, "latitude_side", "hemisphere, in a column of its own", "north|south"},
      {T::coded, "longitude_side", "hemisphere, in a column of its own", "east|west"},
      {T::length, "ellipsoidal_height", "height above the ellipsoid"},
      {T::length, "x", "geocentric X"},
      {T::length, "y", "geocentric Y"},
      {T::length, "z", "geocentric Z"},
      {T::length, "sd_plan", "standard deviation of east and of north"},
      {T::length, "sd_east", "standard deviation of east"},
      {T::length, "sd_north", "standard deviation of north"},
      {T::length, "sd_up", "standard deviation of the ellipsoidal height"},
      {T::length, "sd_height", "standard deviation of the physical height"},
      {T::length, "velocity_x", "velocity along X, a year"},
      {T::length, "velocity_y", "velocity along Y, a year"},
      {T::length, "velocity_z", "velocity along Z, a year"},
      {T::number, "gravity", "measured gravity, m/s² or mGal"},
      {T::text, "frame", "frame of the coordinates"},
      {T::text, "epoch", "epoch of the coordinates"},
      {T::text, "crs", "system of the coordinates, by its code"},
      {T::text, "vertical", "system of the height, by its code"},
      {T::text, "code", "code of the mark"},
      {T::text, "description", "what the mark is"},
      {T::text, "ignore", "nothing that is needed"}};
  return control;
}
} // namespace

namespace {
/// Named as the heads of such lists (formats/vector_list.cpp understands both).
const std::vector<RecipeMeaning> &vector_meanings() {
  using T = RecipeMeaning::Type;
  static const std::vector<RecipeMeaning> vectors{
      {T::text, "from", "the mark that the vector begins at"},
      {T::text, "to", "the mark that it leads to, or that was fixed"},
      {T::text, "base", "of a fix: the mark that its base stood on"},
      {T::length, "dx", "geocentric component along X"},
      {T::length, "dy", "geocentric component along Y"},
      {T::length, "dz", "geocentric component along Z"},
      {T::length, "delta_east", "component to the east, at the first mark"},
      {T::length, "delta_north", "component to the north, at the first mark"},
      {T::length, "delta_up", "component upward, at the first mark"},
      {T::length, "x", "of a fix: geocentric X"},
      {T::length, "y", "of a fix: geocentric Y"},
      {T::length, "z", "of a fix: geocentric Z"},
      {T::angle, "latitude", "of a fix: latitude"},
      {T::angle, "longitude", "of a fix: longitude"},
      {T::length, "ellipsoidal_height", "of a fix: height above the ellipsoid"},
      {T::length, "east", "of a fix: east in the job's grid"},
      {T::length, "north", "of a fix: north in the job's grid"},
      {T::length, "physical_height", "of a fix: height above the surface of the vertical system"},
      {T::length, "base_x", "geocentric X that the base was taken to stand at"},
      {T::length, "base_y", "its geocentric Y"},
      {T::length, "base_z", "its geocentric Z"},
      {T::angle, "base_latitude", "latitude that the base was taken to stand at"},
      {T::angle, "base_longitude", "its longitude"},
      {T::length, "base_ellipsoidal_height", "its height above the ellipsoid"},
      {T::length, "base_east", "east that the base was taken to stand at"},
      {T::length, "base_north", "its north"},
      {T::length, "base_height", "its physical height"},
      {T::length, "sd_x", "standard deviation along X"},
      {T::length, "sd_y", "standard deviation along Y"},
      {T::length, "sd_z", "standard deviation along Z"},
      {T::length, "sd_plan", "standard deviation of east and of north"},
      {T::length, "sd_east", "standard deviation of east"},
      {T::length, "sd_north", "standard deviation of north"},
      {T::length, "sd_up", "standard deviation upward"},
      {T::number, "cov_xx", "variance along X, m²"},
      {T::number, "cov_xy", "covariance of X and Y, m²"},
      {T::number, "cov_xz", "covariance of X and Z, m²"},
      {T::number, "cov_yy", "variance along Y, m²"},
      {T::number, "cov_yz", "covariance of Y and Z, m²"},
      {T::number, "cov_zz", "variance along Z, m²"},
      {T::number, "cov_ee", "variance to the east, m²"},
      {T::number, "cov_en", "covariance of east and north, m²"},
      {T::number, "cov_eu", "covariance of east and up, m²"},
      {T::number, "cov_nn", "variance to the north, m²"},
      {T::number, "cov_nu", "covariance of north and up, m²"},
      {T::number, "cov_uu", "variance upward, m²"},
      {T::coded, "status", "what the solution rests on", "fixed|float|code"},
      {T::coded, "check", "whether it is a deliberate check: compared, never used", "yes|no"},
      {T::text, "session", "vectors of one session share its name"},
      {T::text, "time", "when it was measured, year first"},
      {T::number, "epochs", "number of epochs"},
      {T::number, "satellites", "number of satellites"},
      {T::number, "duration", "how long it was measured, seconds"},
      {T::text, "frame", "frame of the vector"},
      {T::text, "epoch", "epoch of the vector"},
      {T::text, "code", "code of the mark"},
      {T::text, "description", "what the mark is"},
      {T::text, "ignore", "nothing that is needed"}};
  return vectors;
}

/// Named as the heads of such lists (formats/stop_list.cpp understands both).
const std::vector<RecipeMeaning> &stop_meanings() {
  using T = RecipeMeaning::Type;
  static const std::vector<RecipeMeaning> stops{
      {T::text, "name", "the mark or name of the stop"},
      {T::text, "start", "when the receiver stood, with or without its day"},
      {T::text, "end", "when it went on"},
      {T::text, "start_utc", "the start, in UTC"},
      {T::text, "end_utc", "the end, in UTC"},
      {T::number, "seconds", "how long it stood, seconds"},
      {T::text, "day", "the day of the stop"},
      {T::text, "code", "code of the point"},
      {T::length, "height", "height of the antenna above the mark"},
      {T::text, "height_to", "the point of the antenna that it was measured to"},
      {T::angle, "tilt", "how far the pole leaned from the plumb line"},
      {T::angle, "lean", "where it leaned: the azimuth from its tip to the antenna"},
      {T::text, "ignore", "nothing that is needed"}};
  return stops;
}
} // namespace

const std::vector<RecipeMeaning> &recipe_meanings(std::string_view reads) {
  using T = RecipeMeaning::Type;
  static const std::vector<RecipeMeaning> levels{
      {T::text, "mark", "the mark or turning point that the staff stood on"},
      {T::length, "reading", "a staff reading whose kind another column tells"},
      {T::coded, "kind", "what kind of sight it is", "back|fore|intermediate|benchmark"},
      {T::length, "back", "the reading of a back sight"},
      {T::length, "fore", "the reading of a fore sight"},
      {T::length, "intermediate", "the reading of an intermediate sight"},
      {T::length, "height", "a height that the file claims"},
      {T::length, "distance", "horizontal distance from the instrument to the staff"},
      {T::coded, "used", "whether the crew wanted it used", "yes|no"},
      {T::text, "staff", "which staff"},
      {T::text, "time", "when it was read"},
      {T::text, "date", "the day of the run, year first"},
      {T::text, "remark", "a remark of the crew"},
      {T::text, "run", "name of the run"},
      {T::text, "instrument", "which level"},
      {T::length, "sd_km", "standard error of one kilometre"},
      {T::length, "sd_setup", "standard error of one set-up"},
      {T::text, "ignore", "nothing that is needed"}};
  static const std::vector<RecipeMeaning> pointings{
      {T::text, "job", "name of the work"},
      {T::text, "instrument", "which total station"},
      {T::text, "date", "the day, year first"},
      {T::text, "station", "the mark that the instrument stands on; begins a set-up"},
      {T::length, "instrument_height", "height of the instrument above the mark"},
      {T::number, "pressure", "air pressure, hPa"},
      {T::number, "temperature", "air temperature, °C"},
      {T::number, "ppm", "atmospheric correction that the instrument has put in"},
      {T::text, "target", "the mark that was sighted"},
      {T::length, "target_height", "height of the target above its mark"},
      {T::length, "prism_constant", "constant of the prism, added to distances"},
      {T::coded, "kind", "what the pointing is for", "orientation|control|detail"},
      {T::coded, "face", "position of the telescope", "1|2"},
      {T::number, "set", "number of the set"},
      {T::angle, "circle", "reading of the horizontal circle"},
      {T::angle, "zenith", "zenith angle"},
      {T::length, "slope", "slope distance"},
      {T::angle, "tilt_along", "lean of the vertical axis toward the target, not yet taken off"},
      {T::angle, "tilt_across", "lean of the vertical axis to the right of the sight, not yet taken off"},
      {T::text, "code", "code of the point"},
      {T::text, "remark", "a remark of the crew"},
      {T::text, "time", "when it was read"},
      {T::coded, "used", "whether the crew wanted it used", "yes|no"},
      {T::text, "from", "the mark that an angle is turned from"},
      {T::text, "at-from-to", "three marks in one: station, where the angle is turned from, target"},
      {T::text, "from-at-to", "three marks in one: where the angle is turned from, station, target"},
      {T::text, "at-to", "two marks in one: station and target"},
      {T::angle, "angle", "horizontal angle, reduced, from one mark to the target"},
      {T::coded, "turned", "to which side horizontal angles count", "right|left"},
      {T::angle, "azimuth", "astronomic azimuth of the sight, clockwise from north"},
      {T::angle, "grid_bearing", "bearing of the sight in the job's grid"},
      {T::length, "horizontal", "horizontal distance at the height of the instrument"},
      {T::length, "rise", "height of the target's mark above the station's"},
      {T::angle, "angle_sd", "standard error of the angle, direction or azimuth"},
      {T::angle, "zenith_sd", "standard error of the zenith angle"},
      {T::length, "distance_sd", "standard error of the distance"},
      {T::length, "rise_sd", "standard error of the height difference"},
      {T::text, "point", "a mark whose coordinates the field worked out: for comparison"},
      {T::length, "east", "east of such a mark"},
      {T::length, "north", "north of such a mark"},
      {T::length, "height", "height of such a mark"},
      {T::text, "route_from", "first mark of a traverse that the field computed: for comparison"},
      {T::text, "route_to", "its last mark"},
      {T::angle, "closure_angle", "what its angles missed by the field's computation"},
      {T::length, "closure_east", "what it missed in east"},
      {T::length, "closure_north", "what it missed in north"},
      {T::length, "closure_length", "what it missed in plan"},
      {T::length, "closure_height", "what it missed in height"},
      {T::text, "ignore", "nothing that is needed"}};
  static const std::vector<RecipeMeaning> none;
  return reads == "levels"      ? levels
         : reads == "pointings" ? pointings
         : reads == "control"   ? control_meanings()
         : reads == "vectors"   ? vector_meanings()
         : reads == "stops"     ? stop_meanings()
                                : none;
}

const RecipeMeaning *recipe_meaning(std::string_view reads, std::string_view name) {
  for (const RecipeMeaning &m : recipe_meanings(reads))
    if (m.name == name) return &m;
  return nullptr;
}

bool tells_something(std::string_view meaning) {
  static constexpr std::string_view telling[] = {"reading",
                                                 "back",
                                                 "fore",
                                                 "intermediate",
                                                 "circle",
                                                 "zenith",
                                                 "slope",
                                                 "angle",
                                                 "azimuth",
                                                 "grid_bearing",
                                                 "horizontal",
                                                 "rise",
                                                 "east",
                                                 "north",
                                                 "latitude",
                                                 "x",
                                                 "physical_height",
                                                 "closure_angle",
                                                 "closure_east",
                                                 "closure_north",
                                                 "closure_height",
                                                 "dx",
                                                 "delta_east",
                                                 "start",
                                                 "start_utc"};
  return std::find(std::begin(telling), std::end(telling), meaning) != std::end(telling);
}

} // namespace ampletie
