#include "results/provisional_marks.h"
#include "base/angle.h"
#include "base/error.h"
#include "results/traverse_line.h"
#include "traverse/distance.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {

class Placing {
public:
  Placing(TraverseReport &out, const KnownPlaces &known, const TraverseGrid &grid)
      : out_(out), known_(known), grid_(grid) {}

  void lines() {
    for (const TraverseLine &l : out_.lines) {
      if (!l.problem.empty()) continue;
      const auto &points = l.balanced().points;
      for (std::size_t i = 0; i < points.size(); ++i) {
        if (known_.count(points[i].mark)) continue;
        ProvisionalMark m;
        m.place = points[i].place, m.height = points[i].height;
        m.moved = points[i].moved, m.sd = points[i].sd;
        m.line = l.id, m.station = true, m.local = l.local_place || l.local_bearing, m.how = "traverse";
        if (i < l.setups.size()) m.setup = l.setups[i];
        out_.marks.try_emplace(points[i].mark, m);
      }
    }
  }

  /// Stations by themselves: placed by what they see.
  void free_stations() {
    for (const auto &r : out_.field.setups) {
      SetupJudgement &j = out_.judgements[r->setup.id];
      if (!r->used || place_of(r->setup.mark)) continue;
      std::vector<StationSight> sights;
      double height = 0, weight = 0;
      for (const TargetSight &s : r->sights) {
        const auto p = place_of(s.mean.target);
        if (!p || p->local) continue;
        StationSight q;
        q.mark = s.mean.target, q.place = p->place;
        const GridSight g = grid_.reduce(*r, s);
        if (std::isfinite(s.mean.direction)) q.direction = positive_angle(s.mean.direction + g.correction);
        if (std::isfinite(g.length)) q.distance = g.length;
        q.direction_sd = std::max(s.direction_sd, 1e-7), q.distance_sd = std::max(g.length_sd, 1e-5);
        sights.push_back(std::move(q));
        if (std::isfinite(s.rise) && p->height)
          height += (*p->height - s.rise) / std::pow(s.rise_sd, 2), weight += 1 / std::pow(s.rise_sd, 2);
      }
      if (sights.size() < 2) continue;
      try {
        j.free = free_station(sights);
      } catch (const std::exception &) {
        continue;
      }
      ProvisionalMark m;
      m.place = j.free->place, m.setup = r->setup.id, m.station = true, m.how = "free station";
      if (weight > 0) m.height = height / weight;
      m.sd = std::sqrt(j.free->covariance.trace() / 2);
      out_.marks.try_emplace(r->setup.mark, m);
    }
  }

  /// How the circles of the set-ups on placed marks are turned, longer sights counting more.
  void orient() {
    for (const auto &r : out_.field.setups) {
      if (!r->used) continue;
      const auto here = place_of(r->setup.mark);
      if (!here) continue;
      double sum = 0, weight = 0, first = 0, factor = NAN;
      for (const TargetSight &s : r->sights) {
        const auto p = place_of(s.mean.target);
        const GridSight g = grid_.reduce(*r, s);
        if (std::isfinite(g.length)) factor = g.combined_factor;
        if (!p || p->local != here->local || !std::isfinite(s.mean.direction)) continue;
        const double turn = bearing(here->place, p->place) - s.mean.direction - g.correction;
        const double w = std::pow(distance(here->place, p->place), 2);
        if (weight == 0) first = turn;
        sum += small_angle(turn - first) * w, weight += w;
      }
      if (weight > 0) oriented_.push_back({r.get(), *here, first + sum / weight, std::isfinite(factor) ? factor : 1});
    }
  }

  void side_shots() {
    std::map<std::string, std::vector<ProvisionalMark>> all;
    for (const Oriented &o : oriented_)
      for (const TargetSight &s : o.setup->sights) {
        if (place_of(s.mean.target) || !std::isfinite(s.mean.direction)) continue;
        const GridSight g = grid_.reduce(*o.setup, s);
        if (!std::isfinite(g.length)) continue;
        ProvisionalMark m;
        m.place = polar(o.here.place, o.turn + s.mean.direction + g.correction, g.length);
        if (o.here.height && std::isfinite(s.rise)) m.height = *o.here.height + s.rise;
        m.moved = o.here.moved, m.local = o.here.local, m.setup = o.setup->setup.id, m.line = o.here.line;
        m.sd = std::sqrt(o.here.sd * o.here.sd +
                         (std::pow(s.slope_sd, 2) + std::pow(g.length * s.direction_sd * 1.41, 2)) / 2);
        m.how = "side shot", m.code = code_of(*o.setup, s.mean.target);
        all[s.mean.target].push_back(std::move(m));
      }
    for (auto &[mark, found] : all) {
      auto best = std::min_element(found.begin(), found.end(), [](const auto &a, const auto &b) {
        return std::tie(a.local, a.sd) < std::tie(b.local, b.sd);
      });
      ProvisionalMark m = *best;
      m.sights = 0;
      for (const ProvisionalMark &x : found) {
        if (x.local != m.local) continue;
        ++m.sights;
        const double d = distance(x.place, m.place);
        if (d > m.apart) m.apart = d, m.apart_limit = plan_test_limit * std::hypot(x.sd, m.sd);
      }
      if (m.code.empty())
        for (const ProvisionalMark &x : found)
          if (!x.code.empty()) m.code = x.code;
      out_.marks.emplace(mark, std::move(m));
    }
  }

  /// Marks that were pointed at from several stations, without a distance.
  void intersections() {
    std::map<std::string, std::vector<Ray>> all;
    for (const Oriented &o : oriented_) {
      if (o.here.local) continue;
      for (const TargetSight &s : o.setup->sights)
        if (std::isfinite(s.mean.direction) && !place_of(s.mean.target))
          all[s.mean.target].push_back(
              {&o, &s, positive_angle(o.turn + s.mean.direction + grid_.reduce(*o.setup, s).correction)});
    }
    for (const auto &[mark, rays] : all) {
      // The two that cut best are where it begins.
      double best = 0;
      std::pair<const Ray *, const Ray *> pair;
      for (const Ray &a : rays)
        for (const Ray &b : rays)
          if (const double cut = std::abs(std::sin(a.bearing - b.bearing)); cut > best) best = cut, pair = {&a, &b};
      if (best < std::sin(radians(2))) continue;
      PlaneNetwork n;
      try {
        const PlanePoint start = intersect(pair.first->from->here.place, pair.first->bearing,
                                           pair.second->from->here.place, pair.second->bearing);
        n.start[mark] = start;
        double station_sd = 0;
        bool ahead = true;
        for (const Ray &r : rays) {
          const std::string id = r.from->setup->setup.id;
          n.fixed[id] = r.from->here.place;
          n.observations.push_back({PlaneObservation::Kind::bearing, id, id, mark, "", "", r.bearing,
                                    std::max(1e-7, r.sight->direction_sd * 1.41)});
          station_sd = std::max(station_sd, r.from->here.sd);
          // A sight that would have to look backwards meets something else.
          ahead = ahead && std::abs(small_angle(bearing(r.from->here.place, start) - r.bearing)) < radians(5);
        }
        if (!ahead) continue;
        PlaneResult a = adjust_plane(n);
        // Once its place is known, the sights get the corrections of the grid.
        const Ray &best_ray = *pair.first;
        if (const auto at = grid_.place(a.points.at(mark), ellipsoidal(best_ray, a.points.at(mark)))) {
          for (std::size_t i = 0; i < rays.size(); ++i)
            n.observations[i].value =
                positive_angle(rays[i].from->turn + rays[i].sight->mean.direction +
                               grid_.reduce(*rays[i].from->setup, *rays[i].sight, &*at).correction);
          a = adjust_plane(n);
        }
        ProvisionalMark m;
        m.place = a.points.at(mark);
        m.sd = std::hypot(std::sqrt(a.covariance.at(mark).trace() / 2), station_sd);
        m.how = "intersection", m.sights = static_cast<int>(rays.size());
        m.setup = pair.first->from->setup->setup.id, m.line = pair.first->from->here.line;
        double height = 0, weight = 0;
        for (const Ray &r : rays) {
          const double d = distance(r.from->here.place, m.place) / r.from->factor, z = r.sight->mean.zenith;
          const double off = std::abs(small_angle(bearing(r.from->here.place, m.place) - r.bearing)) *
                             distance(r.from->here.place, m.place);
          if (off > m.apart) m.apart = off, m.apart_limit = single_test_limit * d * r.sight->direction_sd * 1.41;
          if (m.code.empty()) m.code = code_of(*r.from->setup, mark);
          if (!std::isfinite(z) || !r.from->here.height) continue;
          const double sd = std::hypot(r.sight->mean.zenith_sd * d, m.sd / std::tan(z), 0.001);
          height += (*r.from->here.height +
                     trigonometric_height({z, r.from->setup->setup.instrument_height, r.sight->mean.target_height},
                                          d / std::sin(z), grid_.refraction())) /
                    (sd * sd);
          weight += 1 / (sd * sd);
        }
        if (weight > 0) m.height = height / weight;
        if (best < std::sin(radians(20)))
          m.warning = fmt::format("the sights cut at {:.0f}° only", degrees(std::asin(best)));
        else if (rays.size() == 2)
          m.warning = "two sights only: nothing checks them";
        out_.marks.emplace(mark, std::move(m));
      } catch (const std::exception &) {
        continue; // sights alongside each other place nothing
      }
    }
  }

private:
  struct Oriented {
    const ReducedSetup *setup;
    ProvisionalMark here;
    double turn, factor;
  };
  struct Ray {
    const Oriented *from;
    const TargetSight *sight;
    double bearing;
  };

  /// Height over the ellipsoid of what a ray meets, roughly: corrections of the grid hardly depend on it.
  double ellipsoidal(const Ray &r, const PlanePoint &there) const {
    const auto station = out_.places.find(r.from->setup->setup.mark);
    const double h = station == out_.places.end() ? 0 : to_geodetic(station->second).h;
    const double z = r.sight->mean.zenith;
    return std::isfinite(z) ? h + distance(r.from->here.place, there) / std::tan(z) : h;
  }

  std::optional<ProvisionalMark> place_of(const std::string &mark) const {
    if (const auto m = out_.marks.find(mark); m != out_.marks.end()) return m->second;
    if (const auto k = known_.find(mark); k != known_.end()) {
      ProvisionalMark p;
      p.place = {k->second.position.grid.east, k->second.position.grid.north};
      p.height = k->second.height();
      return p;
    }
    return std::nullopt;
  }
  static std::string code_of(const ReducedSetup &r, const std::string &target) {
    std::string code;
    for (const Pointing &p : r.setup.pointings)
      if (p.target == target && !p.code.empty()) code = p.code;
    return code;
  }

  TraverseReport &out_;
  const KnownPlaces &known_;
  const TraverseGrid &grid_;
  std::vector<Oriented> oriented_;
};

} // namespace

void place_marks(TraverseReport &out, const KnownPlaces &known, const TraverseGrid &grid) {
  Placing p(out, known, grid);
  p.lines();
  p.free_stations();
  p.orient();
  p.side_shots();
  p.intersections();
}

} // namespace ampletie
