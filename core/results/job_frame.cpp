#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/product_class.h"
#include "results/vectors.h"
#include "time/year_text.h"
#include <algorithm>
#include <fmt/format.h>
#include <tuple>

namespace ampletie {

NavigationFile broadcast_messages(const JobSnapshot &s) {
  NavigationFile all;
  for (const auto &c : s.contents())
    if (c.navigation) {
      all.ephemerides.insert(all.ephemerides.end(), c.navigation->ephemerides.begin(), c.navigation->ephemerides.end());
      all.glonass.insert(all.glonass.end(), c.navigation->glonass.begin(), c.navigation->glonass.end());
    }
  return all;
}

std::vector<const SourceContent *> ripest_first(const Contents &contents) {
  std::vector<const SourceContent *> out;
  for (const SourceContent &c : contents)
    if (c.sp3 || c.clock) out.push_back(&c);
  std::stable_sort(out.begin(), out.end(), [](const SourceContent *a, const SourceContent *b) {
    return std::tuple(product_class(a->source.name), a->source.name, a->source.id) >
           std::tuple(product_class(b->source.name), b->source.name, b->source.id);
  });
  return out;
}

std::unique_ptr<Orbits> job_orbits(const JobSnapshot &s) {
  if (s.state().settings.orbits == "precise") {
    std::vector<Sp3File> files;
    std::vector<ClockFile> clocks;
    for (const SourceContent *c : ripest_first(s.contents())) {
      if (c->sp3) files.push_back(*c->sp3);
      if (c->clock) clocks.push_back(*c->clock);
    }
    if (files.empty()) throw InputError("precise orbits are asked for, but the job holds no SP3 file");
    return std::make_unique<PreciseOrbits>(files, clocks);
  }
  NavigationFile all = broadcast_messages(s);
  if (all.size() == 0) throw InputError("the job holds no broadcast orbits: take a navigation file");
  return std::make_unique<BroadcastOrbits>(std::move(all));
}

Vec3 job_place(const JobSnapshot &s, const JobDatum &datum) {
  for (const auto *all : {&s.anchors(), &s.published()})
    for (const auto &[name, p] : *all) return published_in_job(p, datum, operation_policy(s.state().settings)).xyz;
  for (const Occupation &o : s.occupations())
    if (o.file->approximate.norm() > 6e6) return o.file->approximate;
  throw InputError("nothing says yet where the job is: take observations or a control list");
}

std::unique_ptr<IonospherePrior> job_ionosphere(const JobSnapshot &s) {
  if (s.state().settings.known_ionosphere == "maps") {
    std::vector<IonexFile> files;
    for (const auto &c : s.contents())
      if (c.ionosphere) files.push_back(*c.ionosphere);
    if (!files.empty()) return std::make_unique<IonexPrior>(std::move(files));
  }
  if (s.state().settings.known_ionosphere == "broadcast")
    for (const auto &c : s.contents())
      if (c.navigation && c.navigation->klobuchar.size() >= 8)
        return std::make_unique<BroadcastIonosphere>(c.navigation->klobuchar);
  return nullptr;
}

namespace {
/// Opening a datum reads registers and grids; the last one of each thread is kept, since decisions seldom change it.
JobDatum opened(const DatumSettings &d, const Geodetic &near) {
  struct Kept {
    std::string key;
    std::optional<JobDatum> datum;
  };
  // The thread's PROJ context must outlive what was opened in it.
  thread_local const std::string context = register_version();
  thread_local Kept kept;
  const std::string key = fmt::format(
      "{}|{}|{}|{:.6f}|{:.2f}|{:.2f}|{:.0f}|{:.0f}|{:g}|{:g}|{}|{:g}|{}|{}|{}|{}|{}|{:g}|{}", d.crs, d.vertical,
      d.realisation, d.epoch, degrees(near.lat), degrees(near.lon), d.origin.x(), d.origin.y(), d.geoid_sd,
      d.geoid_correlation, d.motion.plate, d.motion.sd_m_yr, d.geoid.source, interpolation_name(d.geoid.interpolation),
      d.geoid.problem, d.shifts.source, d.shifts.problem, d.worst_older_datum_m, d.geoid.accuracy_source);
  if (!kept.datum || kept.key != key) {
    kept.datum.emplace(d, near);
    kept.key = key;
  }
  return *kept.datum;
}
} // namespace

GeoidChoice chosen_geoid(const Contents &contents, const JobState &state) {
  GeoidChoice out;
  out.accuracy_source = state.geoid_accuracy.value;
  if (!out.accuracy_source.empty()) {
    for (const SourceContent &c : contents)
      if (c.source.id == out.accuracy_source) out.accuracy_file = c.source.name, out.accuracy = c.geoid;
    if (!out.accuracy) out.problem = "the grid that says how good the geoid is, is not in the job, or is left out";
    if (out.accuracy_source == state.geoid.value)
      out.problem = out.accuracy_file + " cannot be the geoid and its accuracy at once";
  }
  out.source = state.geoid.value;
  if (out.source.empty()) return out;
  if (const auto how = state.interpolations.find(out.source); how != state.interpolations.end())
    out.interpolation = how->second.value;
  for (const SourceContent &c : contents)
    if (c.source.id == out.source) {
      out.file = c.source.name, out.grid = c.geoid;
      if (!c.geoid)
        out.problem =
            c.source.name + (c.source.kind == "geoid" ? ", through which heights were to go, is left out"
                                                      : ", through which heights were to go, holds no grid of a geoid");
      return out;
    }
  out.problem = "the job no longer holds the grid through which heights were to go";
  return out;
}

ShiftChoice chosen_shifts(const Contents &contents, const JobState &state) {
  ShiftChoice out;
  out.source = state.shifts.value;
  if (out.source.empty()) return out;
  for (const SourceContent &c : contents)
    if (c.source.id == out.source) {
      out.file = c.source.name, out.grid = c.shift;
      if (!c.shift)
        out.problem = c.source.name + (c.source.kind == "shift"
                                           ? ", through which the grid's datum was to be reached, is left out"
                                           : ", through which the grid's datum was to be reached, holds no shifts");
      return out;
    }
  out.problem = "the job no longer holds the grid through which its datum was to be reached";
  return out;
}

JobDatum datum_at(DatumSettings settings, const std::optional<Vec3> &centre, const Eigen::Vector2d &grid_origin,
                  const GeoidChoice &geoid, const ShiftChoice &shifts) {
  if (settings.crs.empty()) throw InputError("the job has no grid: it is one of heights alone");
  settings.origin = grid_origin, settings.geoid = geoid, settings.shifts = shifts;
  if (is_local(settings.crs)) return opened(settings, local_place(settings.crs));
  if (centre) return opened(settings, to_geodetic(*centre));
  throw InputError("nothing says yet where the job is: take observations or a control list");
}

JobDatum job_datum(const JobSnapshot &s) {
  return datum_at(s.state().settings.datum, s.centre(), s.grid_origin(), s.geoid_choice(), s.shift_choice());
}

OperationPolicy operation_policy(const JobSettings &settings) {
  OperationPolicy out{settings.worst_transformation_m, false};
  try {
    out.plate_rotation = plate_rotation(settings.datum.motion.plate);
  } catch (const InputError &) {
    // a plate that is none is refused where it is set
  }
  return out;
}

const FrameChange &frame_change(const Frame &from, const Frame &to, const Vec3 &xyz, const OperationPolicy &policy) {
  // The thread's PROJ context must outlive what was opened in it.
  thread_local const std::string context = register_version();
  thread_local std::map<std::string, FrameChange> kept;
  const Geodetic g = to_geodetic(xyz);
  const std::string key = fmt::format("{}|{}|{:.1f}|{:.1f}|{:g}|{}|{:.9g}", from.code, to.code, degrees(g.lat),
                                      degrees(g.lon), policy.worst_accuracy_m, policy.accept_unknown,
                                      policy.plate_rotation ? policy.plate_rotation->x() : 0);
  if (const auto it = kept.find(key); it != kept.end()) return it->second;
  if (kept.size() > 500) kept.clear();
  return kept.emplace(key, FrameChange(from, to, xyz, policy)).first->second;
}

namespace {
double published_epoch(const PublishedMark &p, const JobDatum &datum) {
  if (p.epoch.empty()) return datum.epoch();
  const auto year = parse_year(p.epoch);
  if (!year) throw InputError(p.name + ": \"" + p.epoch + "\" is no epoch");
  return *year;
}

/// The mark as it was published, with its frame and epoch.
TaggedPoint as_published(const PublishedMark &p, const JobDatum &datum) {
  const auto frame = p.frame.empty() ? std::optional<Frame>(datum.frame()) : frame_by_name(p.frame);
  if (!frame) throw InputError(p.name + ": \"" + p.frame + "\" names no frame realisation that is known");
  const double epoch = published_epoch(p, datum);
  if (p.xyz) return {*p.xyz, *frame, epoch};
  if (p.geodetic_deg)
    return {to_cartesian({radians(p.geodetic_deg->x()), radians(p.geodetic_deg->y()), p.geodetic_deg->z()}), *frame,
            epoch};
  if (!p.grid) throw InputError(p.name + " has no published coordinates: give them with the hold");
  if (!p.crs.empty() && p.crs != datum.crs())
    throw InputError(fmt::format("{}: its grid coordinates are in {}, which rests on another datum than the job's {}",
                                 p.name, p.crs, datum.crs()));
  TaggedPoint t = datum.from_grid(p.grid->x(), p.grid->y(), p.grid->z());
  t.epoch = epoch;
  if (!(*frame == datum.frame()))
    throw InputError(p.name + ": grid coordinates are those of the job's frame, not of " + p.frame);
  return t;
}

constexpr double same_epoch = 1e-4; ///< years: an hour
} // namespace

PlacedMark published_at(const PublishedMark &p, const JobDatum &datum, double epoch, const OperationPolicy &policy) {
  const TaggedPoint then = as_published(p, datum);
  // First the frame, at the epoch of the coordinate; then along the velocity inside the job's frame.
  const FrameChange &change = frame_change(then.frame, datum.frame(), then.xyz, policy);
  PlacedMark out;
  out.point = change(then);
  const double years = epoch - then.epoch;
  if (std::abs(years) <= same_epoch) {
    out.point.epoch = epoch;
    return out;
  }
  std::optional<Velocity> v;
  if (p.velocity)
    v = Velocity{velocity_in(change, then, *p.velocity), 0, "its published velocity"};
  else
    v = ground_velocity(datum.frame(), out.point.xyz, datum.motion());
  if (!v)
    throw InputError(
        fmt::format("{}: ground moves in {}, and nothing says how it moved between {:.2f} and {:.2f}: give the "
                    "mark a velocity, or say the plate that the job lies on (setting \"plate\")",
                    p.name, frame_name(datum.frame()), then.epoch, epoch));
  out.point = move_epoch(out.point, v->m_yr, epoch);
  out.motion_sd = v->sd_m_yr * std::abs(years);
  out.moved_by = v->how;
  return out;
}

TaggedPoint published_in_job(const PublishedMark &p, const JobDatum &datum, const OperationPolicy &policy) {
  return published_at(p, datum, datum.epoch(), policy).point;
}

} // namespace ampletie
