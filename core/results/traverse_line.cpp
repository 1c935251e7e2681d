#include "results/traverse_line.h"
#include "base/angle.h"
#include "base/error.h"
#include "traverse/distance.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {

PlanePoint grid_place(const KnownPlace &k) { return {k.position.grid.east, k.position.grid.north}; }

/// The farthest known mark that a set-up sights, other than those of the route beside it: what gives it its bearing.
const TargetSight *reference(const ReducedSetup &r, const KnownPlaces &known, const std::set<std::string> &beside) {
  const TargetSight *best = nullptr;
  double most = 0;
  for (const TargetSight &s : r.sights) {
    const auto k = known.find(s.mean.target);
    if (k == known.end() || beside.count(s.mean.target) || !std::isfinite(s.mean.direction)) continue;
    const auto here = known.find(r.setup.mark);
    if (here == known.end()) continue;
    const double d = distance(grid_place(here->second), grid_place(k->second));
    if (d > most) most = d, best = &s;
  }
  return best;
}

/// The most trustworthy measured azimuth of a set-up; null: it has none.
const TargetSight *measured_azimuth(const ReducedSetup &r) {
  const TargetSight *best = nullptr;
  for (const TargetSight &s : r.sights)
    if (std::isfinite(s.mean.azimuth) && std::isfinite(s.mean.direction) &&
        (!best || s.mean.azimuth_sd < best->mean.azimuth_sd))
      best = &s;
  return best;
}

/// Position 2, bearing 1: how much a route knows at one of its ends.
int knowledge(const ReducedSetup *r, const std::string &mark, const KnownPlaces &known,
              const std::set<std::string> &beside) {
  if (!known.count(mark)) return 0;
  return 2 + (r && (reference(*r, known, beside) || measured_azimuth(*r)) ? 1 : 0);
}

double angle_sd(const ReducedSetup &r, const TargetSight &a, const TargetSight &b, double angle) {
  const double la = std::isfinite(a.horizontal) ? a.horizontal : 100,
               lb = std::isfinite(b.horizontal) ? b.horizontal : 100;
  // What the station's centring does to an angle: σ · (distance between the targets) / (a b).
  const double between = std::sqrt(std::max(0.0, la * la + lb * lb - 2 * la * lb * std::cos(angle)));
  return std::sqrt(std::pow(a.direction_sd, 2) + std::pow(b.direction_sd, 2) +
                   std::pow(r.standard.centring * between / (la * lb), 2));
}

/// What zenith angles there and back say of refraction: half of what the sum of the rises misses is bent sight.
void refraction(TraverseLeg &l, const TargetSight &there, const TargetSight &back) {
  if (there.zenith_derived || back.zenith_derived) return;
  const double d = (there.horizontal + back.horizontal) / 2;
  if (!(d > 0)) return;
  const double all = d * d / sphere_radius; // of both sights
  l.bent = l.rise_sum / all;
  // Heights of instruments and targets and the zenith angles; the bend itself is what is looked for.
  const auto own = [&](const TargetSight &s) { return std::pow(s.mean.zenith_sd * d, 2) + 2e-6; };
  l.bent_sd = std::sqrt(own(there) + own(back)) / all;
}

struct Builder {
  std::vector<const ReducedSetup *> row; ///< by station; null: not occupied. A loop repeats its first
  std::vector<std::string> marks;
  const TraverseGrid &grid;
  const KnownPlaces &known;
  const JobState &state;
  TraverseLine out{};
  bool loop = false;

  /// Clockwise from the sight at `back` to the one at `on`, in the grid.
  std::optional<double> angle(const ReducedSetup &r, const std::string &back, const std::string &on, double &sd) {
    const TargetSight *a = r.find(back), *b = r.find(on);
    if (!a || !b || !std::isfinite(a->mean.direction) || !std::isfinite(b->mean.direction)) return std::nullopt;
    const double v = positive_angle(b->mean.direction + grid.reduce(r, *b).correction - a->mean.direction -
                                    grid.reduce(r, *a).correction);
    sd = angle_sd(r, *a, *b, v);
    return v;
  }
  void leg(std::size_t i) {
    TraverseLeg l;
    l.from = marks[i], l.to = marks[i + 1];
    const ReducedSetup *a = row[i], *b = row[i + 1];
    const TargetSight *there = a ? a->find(l.to) : nullptr, *back = b ? b->find(l.from) : nullptr;
    double length = 0, lw = 0, rise = 0, rw = 0, lengths[2] = {NAN, NAN};
    const auto take = [&](const ReducedSetup &r, const TargetSight &s, int k) {
      const GridSight g = grid.reduce(r, s);
      (k ? l.slope_back : l.slope_there) = s.horizontal;
      if (std::isfinite(g.length)) {
        const double w = 1 / (std::pow(g.length_sd, 2) + std::pow(r.standard.centring, 2));
        length += g.length * w, lw += w;
        lengths[k] = g.length;
        l.combined_factor = g.combined_factor;
        if (k == 0 || !there) l.arc_to_chord = (k ? -1 : 1) * g.arc_to_chord;
      }
      if (std::isfinite(s.rise)) {
        const double w = 1 / std::pow(s.rise_sd, 2);
        rise += (k ? -1 : 1) * s.rise * w, rw += w;
      }
    };
    if (there) take(*a, *there, 0);
    if (back) take(*b, *back, 1);
    if (lw > 0) l.length = length / lw, l.length_sd = 1 / std::sqrt(lw);
    TraverseStation &s = out.input.stations[i];
    if (rw > 0) l.rise = rise / rw, s.has_rise = true, s.rise = l.rise, s.rise_sd = 1 / std::sqrt(rw);
    if (std::isfinite(lengths[0]) && std::isfinite(lengths[1])) {
      l.length_difference = lengths[0] - lengths[1];
      l.length_limit = single_test_limit * std::sqrt(2 / lw) * std::sqrt(2.0);
    }
    if (there && back && std::isfinite(there->rise) && std::isfinite(back->rise)) {
      l.rise_sum = there->rise + back->rise;
      l.rise_limit = single_test_limit * std::hypot(there->rise_sd, back->rise_sd);
      refraction(l, *there, *back);
    }
    s.length = l.length > 0 ? l.length : 0, s.length_sd = l.length_sd;
    out.legs.push_back(l);
  }

  std::size_t last() const { return marks.size() - 1; }

  const RouteEdits &edits() const {
    static const RouteEdits none;
    const auto found = state.routes.find(out.id);
    return found == state.routes.end() ? none : found->second;
  }

  /// Gives a station its angle between two sights where both were measured.
  bool put_angle(std::size_t i, const std::string &back, const std::string &on) {
    TraverseStation &s = out.input.stations[i];
    double sd = 0;
    const auto a = angle(*row[i], back, on, sd);
    if (a) s.angle = *a, s.angle_sd = sd, s.has_angle = true;
    return a.has_value();
  }

  static double bearing_sd(const KnownPlace &p, const KnownPlace &q) {
    const double d = distance(grid_place(p), grid_place(q));
    return std::sqrt((p.cov_enu(0, 0) + p.cov_enu(1, 1) + q.cov_enu(0, 0) + q.cov_enu(1, 1)) / 2) / d;
  }

  /// Its name and how its misclosures are shared out.
  void describe() {
    const TraverseSettings &set = state.settings.traverse;
    TraverseLine &l = out;
    l.marks = marks, l.loop = loop;
    l.name = loop ? fmt::format("{} … {}", marks[0], marks[0]) : fmt::format("{} … {}", marks[0], marks[last()]);
    l.angles = set.angles, l.heights = set.heights, l.balance = set.balance;
    const RouteEdits &e = edits();
    if (e.name.value) l.name = *e.name.value;
    if (e.angles.value) l.angles = angle_share_by_name(*e.angles.value);
    if (e.heights.value) l.heights = height_share_by_name(*e.heights.value);
    if (e.balance.value) l.balance = balance_by_name(*e.balance.value);
    for (const auto *r : row)
      if (r) l.setups.push_back(r->setup.id);
  }

  void start_place() {
    TraverseLine &l = out;
    TraverseInput &t = l.input;
    const auto start = known.find(marks[0]);
    if (start != known.end())
      t.start = grid_place(start->second), t.start_height = start->second.height();
    else {
      l.local_place = true;
      t.start = {edits().start_east.value.value_or(0), edits().start_north.value.value_or(0)};
      t.start_height = edits().start_height.value.value_or(0);
    }
    if (edits().start_height.value) t.start_height = *edits().start_height.value;
  }

  /// What gives it its bearing: a known mark, a measured azimuth, a decision, or nothing.
  void start_bearing() {
    TraverseLine &l = out;
    TraverseInput &t = l.input;
    const auto start = known.find(marks[0]);
    const TargetSight *back = row[0] && start != known.end() ? reference(*row[0], known, {marks[1]}) : nullptr;
    if (back && loop && back->mean.target == marks[last() - 1]) back = nullptr;
    if (back) {
      l.back_sight = back->mean.target;
      const KnownPlace &k = known.at(l.back_sight);
      t.start_bearing = bearing(t.start, grid_place(k));
      t.start_bearing_sd = bearing_sd(start->second, k);
      put_angle(0, l.back_sight, marks[1]);
    }
    if (const TargetSight *a = row[0] && !edits().start_bearing_deg.value ? measured_azimuth(*row[0]) : nullptr;
        a && !t.stations[0].has_angle) {
      t.start_bearing = positive_angle(grid.bearing_of(*row[0], *a)), t.start_bearing_sd = a->mean.azimuth_sd;
      l.remarks.push_back(edits().start_toward.value == a->mean.target
                              ? "turned to the published place of " + a->mean.target + ", which is not held"
                              : "bearing from the measured azimuth of " + a->mean.target);
      if (a->mean.target == marks[1])
        t.bearing_of_first_leg = true;
      else if (put_angle(0, a->mean.target, marks[1]))
        l.back_sight = a->mean.target;
    }
    if (!t.stations[0].has_angle && !t.bearing_of_first_leg) {
      l.back_sight.clear();
      t.bearing_of_first_leg = true;
      t.start_bearing = radians(edits().start_bearing_deg.value.value_or(0));
      l.local_bearing = !edits().start_bearing_deg.value || start == known.end();
    }
  }

  void angles() {
    for (std::size_t i = 1; i < last(); ++i)
      if (row[i]) put_angle(i, marks[i - 1], marks[i + 1]);
  }

  void end_of_loop() {
    const std::string closing = out.back_sight.empty() ? marks[1] : out.back_sight;
    if (!put_angle(last(), marks[last() - 1], closing)) return;
    out.input.end_bearing = out.input.start_bearing;
    out.closing_sight = closing;
  }

  void end_of_link() {
    const auto k = known.find(marks[last()]);
    if (k == known.end() || out.local_place) return;
    TraverseLine &l = out;
    TraverseInput &t = l.input;
    const KnownPlace &start = known.at(marks[0]);
    t.end = grid_place(k->second), t.end_height = k->second.height();
    t.known_covariance = (start.cov_enu + k->second.cov_enu).topLeftCorner<2, 2>();
    t.known_height_sd = std::hypot(start.height_sd, k->second.height_sd);
    // Between heights over the ellipsoid the plumb line's tilt is in the way.
    if (!start.position.height || !k->second.position.height)
      t.known_height_sd = std::hypot(t.known_height_sd, grid.plumb_sd() * distance(t.start, *t.end));
    end_bearing(k->second);
  }

  void end_bearing(const KnownPlace &end) {
    TraverseLine &l = out;
    TraverseInput &t = l.input;
    const ReducedSetup *r = row[last()];
    if (!r) return;
    const std::string &before = marks[last() - 1];
    if (const TargetSight *fore = reference(*r, known, {before});
        fore && put_angle(last(), before, fore->mean.target)) {
      const KnownPlace &seen = known.at(fore->mean.target);
      t.end_bearing = bearing(*t.end, grid_place(seen));
      t.end_bearing_sd = bearing_sd(end, seen);
      l.closing_sight = fore->mean.target;
    }
    const TargetSight *a = t.end_bearing ? nullptr : measured_azimuth(*r);
    if (!a || a->mean.target == before || !put_angle(last(), before, a->mean.target)) return;
    t.end_bearing = positive_angle(grid.bearing_of(*r, *a)), t.end_bearing_sd = a->mean.azimuth_sd;
    l.closing_sight = a->mean.target;
    l.remarks.push_back("closing bearing from the measured azimuth of " + a->mean.target);
  }

  /// No bearing at either end, but two known marks: the route is turned onto the second one.
  void turn_onto_end() {
    TraverseLine &l = out;
    TraverseInput &t = l.input;
    if (!l.local_bearing || !t.end || t.end_bearing) return;
    const TraverseResult first = compute_traverse(t, AngleShare::none, l.heights);
    t.start_bearing += bearing(t.start, *t.end) - bearing(t.start, first.raw.back().place);
    l.local_bearing = false;
    l.remarks.push_back("no bearing at either end: the route is turned onto its end, so that its length alone is "
                        "checked");
  }

  /// What bends more than any air is a height or an angle that is wrong.
  void find_grazing() {
    TraverseLine &l = out;
    const TraverseSettings &set = state.settings.traverse;
    for (const TraverseLeg &g : l.legs)
      if (std::isfinite(g.bent) && std::abs(g.bent) > single_test_limit * std::hypot(g.bent_sd, set.k_sd) &&
          std::abs(set.k + g.bent) < 5)
        l.remarks.push_back(fmt::format("zenith angles between {} and {} show a refraction of k = {:.1f}: a sight that "
                                        "grazes a wall, a portal or the ground?",
                                        g.from, g.to, set.k + g.bent));
  }
};

void limits(TraverseLine &l, const TraverseSettings &set) {
  const TraverseClosure &c = l.result.closure;
  const auto n = static_cast<double>(std::max<std::size_t>(1, l.result.angle_shares.size()));
  l.height_limit = single_test_limit * c.height_sd;
  double k = 0, ratio = 0;
  if (const TraverseClass *x = traverse_class(set.order))
    k = x->angle_s, ratio = x->ratio, l.limit_name = set.order;
  else if (set.order == "own")
    k = set.angle_limit_s, ratio = set.ratio_limit, l.limit_name = fmt::format("{:g}″·√n, 1 : {:g}", k, ratio);
  if (k > 0) {
    l.angular_limit = k * rad_per_arcsec * std::sqrt(n), l.linear_limit = c.length / ratio;
    return;
  }
  l.limit_name = "propagated";
  l.angular_limit = single_test_limit * c.angular_sd;
  l.linear_limit = single_test_limit * c.linear_sd;
}

/// A balance that takes marks farther from where others know them than they were before it.
void warn_of_worse(TraverseLine &l, const KnownPlaces &known) {
  const auto away = [&](const std::vector<TraversePoint> &points) {
    double sum = 0;
    int n = 0;
    for (std::size_t i = 1; i + 1 < points.size(); ++i)
      if (const auto k = known.find(points[i].mark); k != known.end())
        sum += std::pow(distance(points[i].place, grid_place(k->second)), 2), ++n;
    return n ? std::sqrt(sum / n) : 0;
  };
  const double before = away(l.result.raw);
  for (BalancedTraverse &b : l.result.balanced) {
    const double after = away(b.points);
    if (b.method == Balance::none || after < 1.1 * before || after - before < 0.001) continue;
    b.warning += fmt::format("{}it takes marks farther from where they are known to be: {:.1f} mm, {:.1f} mm before it",
                             b.warning.empty() ? "" : "; ", 1000 * after, 1000 * before);
  }
}

} // namespace

const TraverseClass *traverse_class(const std::string &name) {
  static const TraverseClass all[] = {{"first order", 1.7, 100000},
                                      {"second order, class I", 3, 50000},
                                      {"second order, class II", 4.5, 20000},
                                      {"third order, class I", 10, 10000},
                                      {"third order, class II", 12, 5000}};
  for (const TraverseClass &c : all)
    if (name == c.name) return &c;
  return nullptr;
}

TraverseLine make_line(std::vector<const ReducedSetup *> row, const std::string &end, bool loop,
                       const KnownPlaces &known, const TraverseGrid &grid, const JobState &state) {
  std::vector<std::string> marks;
  for (const auto *r : row) marks.push_back(r->setup.mark);
  if (!end.empty()) marks.push_back(end), row.push_back(nullptr);
  if (loop) marks.push_back(marks.front()), row.push_back(row.front());
  const std::string id = row.front()->setup.id; // whichever way it is computed
  std::size_t last = marks.size() - 1;
  if (!loop &&
      knowledge(row[last], marks[last], known, {marks[last - 1]}) > knowledge(row[0], marks[0], known, {marks[1]})) {
    std::reverse(row.begin(), row.end());
    std::reverse(marks.begin(), marks.end());
  }
  Builder b{row, marks, grid, known, state};
  b.loop = loop;
  TraverseLine &l = b.out;
  l.id = id;
  b.describe();
  TraverseInput &t = l.input;
  t.stations.resize(marks.size());
  for (std::size_t i = 0; i < marks.size(); ++i) t.stations[i].mark = marks[i], t.stations[i].has_angle = false;
  for (std::size_t i = 0; i < last; ++i) b.leg(i);
  b.start_place();
  b.start_bearing();
  b.angles();
  if (loop)
    b.end_of_loop();
  else
    b.end_of_link();
  for (std::size_t i = 0; i < last; ++i)
    if (t.stations[i].has_angle) l.legs[i].angle = t.stations[i].angle, l.legs[i].angle_sd = t.stations[i].angle_sd;
  try {
    b.turn_onto_end();
    b.find_grazing();
    l.result = compute_traverse(t, l.angles, l.heights);
    limits(l, state.settings.traverse);
  } catch (const InputError &e) {
    l.problem = e.reason();
    for (std::size_t i = 1; i < last && !l.by_azimuths; ++i)
      if (row[i] && !t.stations[i].has_angle && measured_azimuth(*row[i])) {
        l.by_azimuths = true;
        l.problem = fmt::format(
            "at {} an azimuth was measured and no angle: lines of azimuths close in the network alone", marks[i]);
      }
  }
  return std::move(b.out);
}

void compare_line(TraverseLine &l, const KnownPlaces &known, const LevelHeights &levels, const TraverseSettings &set) {
  if (!l.problem.empty() || l.local_place || l.local_bearing) return;
  const auto &points = l.balanced().points;
  const auto up_expected = [&](std::size_t i, double sd) {
    double variance = sd * sd, run = 0;
    for (std::size_t s = 0; s < i; ++s) {
      variance += std::pow(l.input.stations[s].rise_sd, 2);
      run += l.input.stations[s].length;
    }
    return std::sqrt(variance + std::pow(set.deflection_sd_s * rad_per_arcsec, 2) * run * run / 4);
  };
  const auto start = known.find(l.marks.front());
  for (std::size_t i = 1; i + 1 < points.size(); ++i) {
    // Levels say physical heights: only a traverse that starts from one can be compared.
    if (const auto h = levels.find(points[i].mark); h != levels.end() && points[i].height && start != known.end() &&
                                                    start->second.position.height && !known.count(points[i].mark)) {
      TraverseComparison c;
      c.mark = points[i].mark, c.with = "levels", c.east = c.north = NAN;
      c.up = *points[i].height - h->second.first;
      c.up_expected = std::hypot(up_expected(i, h->second.second), start->second.height_sd);
      c.passes = std::abs(c.up) <= single_test_limit * c.up_expected;
      l.comparisons.push_back(c);
    }
    const auto k = known.find(points[i].mark);
    if (k == known.end()) continue;
    TraverseComparison c;
    c.mark = points[i].mark;
    c.east = points[i].place.east - k->second.position.grid.east;
    c.north = points[i].place.north - k->second.position.grid.north;
    c.expected = std::sqrt(points[i].sd * points[i].sd + (k->second.cov_enu(0, 0) + k->second.cov_enu(1, 1)) / 2);
    if (points[i].height) {
      c.up = *points[i].height - k->second.height();
      c.up_expected = up_expected(i, k->second.height_sd);
    }
    c.passes = std::hypot(c.east, c.north) <= plan_test_limit * c.expected &&
               !(std::abs(c.up) > single_test_limit * c.up_expected);
    l.comparisons.push_back(c);
  }
  warn_of_worse(l, known);
}

} // namespace ampletie
