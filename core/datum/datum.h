#pragma once
#include "datum/ground_motion.h"
#include "geodesy/geoid_model.h"
#include "geodesy/projection.h"
#include "geodesy/register.h"

namespace ampletie {

/// The grid of shifts that leads to the datum of the job's grid, where the surveyor chose one.
struct ShiftChoice {
  std::shared_ptr<const ShiftGrid> grid;
  std::string source, file; ///< id and name of the source that it stands in; empty: none was chosen
  std::string problem;      ///< why what was chosen cannot be used
};

/// What a job is computed and issued in.
struct DatumSettings {
  std::string crs = "EPSG:25833";  ///< projected system, a local plane, or nothing: heights alone
  std::string vertical;            ///< vertical system, empty: ellipsoidal heights only
  std::string realisation;         ///< code of the frame that the system's datum stands for; empty: by the table below
  double epoch = 0;                ///< decimal year of the issued coordinates
  double geoid_sd = 0;             ///< stated by the surveyor, m; 0: what is known of the grid
  double geoid_correlation = 20e3; ///< over so many metres its error is alike, where it is stated
  GroundMotion motion{};           ///< where ground moves in the frame
  GeoidChoice geoid{};             ///< the grid of a source in place of the register's, not a setting
  Eigen::Vector2d origin{0, 0};    ///< of a local plane: the middle of the site, not a setting
  ShiftChoice shifts{};            ///< not a setting
  double worst_older_datum_m = 0.02; ///< the register's ways to an older datum are refused where they are worse
};

/// A position in everything a control sheet shows.
struct FullPosition {
  TaggedPoint ecef;
  Geodetic geodetic;
  GridPoint grid;
  std::optional<double> undulation, height; ///< m; physical height with the geoid's undulation
  double combined_factor = 1;               ///< grid distance over ground distance at the mark
};

/// The job's systems, opened and checked once. Not shared between threads (it holds PROJ objects).
class JobDatum {
public:
  /// `near` is any place of the job. Throws `InputError` for unknown systems, for families of frames and older datums
  /// without a realisation, for realisations that do not belong to the grid's datum, for older datums that neither a
  /// chosen grid of shifts nor the register leads to well enough, and for grids that cannot be inverted there.
  JobDatum(const DatumSettings &settings, const Geodetic &near);
  FullPosition describe(const TaggedPoint &p) const;
  TaggedPoint from_grid(double east, double north,
                        double height) const; ///< physical height where a vertical system is set
  TaggedPoint from_geodetic(double lat_rad, double lon_rad, double h) const;
  const Frame &frame() const { return frame_; }
  const std::string &crs() const { return settings_.crs; }
  double epoch() const { return settings_.epoch; }
  const GroundMotion &motion() const { return settings_.motion; }
  /// A plane of the site's own: heights are what levels and staffs say, no geoid stands between.
  bool local() const { return is_local(settings_.crs); }
  const Projection &projection() const { return projection_; }
  const GeoidModel *geoid() const { return geoid_ ? &*geoid_ : nullptr; }
  /// Deflection of the vertical that the geoid's grid gives, ξ and η in radians: its slope over two kilometres. Zero
  /// without a geoid and at the edge of its grid.
  Eigen::Vector2d deflection(const Geodetic &at) const;
  const std::string &geoid_refusal() const {
    return geoid_refusal_;
  } ///< why there is no geoid although one was asked for

private:
  DatumSettings settings_;
  Projection projection_;
  Frame frame_;
  std::optional<GeoidModel> geoid_;
  std::string geoid_refusal_;
};

/// The frame that a job's grid rests on; throws `InputError` as `JobDatum` does for settings that name none.
Frame frame_of(const DatumSettings &settings, const Projection &projection);

/// The frame that a projected system's datum stands for when nobody says: ETRS89 is realised as ETRF2000, the
/// realisation that EUREF recommends for national use (common practice, from memory). Nothing where there is no
/// default.
std::optional<Frame> default_realisation(const Projection &projection);

/// East and north of one grid in another that rests on the same datum (a neighbouring zone); nothing where they do not,
/// or where the way cannot be computed.
std::optional<Eigen::Vector2d> between_grids(const std::string &from, const std::string &to, double east, double north);

/// Whether a grid rests on a datum that satellites' frames lead to only by way of a transformation: on another
/// ellipsoid than GRS 80 or WGS 84, or without a geocentric system in the register.
bool on_older_datum(const Projection &projection);

/// Frames by which a family of frames may be realised, as messages name them; empty when the datum is none.
std::vector<std::string> realisations(const Projection &projection);

/// Moves a point along its velocity (m/yr, same frame) to another epoch.
TaggedPoint move_epoch(const TaggedPoint &p, const Vec3 &velocity, double epoch);
/// A velocity in another frame: what a second of time makes of the point there, less what it would do standing still.
Vec3 velocity_in(const FrameChange &change, const TaggedPoint &p, const Vec3 &velocity);

} // namespace ampletie
