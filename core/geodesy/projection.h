#pragma once
#include "geodesy/datum_step.h"
#include "geodesy/ellipsoid.h"
#include <array>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

namespace ampletie {

struct GridPoint {
  double east = 0, north = 0;
  double scale = 1;           ///< point scale factor
  double convergence_rad = 0; ///< grid north east of true north is positive
};

/// A plane of a site's own, without relation to any system of the register: "local", or "local:47.1:9.3:450" with the
/// rough latitude and longitude (degrees) and the mean height (m) of the site, on which curvature and normal gravity
/// depend.
bool is_local(std::string_view code);
/// A grid of one's own, described in full in place of a code: WKT 2 or WKT 1 ("PROJCRS[…", "PROJCS[…") or text of PROJ
/// ("+proj=tmerc +lat_0=46 …").
bool is_described(std::string_view code);
/// Such a description on one line, blanks put together.
std::string on_one_line(std::string_view code);

/// The rough place that such a code states; 45° N, 0° E, 0 m when it states none.
Geodetic local_place(const std::string &code);

/// An axis of a grid as the register has it.
struct GridAxis {
  std::string name, abbreviation, direction, unit; ///< "Easting", "E", "east", "metre"
  double metres = 1;                               ///< of one unit
  int along = 0;                                   ///< 0: east and west, 1: north and south
  int sign = 1;                                    ///< −1: counts to the west or the south
};

/// A projected system of the register, or a local plane. Geodetic coordinates are those of its own datum, longitudes
/// from Greenwich. What is computed here is in metres, east and north, whatever axes and unit the system has; near a
/// pole, where "east" and "north" of the axes are meridians, the first and the second axis.
class Projection {
public:
  /// `origin`: of a local plane, the coordinates (east, north) in the middle of the site. There the plane touches the
  /// ground at the site's mean height: a transverse Mercator projection whose scale is one at that height, so that
  /// lengths are those on the ground (within d³/24R², 0.1 mm over 5 km).
  explicit Projection(const std::string &code, const Eigen::Vector2d &origin = {0, 0});
  /// The same grid with its geodetic coordinates in a frame on GRS 80, from which the step leads to the grid's own
  /// datum; scale factor and convergence are then those between the frame and the grid. Throws `InputError` where the
  /// step leads to another ellipsoid than the grid's.
  Projection over(std::shared_ptr<const DatumStep> step) const;
  const DatumStep *step() const; ///< null: none
  GridPoint project(const Geodetic &g) const;
  /// The axes in the order of the register.
  const std::array<GridAxis, 2> &axes() const;
  /// Metres east and north as the system's own figures, in the order of its axes, and back.
  Eigen::Vector2d native(double east, double north) const;
  Eigen::Vector2d from_native(const Eigen::Vector2d &figures) const;
  /// "Northing X to the north, Easting Y to the east, in metres".
  std::string axes_words() const;
  const Ellipsoid &ellipsoid() const;
  /// Throws where the way to the grid and back does not lead to the same place (0.1 mm): PROJ gives figures for some
  /// systems that it cannot invert or does not know.
  void check(const Geodetic &at) const;
  Geodetic unproject(double east, double north, double h) const;
  /// The area that the register gives for the system when a place lies outside it by more than half a degree; else
  /// empty.
  std::string outside(const Geodetic &g) const;
  /// The middle of the area of use; nothing where the register gives none.
  std::optional<Geodetic> middle() const;
  const std::string &name() const { return name_; }
  const std::string &datum() const { return datum_; } ///< "European Terrestrial Reference System 1989 ensemble"
  const std::string &geographic() const { return geographic_; } ///< code of the geographic base system

private:
  struct Handle;
  std::shared_ptr<Handle> handle_;
  std::string name_, datum_, geographic_;
};

} // namespace ampletie
