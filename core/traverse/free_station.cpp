#include "traverse/free_station.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "base/error.h"
#include "traverse/sets.h"
#include <Eigen/Eigenvalues>
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {

/// Distance of a place from the circle through three marks, as a share of its radius; large for marks in line.
double off_circle(const PlanePoint &p, const PlanePoint &a, const PlanePoint &b, const PlanePoint &c) {
  const double bx = b.east - a.east, by = b.north - a.north, cx = c.east - a.east, cy = c.north - a.north;
  const double d = 2 * (bx * cy - by * cx);
  if (std::abs(d) < 1e-9 * (bx * bx + by * by + cx * cx + cy * cy)) return INFINITY;
  const double b2 = bx * bx + by * by, c2 = cx * cx + cy * cy;
  const PlanePoint centre{a.east + (cy * b2 - by * c2) / d, a.north + (bx * c2 - cx * b2) / d};
  const double radius = distance(centre, a);
  return std::abs(distance(centre, p) - radius) / radius;
}

PlaneNetwork network_of(const std::vector<StationSight> &sights, const PlanePoint &begin) {
  PlaneNetwork n;
  n.start["station"] = begin;
  for (const StationSight &s : sights) {
    n.fixed[s.mark] = s.place;
    if (s.direction)
      n.observations.push_back({PlaneObservation::Kind::direction, "direction to " + s.mark, "station", s.mark, "",
                                "circle", *s.direction, s.direction_sd});
    if (s.distance)
      n.observations.push_back({PlaneObservation::Kind::distance, "distance to " + s.mark, "station", s.mark, "", "",
                                *s.distance, s.distance_sd});
  }
  return n;
}

/// Places to begin from: crossings of distances, three-point solutions, and a ring around the marks.
std::vector<PlanePoint> beginnings(const std::vector<StationSight> &sights) {
  std::vector<PlanePoint> out;
  PlanePoint middle;
  for (const StationSight &s : sights)
    middle.east += s.place.east / static_cast<double>(sights.size()),
        middle.north += s.place.north / static_cast<double>(sights.size());
  double size = 0;
  for (const StationSight &s : sights) size = std::max({size, distance(middle, s.place), s.distance.value_or(0)});
  for (std::size_t i = 0; i < sights.size(); ++i)
    for (std::size_t k = i + 1; k < sights.size(); ++k) {
      const StationSight &a = sights[i], &b = sights[k];
      const double base = distance(a.place, b.place);
      if (base <= 0) continue;
      const double along = bearing(a.place, b.place);
      if (a.distance && b.distance) {
        const double x = (*a.distance * *a.distance - *b.distance * *b.distance + base * base) / (2 * base);
        const double y = std::sqrt(std::max(0.0, *a.distance * *a.distance - x * x));
        for (double side : {1.0, -1.0}) out.push_back(polar(polar(a.place, along, x), along + side * pi / 2, y));
      } else if (a.direction && b.direction && (a.distance || b.distance)) {
        // Two directions and one distance: the angle at the station and the sine rule.
        const double at_station = small_angle(*b.direction - *a.direction);
        const StationSight &with = a.distance ? a : b;
        const double opposite = *with.distance * std::sin(std::abs(at_station)) / base;
        if (std::abs(opposite) > 1) continue;
        for (double far : {std::asin(opposite), pi - std::asin(opposite)}) {
          const double at_with = pi - std::abs(at_station) - far;
          const double to_other = bearing(with.place, a.distance ? b.place : a.place);
          for (double side : {1.0, -1.0}) out.push_back(polar(with.place, to_other + side * at_with, *with.distance));
        }
      }
      for (std::size_t m = k + 1; m < sights.size(); ++m) {
        const StationSight &c = sights[m];
        if (!a.direction || !b.direction || !c.direction) continue;
        try {
          out.push_back(
              three_point(a.place, b.place, c.place, *b.direction - *a.direction, *c.direction - *b.direction));
        } catch (const InputError &) {
        }
      }
    }
  for (double r : {0.3, 1.0, 2.5})
    for (int i = 0; i < 8; ++i) out.push_back(polar(middle, i * pi / 4 + 0.1, r * size));
  return out;
}

} // namespace

PlanePoint three_point(const PlanePoint &a, const PlanePoint &b, const PlanePoint &c, double ab, double bc) {
  // Tienstra: P = Σ K·mark / Σ K with K = 1/(cot of the angle in the triangle − cot of the angle at the station).
  auto cot = [](double x) { return 1 / std::tan(x); };
  const double at_a = positive_angle(bearing(a, c) - bearing(a, b)),
               at_b = positive_angle(bearing(b, a) - bearing(b, c)),
               at_c = positive_angle(bearing(c, b) - bearing(c, a));
  const double alpha = positive_angle(bc), gamma = positive_angle(ab), beta = positive_angle(-(ab + bc));
  const double ka = 1 / (cot(at_a) - cot(alpha)), kb = 1 / (cot(at_b) - cot(beta)), kc = 1 / (cot(at_c) - cot(gamma));
  const double sum = ka + kb + kc;
  // On the circle every angle at the station is one of the triangle's, and the denominators vanish.
  const bool on_circle = std::min({std::abs(ka), std::abs(kb), std::abs(kc)}) > 1e3;
  if (on_circle || !std::isfinite(sum) || std::abs(sum) < 1e-9 * (std::abs(ka) + std::abs(kb) + std::abs(kc)))
    throw InputError("the station lies on the circle through the three marks, or they stand in line with it: their "
                     "directions do not determine it");
  return {(ka * a.east + kb * b.east + kc * c.east) / sum, (ka * a.north + kb * b.north + kc * c.north) / sum};
}

PlanePoint intersect(const PlanePoint &a, double ba, const PlanePoint &b, double bb) {
  const double s = std::sin(bb - ba);
  if (std::abs(s) < 1e-4) throw InputError("both sights run alongside each other: they do not meet in a place");
  const double t = ((b.east - a.east) * -std::cos(bb) + (b.north - a.north) * std::sin(bb)) / s;
  return polar(a, ba, t);
}

FreeStation free_station(const std::vector<StationSight> &sights, const Progress &progress) {
  int directions = 0, distances = 0;
  for (const StationSight &s : sights) directions += s.direction.has_value(), distances += s.distance.has_value();
  const int known = static_cast<int>(sights.size());
  if (known < 2) throw InputError("a free station needs two known marks at least");
  if ((directions ? directions - 1 : 0) + distances < 2)
    throw InputError("a free station needs two distances, two directions with a distance, or three directions");
  struct Found {
    PlaneResult result;
    double misfit = 0;
  };
  std::vector<Found> found;
  for (const PlanePoint &begin : beginnings(sights)) {
    const bool at_mark = std::any_of(sights.begin(), sights.end(),
                                     [&](const StationSight &s) { return distance(s.place, begin) < 1e-3; });
    if (at_mark || !std::isfinite(begin.east + begin.north)) continue;
    PlaneNetwork n = network_of(sights, begin);
    n.options.max_iterations = 30;
    try {
      Found f{adjust_plane(n, progress), 0};
      f.misfit = f.result.adjustment.vtpv;
      const PlanePoint p = f.result.points.at("station");
      const bool new_place = std::none_of(found.begin(), found.end(), [&](const Found &x) {
        return distance(x.result.points.at("station"), p) < 1e-3;
      });
      if (new_place) found.push_back(std::move(f));
    } catch (const std::exception &) {
      // This beginning leads nowhere; another one may.
    }
  }
  if (found.empty())
    throw InputError("these sights determine no place: the station may lie on the circle through the marks, or a mark "
                     "is not the one that was sighted");
  std::sort(found.begin(), found.end(), [](const Found &a, const Found &b) { return a.misfit < b.misfit; });
  FreeStation out;
  PlaneResult &best = found.front().result;
  out.place = best.points.at("station");
  out.covariance = best.covariance.at("station");
  if (directions) out.orientation = best.orientations.at("circle");
  out.semi_major = std::sqrt(Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d>(out.covariance).eigenvalues()[1]);
  const int redundancy = best.adjustment.redundancy;
  if (found.size() > 1 && found[1].misfit < found[0].misfit + 9.0 + redundancy)
    out.other = found[1].result.points.at("station");
  // Sights from all around would give each axis half of the information.
  double information = 0, nearest_circle = INFINITY;
  for (const StationSight &s : sights) {
    const double d = std::max(1.0, distance(out.place, s.place));
    if (s.direction) information += 1 / std::pow(d * s.direction_sd, 2);
    if (s.distance) information += 1 / std::pow(s.distance_sd, 2);
  }
  out.weakness = out.semi_major / std::sqrt(2 / information);
  for (std::size_t i = 0; i < sights.size(); ++i)
    for (std::size_t k = i + 1; k < sights.size(); ++k)
      for (std::size_t m = k + 1; m < sights.size(); ++m)
        nearest_circle =
            std::min(nearest_circle, off_circle(out.place, sights[i].place, sights[k].place, sights[m].place));
  if (distances == 0 && known == 3 && nearest_circle < 0.1)
    out.danger =
        fmt::format("the station lies within {:.0f} % of the circle through the three marks, on which directions "
                    "determine nothing",
                    std::max(1.0, 100 * nearest_circle));
  else if (out.weakness > 5)
    out.danger =
        fmt::format("the sights determine the station {:.0f} times worse in one direction than sights from all "
                    "around would",
                    out.weakness);
  else if (redundancy == 0)
    out.danger = "nothing checks this station: one more mark would";
  out.adjustment = std::move(best.adjustment);
  for (const PlaneObservation &o : network_of(sights, out.place).observations) out.observations.push_back(o.id);
  return out;
}

std::vector<FreeResidual> residuals(const FreeStation &f) {
  std::vector<FreeResidual> out;
  for (std::size_t i = 0; i < f.observations.size() && i < f.adjustment.tests.size(); ++i) {
    const BlockTest &t = f.adjustment.tests[i];
    const ObservationTest &o = t.observations.front();
    out.push_back({f.observations[i], t.kind != "distance", o.residual, o.error, o.standardised, o.redundancy,
                   std::abs(o.standardised) <= single_test_limit});
  }
  return out;
}

} // namespace ampletie
