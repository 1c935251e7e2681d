#include "results/traverse_grid.h"
#include "base/angle.h"
#include "base/error.h"
#include "geodesy/curvature.h"
#include "traverse/distance.h"
#include "traverse/plane.h"

namespace ampletie {

TraverseGrid::TraverseGrid(const TraverseSettings &set, const JobDatum *datum,
                           const std::map<std::string, Vec3> &places)
    : set_(set), datum_(datum), places_(places) {}

const GridPoint *TraverseGrid::point(const std::string &mark) const {
  if (!datum_) return nullptr;
  if (const auto it = projected_.find(mark); it != projected_.end()) return &it->second.first;
  const auto place = places_.find(mark);
  if (place == places_.end()) return nullptr;
  const Geodetic g = to_geodetic(place->second);
  return &projected_.emplace(mark, std::pair(datum_->projection().project(g), g)).first->second.first;
}

Eigen::Vector2d TraverseGrid::deflection(const std::string &mark) const {
  if (!datum_ || !datum_->geoid()) return {0, 0};
  if (const auto it = deflections_.find(mark); it != deflections_.end()) return it->second;
  const auto place = places_.find(mark);
  if (place == places_.end()) return {0, 0};
  return deflections_[mark] = datum_->deflection(to_geodetic(place->second));
}

double TraverseGrid::plumb_sd() const {
  // Without a grid nothing is known but how large deflections are (some 10″; common practice).
  return (datum_ && datum_->geoid() ? set_.deflection_sd_s : std::max(10.0, set_.deflection_sd_s)) * rad_per_arcsec;
}

double TraverseGrid::bearing_of(const ReducedSetup &r, const TargetSight &s) const {
  if (s.mean.grid_bearing) return s.mean.azimuth;
  // Laplace: the plumb line turns the meridian by η tan φ.
  double laplace = 0;
  if (const auto p = places_.find(r.setup.mark); p != places_.end())
    laplace = deflection(r.setup.mark).y() * std::tan(to_geodetic(p->second).lat);
  return s.mean.azimuth - laplace + reduce(r, s).correction;
}
double TraverseGrid::azimuth_of(const ReducedSetup &r, const TargetSight &s) const {
  return s.mean.grid_bearing ? s.mean.azimuth - reduce(r, s).turn : s.mean.azimuth;
}

std::optional<Vec3> TraverseGrid::place(const PlanePoint &grid, double h) const {
  if (!datum_) return std::nullopt;
  return to_cartesian(datum_->projection().unproject(grid.east, grid.north, h));
}

GridSight TraverseGrid::reduce(const ReducedSetup &r, const TargetSight &s, const Vec3 *target) const {
  GridSight out;
  const GridPoint *here = point(r.setup.mark), *there = target ? nullptr : point(s.mean.target);
  GridPoint own;
  if (target && datum_) own = datum_->projection().project(to_geodetic(*target)), there = &own;
  if (on_grid() && here && !there) out.correction = out.turn = -here->convergence_rad;
  const bool grid = on_grid() && here && there;
  double h = 0, radius = sphere_radius, scale = 1, tilt = 0; // tilt: of the plumb line along the sight
  if (const auto p = places_.find(r.setup.mark); p != places_.end()) {
    const Geodetic g = to_geodetic(p->second);
    h = g.h;
    const auto q = places_.find(s.mean.target);
    if (const Vec3 *end = target ? target : q == places_.end() ? nullptr : &q->second) {
      const Vec3 d = local_axes(g) * (*end - p->second);
      const double azimuth = std::atan2(d.x(), d.y());
      const Eigen::Vector2d plumb = deflection(r.setup.mark);
      tilt = plumb.x() * std::cos(azimuth) + plumb.y() * std::sin(azimuth);
      // Directions of steep sights turn with the plumb line (Torge & Müller 2012).
      if (std::isfinite(s.mean.zenith))
        out.correction = -(plumb.x() * std::sin(azimuth) - plumb.y() * std::cos(azimuth)) / std::tan(s.mean.zenith);
      radius = radius_along(g.lat, azimuth);
      if (grid) {
        // From the place of the target at its height: arc to chord, convergence and skew normals at once.
        const double t = bearing({here->east, here->north}, {there->east, there->north});
        const double turn = std::remainder(t - azimuth, 2 * pi);
        out.correction += turn, out.turn = turn;
        out.arc_to_chord = std::remainder(turn + here->convergence_rad, 2 * pi);
        const Geodetic a = to_geodetic(p->second), b = to_geodetic(*end);
        const double middle =
            datum_->projection().project({(a.lat + b.lat) / 2, (a.lon + b.lon) / 2, (a.h + b.h) / 2}).scale;
        scale = (here->scale + 4 * middle + there->scale) / 6; // Simpson along the line
      }
    }
  }
  // Centred to the mark: what the instrument's place turns and shortens.
  double longer = 0;
  if (r.setup.east != 0 || r.setup.north != 0)
    if (const auto p = places_.find(r.setup.mark), q = places_.find(s.mean.target);
        p != places_.end() && (target || q != places_.end())) {
      const Vec3 d = local_axes(to_geodetic(p->second)) * ((target ? *target : q->second) - p->second),
                 from = d - Vec3(r.setup.east, r.setup.north, 0);
      out.correction += std::remainder(std::atan2(d.x(), d.y()) - std::atan2(from.x(), from.y()), 2 * pi);
      longer = std::hypot(d.x(), d.y()) - std::hypot(from.x(), from.y());
    }
  if (!std::isfinite(s.slope)) return out;
  double axis; // target over instrument, m
  if (std::isfinite(s.rise))
    // Over the ellipsoid's horizon: the zenith angle counts from the plumb line.
    axis = s.rise - r.setup.instrument_height + s.mean.target_height - tilt * s.horizontal;
  else if (const auto p = places_.find(r.setup.mark), q = places_.find(s.mean.target);
           p != places_.end() && q != places_.end())
    axis = to_geodetic(q->second).h + s.mean.target_height - h - r.setup.instrument_height;
  else
    return out; // a slope distance without a zenith angle or heights
  try {
    const double h1 = h + r.setup.instrument_height;
    const ReducedDistance d = reduce_slope(s.slope, h1, h1 + axis, scale, radius);
    const double bend = set_.k_sd * d.arc / (2 * sphere_radius);
    out.length_sd = std::hypot(s.slope_sd, axis * std::hypot(s.mean.zenith_sd, plumb_sd(), bend));
    out.combined_factor = grid ? d.combined_factor : 1;
    out.length = grid ? d.grid : d.arc * (1 + (h1 + axis / 2) / radius);
    out.length += longer * out.combined_factor;
  } catch (const InputError &) {
  }
  return out;
}

} // namespace ampletie
