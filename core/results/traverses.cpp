#include "results/traverses.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/hash.h"
#include "results/field_claims.h"
#include "results/provisional_marks.h"
#include "results/traverse_grid.h"
#include "results/traverse_line.h"
#include "traverse/distance.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {

const BalancedTraverse &TraverseLine::balanced(Balance b) const {
  for (const BalancedTraverse &x : result.balanced)
    if (x.method == b) return x;
  return result.balanced.front();
}
const TraverseLine *TraverseReport::line(const std::string &id) const {
  for (const TraverseLine &l : lines)
    if (l.id == id) return &l;
  return nullptr;
}

std::map<std::string, SightName> sight_names(const TraverseReport &r) {
  std::map<std::string, SightName> out;
  for (const auto &s : r.field.setups)
    for (const TargetSight &x : s->sights) out[x.id] = {s->setup.id, s->setup.mark, x.mean.target};
  return out;
}

const TraverseLine *TraverseReport::line_of(const std::string &setup) const {
  const auto it = line_by_setup.find(setup);
  return it == line_by_setup.end() ? nullptr : &lines[it->second];
}
bool TraverseReport::in_network(const ReducedSetup &s) const {
  if (!s.used) return false;
  if (const auto *source = field.source(s.setup.source_id); source && !source->used) return false;
  const TraverseLine *l = line_of(s.setup.id);
  return !l || l->used;
}

namespace {

std::vector<CarriedSetup> carried(const JobSetups &field) {
  std::vector<CarriedSetup> out;
  for (const auto &r : field.setups) {
    if (!r->used) continue;
    CarriedSetup c{r->setup.id, r->setup.mark, r->setup.instrument_height, {}, r->setup.east, r->setup.north};
    for (const TargetSight &s : r->sights)
      c.sights.push_back({s.mean.target, s.mean.direction, s.mean.zenith, s.slope, s.mean.target_height, s.mean.azimuth,
                          s.mean.grid_bearing});
    out.push_back(std::move(c));
  }
  return out;
}

/// Horizontal distance to the mark itself in the station's tangent plane: without refraction and the plumb line's tilt,
/// and without what a target leans outward along its own plumb line.
double mark_distance(const TargetSight &s, double k, double tilt) {
  const double zenith = s.mean.zenith + k * s.horizontal / (2 * sphere_radius) + tilt;
  return s.slope * std::sin(zenith) - s.mean.target_height * s.horizontal / sphere_radius;
}

/// A set-up on a known mark against the other known marks that it sights.
std::vector<KnownMarkCheck> check_known(const ReducedSetup &r, const KnownPlace &here, const KnownPlaces &known,
                                        const TraverseGrid &grid, const TraverseSettings &set) {
  const Eigen::Vector2d plumb = grid.deflection(r.setup.mark);
  struct Seen {
    const TargetSight *sight;
    const KnownPlace *there;
    double turn; ///< azimuth less direction
  };
  std::vector<Seen> seen;
  const Mat3 axes = local_axes(here.position.geodetic);
  const Vec3 stand = here.position.ecef.xyz + axes.transpose() * Vec3(r.setup.east, r.setup.north, 0);
  for (const TargetSight &s : r.sights) {
    const auto k = known.find(s.mean.target);
    if (k == known.end() || s.mean.target == r.setup.mark) continue;
    const Vec3 d = axes * (k->second.position.ecef.xyz - stand);
    const double azimuth = std::atan2(d.x(), d.y());
    // Steep sights turn with the plumb line.
    const double lean = (plumb.x() * std::sin(azimuth) - plumb.y() * std::cos(azimuth)) / std::tan(s.mean.zenith);
    seen.push_back({&s, &k->second, azimuth - s.mean.direction + (std::isfinite(lean) ? lean : 0)});
  }
  std::vector<KnownMarkCheck> out;
  for (const Seen &s : seen) {
    KnownMarkCheck c;
    c.mark = s.sight->mean.target;
    const Vec3 d = axes * (s.there->position.ecef.xyz - stand);
    const double flat = std::hypot(d.x(), d.y());
    const Mat3 q = here.cov_enu + s.there->cov_enu;
    const Eigen::Vector2d u(d.x() / flat, d.y() / flat), across(u.y(), -u.x());
    const double plan_along = u.dot(q.topLeftCorner<2, 2>() * u),
                 plan_across = across.dot(q.topLeftCorner<2, 2>() * across);
    const double centring = std::pow(r.standard.centring, 2);
    if (std::isfinite(s.sight->horizontal)) {
      c.along = mark_distance(*s.sight, set.k, plumb.x() * u.y() + plumb.y() * u.x()) - flat;
      c.along_limit =
          single_test_limit * std::sqrt(plan_along + centring + std::pow(grid.reduce(r, *s.sight).length_sd, 2));
    }
    if (std::isfinite(s.sight->rise)) {
      const bool physical = here.position.height && s.there->position.height;
      c.up = s.sight->rise - (physical ? *s.there->position.height - *here.position.height
                                       : s.there->position.geodetic.h - here.position.geodetic.h);
      // Between heights over the ellipsoid the plumb line's tilt is in the way.
      const double tilt = physical ? 0 : grid.plumb_sd() * flat;
      c.up_limit = single_test_limit * std::sqrt(std::pow(here.height_sd, 2) + std::pow(s.there->height_sd, 2) +
                                                 std::pow(s.sight->rise_sd, 2) + tilt * tilt);
    }
    // Orientation from the other known marks, longer sights counting more.
    double sum = 0, weight = 0, variance = 0, first = 0;
    for (const Seen &o : seen) {
      if (&o == &s || !std::isfinite(o.turn)) continue;
      const Vec3 e = axes * (o.there->position.ecef.xyz - here.position.ecef.xyz);
      const double length = std::hypot(e.x(), e.y());
      const double v = std::pow(o.sight->direction_sd, 2) +
                       (centring + (here.cov_enu.trace() + o.there->cov_enu.trace()) / 3) / (length * length);
      if (weight == 0) first = o.turn;
      sum += small_angle(o.turn - first) / v, weight += 1 / v;
    }
    if (weight > 0 && std::isfinite(s.turn)) {
      c.across = -flat * small_angle(s.turn - first - sum / weight);
      const double lean = std::isfinite(s.sight->rise) ? s.sight->rise * grid.plumb_sd() : 0;
      variance = flat * flat * (1 / weight + std::pow(s.sight->direction_sd, 2)) + plan_across + centring + lean * lean;
      c.across_limit = single_test_limit * std::sqrt(variance);
    }
    if (set.known_mark > 0) c.along_limit = c.across_limit = c.up_limit = set.known_mark;
    out.push_back(c);
  }
  return out;
}

/// Everything that a line is made of.
std::string line_key(const std::vector<const ReducedSetup *> &row, const RoutePath &path,
                     const std::map<std::string, Vec3> &places, const JobState &state) {
  std::string out = path.end + (path.loop ? "|loop|" : "|");
  const auto place = [&](const std::string &mark) {
    if (const auto p = places.find(mark); p != places.end())
      out.append(reinterpret_cast<const char *>(p->second.data()), 3 * sizeof(double));
  };
  for (const ReducedSetup *r : row) {
    out += r->setup.id + r->key;
    place(r->setup.mark);
    for (const TargetSight &s : r->sights) place(s.mean.target);
  }
  if (const auto e = state.routes.find(row.front()->setup.id); e != state.routes.end()) {
    const RouteEdits &x = e->second;
    for (long n : {x.name.decision, x.balance.decision, x.angles.decision, x.heights.decision, x.start_east.decision,
                   x.start_north.decision, x.start_bearing_deg.decision, x.start_height.decision,
                   x.start_bearing_sd_s.decision, x.start_toward.decision})
      out += fmt::format(" {}", n);
  }
  for (const auto &[name, seq] : state.setting_decisions) out += fmt::format(" {}{}", name, seq);
  return out;
}

} // namespace

namespace {
/// Set-ups in use, and how their routes may go on.
struct Walk {
  std::vector<const ReducedSetup *> used;
  std::vector<SightedSetup> seen;
  std::map<std::size_t, std::string> said; ///< the onward marks that were decided
};

Walk walk_of(const JobSetups &field, const JobState &state) {
  Walk out;
  for (const auto &r : field.setups) {
    if (!r->used) continue;
    out.used.push_back(r.get());
    SightedSetup s{r->setup.id, r->setup.mark, {}};
    for (const TargetSight &t : r->sights) s.sights.emplace_back(t.mean.target, t.mean.kind);
    out.seen.push_back(std::move(s));
    if (const auto e = state.setups.find(r->setup.id); e != state.setups.end() && e->second.onward.value)
      out.said[out.used.size() - 1] = *e->second.onward.value;
  }
  return out;
}

/// Makes azimuths of the bearings that were decided.
void put_bearings(JobSetups &field, const std::vector<RoutePath> &routes, Walk &walk, const JobState &state,
                  const std::map<std::string, StartBearing> &toward) {
  for (const RoutePath &path : routes) {
    const ReducedSetup &r = *walk.used[path.setups.front()];
    StartBearing b;
    const auto e = state.routes.find(r.setup.id);
    if (const auto t = toward.find(r.setup.id); t != toward.end())
      b = t->second;
    else if (e != state.routes.end() && e->second.start_bearing_deg.value)
      b = {path.setups.size() > 1 ? walk.used[path.setups[1]]->setup.mark : path.end,
           radians(*e->second.start_bearing_deg.value),
           e->second.start_bearing_sd_s.value.value_or(0) * rad_per_arcsec};
    if (!r.find(b.to)) continue;
    auto turned = std::make_shared<ReducedSetup>(r);
    for (TargetSight &s : turned->sights)
      if (s.mean.target == b.to) {
        s.mean.azimuth = positive_angle(b.bearing), s.mean.azimuth_sd = std::max(b.sd, errorless_bearing);
        s.mean.grid_bearing = true;
      }
    const std::string what = fmt::format("|bearing to {} {:.10f} {:.10f}", b.to, b.bearing, b.sd);
    turned->key += what, field.key = sha256_hex(field.key + what);
    for (auto &kept : field.setups)
      if (kept.get() == &r) {
        kept = turned;
        break;
      }
    walk.used[path.setups.front()] = turned.get();
  }
}

/// The lines of the routes, those whose making has not changed from the cache.
void add_lines(TraverseReport &out, const std::vector<RoutePath> &routes, const Walk &walk, const KnownPlaces &known,
               const TraverseGrid &grid, const JobState &state, LineCache *cache) {
  std::map<std::string, TraverseLine> lines; // of this report, for the next
  for (const RoutePath &path : routes) {
    std::vector<const ReducedSetup *> row;
    for (std::size_t i : path.setups) row.push_back(walk.used[i]);
    for (std::size_t i = 0; i < row.size(); ++i) {
      SetupJudgement &j = out.judgements[row[i]->setup.id];
      j.onward_mark = i + 1 < row.size() ? row[i + 1]->setup.mark : path.loop ? row[0]->setup.mark : path.end;
    }
    const auto compute = [&] { return make_line(row, path.end, path.loop, known, grid, state); };
    TraverseLine l;
    if (cache) {
      const std::string key = line_key(row, path, out.places, state) + cache->context;
      const auto found = cache->lines.find(key);
      l = lines.emplace(key, found == cache->lines.end() ? compute() : found->second).first->second;
    } else
      l = compute();
    if (const auto left = state.left_out.find("traverse:" + l.id); left != state.left_out.end())
      l.used = false, l.left_out_because = left->second.reason;
    for (const ReducedSetup *r : row)
      if (const auto *source = out.field.source(r->setup.source_id); source && !source->used)
        l.used = false, l.left_out_because = source->left_out_because;
    out.lines.push_back(std::move(l));
  }
  if (cache) cache->lines = std::move(lines);
}

/// Which line each set-up belongs to: one in use before one that is left out.
void index_lines(TraverseReport &out) {
  for (bool in_use : {true, false})
    for (std::size_t i = 0; i < out.lines.size(); ++i)
      if (out.lines[i].used == in_use)
        for (const auto &id : out.lines[i].setups) out.line_by_setup.try_emplace(id, i);
}
} // namespace

TraverseReport job_traverses(JobSetups field, const JobState &state, const KnownPlaces &known, const JobDatum *datum,
                             LineCache *cache, const LevelHeights &levels,
                             const std::map<std::string, StartBearing> &toward) {
  TraverseReport out;
  out.field = std::move(field);
  if (out.field.setups.empty()) return out;
  const TraverseSettings &set = state.settings.traverse;

  std::map<std::string, Vec3> places;
  std::set<std::string> ends; // marks that traverses start and end at
  for (const auto &[mark, k] : known) {
    places[mark] = k.position.ecef.xyz;
    if (!k.check) ends.insert(mark);
  }
  Walk walk = walk_of(out.field, state);
  const auto choices = onward_choices(walk.seen, ends);
  const std::vector<RoutePath> routes = propose_routes(walk.seen, ends, choices, walk.said);
  put_bearings(out.field, routes, walk, state, toward);
  const std::vector<CarriedSetup> sights = carried(out.field);
  Convergence convergence;
  if (datum) convergence = [&](const Vec3 &p) { return datum->projection().project(to_geodetic(p)).convergence_rad; };
  Places carried_on = carry_places(sights, places, set.k, convergence);
  out.places = carried_on.marks;
  const TraverseGrid grid(set, datum, out.places);

  const auto &used = walk.used;
  add_lines(out, routes, walk, known, grid, state, cache);
  for (std::size_t i = 0; i < used.size(); ++i) {
    SetupJudgement &j = out.judgements[used[i]->setup.id];
    j.onward = choices[i];
    j.onward_said = walk.said.count(i) > 0;
    if (const auto k = known.find(used[i]->setup.mark); k != known.end())
      j.checks = check_known(*used[i], k->second, known, grid, set);
  }
  place_marks(out, known, grid);
  const auto by_azimuth = [](const ReducedSetup &r) { // no traverse leads on from it, the network does
    return std::any_of(r.sights.begin(), r.sights.end(), [](const auto &s) { return std::isfinite(s.mean.azimuth); });
  };
  for (std::size_t i = 0; i < used.size(); ++i) {
    const std::string &mark = used[i]->setup.mark;
    out.judgements[used[i]->setup.id].joined =
        out.marks.count(mark) || known.count(mark) || (by_azimuth(*used[i]) && out.places.count(mark));
  }
  for (TraverseLine &l : out.lines) compare_line(l, known, levels, set);
  if (cache) compare_with_field(out, state, known, datum); // not for trials of what-if
  std::sort(out.lines.begin(), out.lines.end(),
            [](const auto &a, const auto &b) { return std::tie(a.name, a.id) < std::tie(b.name, b.id); });

  index_lines(out);
  out.key = out.field.key;
  for (const TraverseLine &l : out.lines)
    if (!l.used) out.key += "|" + l.id;
  return out;
}

} // namespace ampletie
