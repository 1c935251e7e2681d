#include "datum/datum.h"
#include "base/error.h"

namespace ampletie {

std::optional<Frame> default_realisation(const Projection &p) {
  if (is_local(p.geographic())) return Frame{"local"};
  if (p.datum().find("European Terrestrial Reference System 1989") != std::string::npos)
    return frame_by_name("ETRF2000");
  return frame_by_name(p.geographic());
}

TaggedPoint move_epoch(const TaggedPoint &p, const Vec3 &velocity, double epoch) {
  return {p.xyz + velocity * (epoch - p.epoch), p.frame, epoch};
}

namespace {
Frame choose(const DatumSettings &s, const Projection &p) {
  if (!s.realisation.empty()) {
    const auto f = frame_by_name(s.realisation);
    if (!f) throw InputError("\"" + s.realisation + "\" names no frame realisation that is known");
    return *f;
  }
  const auto f = default_realisation(p);
  if (!f)
    throw InputError(p.name() + " rests on " + p.datum() +
                     ", which is a family of frames: say which realisation is meant");
  return *f;
}
} // namespace

JobDatum::JobDatum(const DatumSettings &settings, const Geodetic &near)
    : settings_(settings), projection_(settings.crs, settings.origin), frame_(choose(settings, projection_)) {
  if (settings.vertical.empty() || local()) return;
  try {
    geoid_.emplace(settings.vertical, near);
  } catch (const InputError &e) {
    geoid_refusal_ = e.reason();
  }
}

FullPosition JobDatum::describe(const TaggedPoint &p) const {
  if (!(p.frame == frame_))
    throw InputError("a point in " + frame_name(p.frame) + " cannot be shown in the job's frame " + frame_name(frame_));
  FullPosition out;
  out.ecef = p;
  out.geodetic = to_geodetic(p.xyz);
  out.grid = projection_.project(out.geodetic);
  if (geoid_) {
    out.undulation = geoid_->undulation(out.geodetic);
    out.height = out.geodetic.h - *out.undulation;
  }
  if (local()) out.height = out.geodetic.h;
  // The elevation factor takes the ellipsoidal height and the mean radius of curvature.
  const double radius = std::sqrt(meridian_radius(out.geodetic.lat) * prime_vertical_radius(out.geodetic.lat));
  out.combined_factor = out.grid.scale * radius / (radius + out.geodetic.h);
  return out;
}

TaggedPoint JobDatum::from_geodetic(double lat, double lon, double h) const {
  return {to_cartesian({lat, lon, h}), frame_, settings_.epoch};
}

TaggedPoint JobDatum::from_grid(double east, double north, double height) const {
  Geodetic g = projection_.unproject(east, north, 0);
  if (!settings_.vertical.empty() && !geoid_ && !local())
    throw InputError("a physical height cannot be used: " + geoid_refusal_);
  g.h = height + (geoid_ ? geoid_->undulation(g) : 0);
  return {to_cartesian(g), frame_, settings_.epoch};
}

Eigen::Vector2d JobDatum::deflection(const Geodetic &at) const {
  if (!geoid_) return {0, 0};
  constexpr double step = 1000;
  const double north = step / meridian_radius(at.lat), east = step / (prime_vertical_radius(at.lat) * std::cos(at.lat));
  const auto n = [&](double dn, double de) { return geoid_->undulation({at.lat + dn, at.lon + de, at.h}); };
  try {
    return {-(n(north, 0) - n(-north, 0)) / (2 * step), -(n(0, east) - n(0, -east)) / (2 * step)};
  } catch (const InputError &) {
    return {0, 0};
  }
}

} // namespace ampletie
