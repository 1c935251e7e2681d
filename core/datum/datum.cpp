#include "datum/datum.h"
#include "base/error.h"
#include <algorithm>
#include <fmt/format.h>
#include <map>

namespace ampletie {

std::optional<Frame> default_realisation(const Projection &p) {
  if (is_local(p.geographic())) return Frame{"local"};
  if (p.geographic().empty()) return {};
  if (p.datum() == "European Terrestrial Reference System 1989 ensemble") return frame_by_name("ETRF2000");
  return frame_by_name(p.geographic());
}

namespace {
constexpr const char *wgs84_family = "EPSG:6326";
const char *const itrf[] = {"ITRF2020", "ITRF2014", "ITRF2008", "ITRF2005", "ITRF2000"};

/// Whether a frame is the datum of a grid or one of its family. Realisations of WGS 84 are made to agree with the ITRF
/// and do so within centimetres (common practice): those of the ITRF count as of that family.
bool belongs(const Frame &frame, const DatumInfo &grid) {
  const DatumInfo own = datum_info(frame.code);
  if (own.code == grid.code || std::count(grid.members.begin(), grid.members.end(), own.code)) return true;
  return grid.code == wgs84_family &&
         std::any_of(std::begin(itrf), std::end(itrf), [&](const char *n) { return frame_name(frame) == n; });
}
} // namespace

std::optional<Eigen::Vector2d> between_grids(const std::string &from, const std::string &to, double east,
                                             double north) {
  thread_local const std::string context = register_version(); // outlives what is opened in it
  thread_local std::map<std::string, Projection> kept;
  const auto grid = [](const std::string &code) -> const Projection & {
    const auto it = kept.find(code);
    return it != kept.end() ? it->second : kept.emplace(code, Projection(code)).first->second;
  };
  if (is_local(from) || is_local(to)) return {};
  try {
    const Projection &a = grid(from), &b = grid(to);
    if (a.datum().empty() || a.datum() != b.datum()) return {};
    const Geodetic g = a.unproject(east, north, 0);
    a.check(g);
    const GridPoint q = b.project(g);
    b.check(g);
    return Eigen::Vector2d(q.east, q.north);
  } catch (const InputError &) {
    return {};
  }
}

std::vector<std::string> realisations(const Projection &p) {
  std::vector<std::string> out;
  if (is_local(p.geographic()) || p.geographic().empty()) return out;
  const DatumInfo grid = datum_info(p.geographic());
  if (grid.code == wgs84_family) return {std::begin(itrf), std::end(itrf)};
  for (const std::string &name : grid.member_names) {
    // "European Terrestrial Reference Frame 2014": files and people say ETRF2014.
    std::string brief;
    for (std::size_t i = 0; i < name.size(); ++i)
      if (i == 0 || name[i - 1] == ' ') {
        if (std::isdigit(static_cast<unsigned char>(name[i])))
          brief += name.substr(i, name.find(' ', i) - i);
        else
          brief += name[i];
      }
    if (frame_by_name(brief))
      out.push_back(brief);
    else if (frame_by_name(name))
      out.push_back(name);
  }
  return out;
}

Vec3 velocity_in(const FrameChange &change, const TaggedPoint &p, const Vec3 &velocity) {
  // What a year makes of a point that stands still, and the velocity itself turned.
  TaggedPoint later = p;
  later.epoch += 1;
  return change(later).xyz - change(p).xyz + change.linear_part(later.epoch, p.xyz) * velocity;
}

TaggedPoint move_epoch(const TaggedPoint &p, const Vec3 &velocity, double epoch) {
  return {p.xyz + velocity * (epoch - p.epoch), p.frame, epoch};
}

namespace {
std::string any_of_these(const Projection &p) {
  const auto all = realisations(p);
  return all.empty() ? "" : fmt::format(" ({})", fmt::join(all, ", "));
}

} // namespace

bool on_older_datum(const Projection &p) {
  if (is_local(p.geographic())) return false;
  const Ellipsoid &e = p.ellipsoid();
  if (std::abs(e.a - grs80.a) > 0.5 || std::abs(e.f - grs80.f) > 1e-8) return true;
  return !p.geographic().empty() && !default_realisation(p) && datum_info(p.geographic()).members.empty();
}

Frame frame_of(const DatumSettings &s, const Projection &p) {
  if (is_local(p.geographic())) return {"local"};
  // A grid of one's own that names no datum of the register rests on what the surveyor says.
  const bool unnamed = p.geographic().empty(), older = on_older_datum(p);
  if (older && s.realisation.empty())
    throw InputError(
        fmt::format("{} rests on {}, which satellites do not know: say which frame the job is computed in (setting "
                    "realisation, as ETRF2000); a grid of shifts in the job or the register then leads to it",
                    p.name(), p.datum()));
  if (unnamed && s.realisation.empty())
    throw InputError(p.name() + " names no datum of the register (\"" + p.datum() +
                     "\"): say which frame it rests on (setting realisation)");
  const DatumInfo grid = unnamed ? DatumInfo{} : datum_info(p.geographic());
  std::optional<Frame> f;
  if (!s.realisation.empty()) {
    f = frame_by_name(s.realisation);
    if (!f) throw InputError("\"" + s.realisation + "\" names no frame realisation that is known");
    if (!unnamed && !older && !belongs(*f, grid))
      throw InputError(
          fmt::format("{} rests on {}: {} is no realisation of it{}. Between two datums a transformation is "
                      "needed, not another name",
                      p.name(), grid.name, frame_name(*f), any_of_these(p)));
  } else
    f = default_realisation(p);
  if (!f)
    throw InputError(p.name() + " rests on " + p.datum() +
                     ", which is a family of frames: say which realisation is meant" + any_of_these(p));
  return *f;
}

namespace {
/// The job's grid with geodetic coordinates in its frame.
Projection grid_in_frame(const Projection &own, const DatumSettings &s, const Geodetic &near, const Frame &frame) {
  if (!on_older_datum(own)) return own;
  if (!s.shifts.source.empty()) {
    if (!s.shifts.problem.empty()) throw InputError(s.shifts.problem);
    return own.over(step_through(s.shifts.grid, s.shifts.file));
  }
  if (own.geographic().empty())
    throw InputError(own.name() + " rests on " + own.datum() +
                     ", which the register does not have: take a grid of shifts that leads from it (shifts=yes)");
  try {
    return own.over(step_by_register(frame, s.epoch, own.geographic(), near, {s.worst_older_datum_m, false}));
  } catch (const InputError &e) {
    std::string at_hand;
    try {
      const auto poor = step_by_register(frame, s.epoch, own.geographic(), near, {1e9, false});
      at_hand = fmt::format(", or allow the way that is at hand, stated to {:g} m (setting older_datum): what is held "
                            "and issued in the grid goes both ways through it",
                            poor->accuracy_m(near).value_or(0));
    } catch (const InputError &) {
      // there is none at all
    }
    throw InputError(fmt::format("{} rests on {}. {}. Take its grid of shifts (NTv2) and say shifts=yes of it{}",
                                 own.name(), own.datum(), e.reason(), at_hand));
  }
}
} // namespace

JobDatum::JobDatum(const DatumSettings &settings, const Geodetic &near)
    : settings_(settings), projection_(settings.crs, settings.origin), frame_(frame_of(settings, projection_)) {
  projection_ = grid_in_frame(projection_, settings, near, frame_);
  if (!local()) projection_.check(near);
  if (settings.vertical.empty() || local()) return;
  try {
    if (settings.geoid.source.empty() && !settings.geoid.problem.empty()) throw InputError(settings.geoid.problem);
    if (settings.geoid.source.empty())
      geoid_.emplace(settings.vertical, near);
    else
      geoid_.emplace(settings.vertical, settings.geoid);
    if (const GeoidChoice &g = settings.geoid; g.accuracy && settings.geoid_sd == 0)
      geoid_->state(*g.accuracy, g.accuracy_file, near, settings.geoid_correlation);
    if (settings.geoid_sd > 0) geoid_->state(settings.geoid_sd, settings.geoid_correlation);
  } catch (const InputError &e) {
    geoid_.reset();
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
  Geodetic g = projection_.unproject(east, north, height);
  if (!settings_.vertical.empty() && !geoid_ && !local())
    throw InputError("a physical height cannot be used: " + geoid_refusal_);
  g.h = height + (geoid_ ? geoid_->undulation(g) : 0);
  // The way to an older datum depends on the height above the ellipsoid.
  if (geoid_ && projection_.step()) g = projection_.unproject(east, north, g.h);
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
