#include "results/residual_patterns.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "results/job_results.h"
#include "results/measured.h"
#include "results/traverses.h"
#include <Eigen/Dense>
#include <algorithm>
#include <boost/math/distributions/fisher_f.hpp>
#include <fmt/format.h>

namespace ampletie {
namespace {
constexpr std::size_t least_points = 8;
constexpr double by_chance = 0.001; ///< as of the single tests

/// Where an observation leads, for the axes it has.
struct Course {
  std::optional<double> length, rise, bearing, seconds;
};

/// Points of every kind against every axis, as they come.
class Collector {
public:
  Collector(const JobSnapshot &s, const NetworkRun &run)
      : s_(s), run_(run), sights_(sight_names(s.traverses())), measured_(measured_by_id(s.get(measured_result()))) {
    for (const VectorResult &v : s.vectors()) vectors_[v.id] = &v;
    for (const LevelSection &x : s.levels().sections) sections_[x.id] = &x;
  }

  void take(const BlockTest &t) {
    if (t.observations.empty()) return;
    if (t.kind == "vector")
      vector(t);
    else if (t.kind == "level")
      level(t);
    else if (const auto sight = sights_.find(t.id); sight != sights_.end() && t.observations.size() == 1)
      sighted(t, sight->second);
  }
  std::map<std::pair<std::string, PatternAxis>, std::vector<ResidualPattern::Point>> points;

private:
  void add(const std::string &kind, const Course &c, double v, const std::string &id) {
    const auto put = [&](PatternAxis axis, const std::optional<double> &x) {
      if (x && std::isfinite(*x)) points[{kind, axis}].push_back({*x, v, id});
    };
    put(PatternAxis::length, c.length), put(PatternAxis::height_difference, c.rise);
    put(PatternAxis::bearing, c.bearing);
    if (c.seconds) put(PatternAxis::hours, *c.seconds / 3600);
  }
  /// Between two adjusted marks; a height alone where one of them has no place.
  Course between(const std::string &from, const std::string &to) const {
    Course out;
    const auto a = run_.positions.find(from), b = run_.positions.find(to);
    if (a == run_.positions.end() || b == run_.positions.end() || run_.heights_alone) return out;
    const Vec3 enu = local_axes(a->second.geodetic) * (b->second.ecef.xyz - a->second.ecef.xyz);
    out.length = enu.norm(), out.rise = b->second.geodetic.h - a->second.geodetic.h;
    out.bearing = turned(std::atan2(enu.x(), enu.y()));
    return out;
  }
  static double turned(double a) { return a < 0 ? a + 2 * pi : a; }

  void vector(const BlockTest &t) {
    std::string from, to;
    std::optional<double> seconds;
    if (const auto own = vectors_.find(t.id); own != vectors_.end()) {
      from = own->second->from, to = own->second->to;
      if (own->second->error.empty()) seconds = own->second->solved->first - GpsTime();
    } else if (const auto other = measured_.find(t.id); other != measured_.end()) {
      from = other->second->from, to = other->second->to;
      if (const auto time = parse_iso(other->second->time)) seconds = *time - GpsTime();
    } else
      return;
    const auto at = run_.positions.find(from);
    if (at == run_.positions.end() || t.observations.size() != 3) return;
    Course c = between(from, to);
    c.seconds = seconds;
    const Vec3 v = local_axes(at->second.geodetic) *
                   Vec3(t.observations[0].residual, t.observations[1].residual, t.observations[2].residual);
    for (const auto &[name, k] : {std::pair{"vectors, east", 0}, {"vectors, north", 1}, {"vectors, up", 2}})
      add(name, c, v[k], t.id);
  }

  void level(const BlockTest &t) {
    const auto section = sections_.find(t.id);
    if (section == sections_.end()) return;
    const LevelSection &x = *section->second;
    Course c = between(x.from, x.to);
    c.length = x.length, c.rise = x.difference;
    add("levels", c, t.observations.front().residual, t.id);
  }

  void sighted(const BlockTest &t, const SightName &name) {
    const Course c = between(name.from, name.to);
    if (!c.length) return;
    const double v = t.observations.front().residual;
    const bool angle = is_angle(t.kind);
    const std::string kind = t.kind == "distance" || t.kind == "horizontal distance" ? "distances" : t.kind + "s";
    add(kind, c, angle ? v * *c.length : v, t.id);
  }

  const JobSnapshot &s_;
  const NetworkRun &run_;
  std::map<std::string, SightName> sights_;
  std::map<std::string, const MeasuredVector *> measured_;
  std::map<std::string, const VectorResult *> vectors_;
  std::map<std::string, const LevelSection *> sections_;
};

/// Whether bearings lie around: of a part of the circle a wave tells nothing.
bool all_around(const std::vector<ResidualPattern::Point> &points) {
  std::vector<double> x;
  for (const auto &q : points) x.push_back(q.x);
  std::sort(x.begin(), x.end());
  double gap = x.front() + 2 * pi - x.back();
  for (std::size_t i = 1; i < x.size(); ++i) gap = std::max(gap, x[i] - x[i - 1]);
  return gap < pi;
}

/// What makes residuals follow an axis: common practice.
const char *usual_reason(const std::string &kind, PatternAxis against) {
  const bool vectors = kind.starts_with("vectors");
  switch (against) {
  case PatternAxis::length:
    return vectors                   ? "a scale: the ionosphere, or another frame's"
           : kind == "levels"        ? "the instrument or its turning points sinking"
           : kind == "distances"     ? "a scale: pressure, temperature or the carrier's frequency"
           : kind == "zenith angles" ? "refraction, or the plumb line"
                                     : "";
  case PatternAxis::height_difference:
    return vectors               ? "the troposphere between the heights"
           : kind == "levels"    ? "the scale of the staff, or refraction"
           : kind == "distances" ? "zenith angles or heights that reduce them"
                                 : "the tilt of an axis";
  case PatternAxis::bearing:
    return vectors ? "held marks that pull one way, or antennas that do not face north"
                   : "held marks that pull one way, or the Sun on one side";
  case PatternAxis::hours:
    return "something that changed with time";
  }
  return "";
}
} // namespace

void fit_pattern(ResidualPattern &p) {
  const auto n = static_cast<Eigen::Index>(p.points.size());
  const bool wave = p.against == PatternAxis::bearing;
  if (wave && !all_around(p.points)) return;
  const Eigen::Index extra = wave ? 2 : 1;
  Eigen::MatrixXd a(n, 1 + extra);
  Eigen::VectorXd v(n);
  double x0 = 0, size = 0;
  for (const auto &q : p.points) x0 += q.x / static_cast<double>(n);
  for (const auto &q : p.points) size = std::max(size, std::abs(q.x - x0));
  if (size < 1e-9 * (1 + std::abs(x0))) size = 0; // rounding
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto &q = p.points[static_cast<std::size_t>(i)];
    a(i, 0) = 1, v[i] = q.v;
    if (wave)
      a(i, 1) = std::sin(q.x), a(i, 2) = std::cos(q.x);
    else
      a(i, 1) = size > 0 ? (q.x - x0) / size : 0;
  }
  const Eigen::MatrixXd normal = a.transpose() * a;
  const Eigen::LDLT<Eigen::MatrixXd> solved(normal);
  const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> spread(normal, Eigen::EigenvaluesOnly);
  if (!(spread.eigenvalues().minCoeff() > 1e-6 * spread.eigenvalues().maxCoeff())) return;
  const Eigen::VectorXd x = solved.solve(a.transpose() * v);
  const double degrees = static_cast<double>(n - 1 - extra), left = (v - a * x).squaredNorm();
  p.mean = v.mean();
  const double all = (v.array() - p.mean).matrix().squaredNorm(), s2 = left / degrees;
  if (!(s2 > 0)) return;
  const Eigen::MatrixXd q = s2 * solved.solve(Eigen::MatrixXd::Identity(1 + extra, 1 + extra));
  if (wave) {
    p.slope = std::hypot(x[1], x[2]), p.phase = std::atan2(x[1], x[2]);
    if (p.phase < 0) p.phase += 2 * pi;
    p.slope_sd = std::sqrt((q(1, 1) + q(2, 2)) / 2);
  } else
    p.slope = x[1] / size, p.slope_sd = std::sqrt(q(1, 1)) / size;
  p.statistic = (all - left) / static_cast<double>(extra) / s2;
  p.limit = boost::math::quantile(
      boost::math::complement(boost::math::fisher_f(static_cast<double>(extra), degrees), by_chance));
}

std::string axis_name(PatternAxis a) {
  switch (a) {
  case PatternAxis::length:
    return "length";
  case PatternAxis::height_difference:
    return "height difference";
  case PatternAxis::bearing:
    return "bearing";
  case PatternAxis::hours:
    return "time";
  }
  return {};
}

std::string ResidualPattern::words() const {
  if (!shows()) return {};
  std::string out;
  const double mm = 1000 * std::abs(slope), sd = 1000 * slope_sd;
  const char *way = slope > 0 ? "grow" : "fall";
  if (against == PatternAxis::bearing)
    out = fmt::format("swing by {:.1f} ± {:.1f} mm with the bearing, most towards {:.0f}°", mm, sd, degrees(phase));
  else if (against == PatternAxis::hours)
    out = fmt::format("{} by {:.2f} ± {:.2f} mm an hour", way, mm, sd);
  else {
    const bool metre = mm > 0.1; // of a kilometre it would be decimetres
    const double of = metre ? 1 : 1000;
    out = fmt::format("{} by {:.3g} ± {:.2g} mm per {} of {}", way, of * mm, of * sd, metre ? "metre" : "kilometre",
                      axis_name(against));
  }
  if (const std::string why = usual_reason(kind, against); !why.empty()) out += ", as " + why + " would make them";
  return out;
}

std::vector<ResidualPattern> residual_patterns(const JobSnapshot &s, const NetworkRun &run) {
  Collector all(s, run);
  for (const BlockTest &t : run.result.adjustment.tests) all.take(t);
  std::vector<ResidualPattern> out;
  for (auto &[what, points] : all.points) {
    if (points.size() < least_points) continue;
    ResidualPattern p;
    p.kind = what.first, p.against = what.second, p.points = std::move(points);
    if (p.against == PatternAxis::hours) {
      double first = p.points.front().x;
      for (const auto &q : p.points) first = std::min(first, q.x);
      for (auto &q : p.points) q.x -= first;
    }
    fit_pattern(p);
    if (p.limit > 0) out.push_back(std::move(p));
  }
  std::stable_sort(out.begin(), out.end(),
                   [](const auto &a, const auto &b) { return a.statistic / a.limit > b.statistic / b.limit; });
  // Where nothing shows, the nearest to it of every axis before a second one of any.
  std::map<PatternAxis, int> seen;
  std::vector<std::pair<int, ResidualPattern>> ranked;
  for (ResidualPattern &p : out) {
    const int rank = p.shows() ? 0 : 1 + seen[p.against]++;
    ranked.emplace_back(rank, std::move(p));
  }
  std::stable_sort(ranked.begin(), ranked.end(), [](const auto &a, const auto &b) { return a.first < b.first; });
  out.clear();
  for (auto &[rank, p] : ranked) out.push_back(std::move(p));
  return out;
}

} // namespace ampletie
