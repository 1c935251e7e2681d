#include "traverse/route.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "base/error.h"
#include "traverse/sets.h"
#include <Eigen/Dense>
#include <algorithm>
#include <boost/math/distributions/chi_squared.hpp>
#include <fmt/format.h>

namespace ampletie {
namespace {

double chi_square_limit(int degrees) {
  return boost::math::quantile(boost::math::complement(boost::math::chi_squared(degrees), 0.001));
}

/// A route with its observations in a row: angles by station, then lengths by leg.
class Route {
public:
  explicit Route(const TraverseInput &t) : t_(t), legs_(t.stations.size() - 1) {
    for (std::size_t i = 0; i < t.stations.size(); ++i) {
      const bool first = i == 0 && t.bearing_of_first_leg,
                 last = i == legs_ && (!t.end_bearing || !t.stations[i].has_angle);
      if (!first && !last) angles_.push_back(i);
    }
  }
  std::size_t legs() const { return legs_; }
  const std::vector<std::size_t> &angles() const { return angles_; }
  std::size_t observations() const { return angles_.size() + legs_; }
  double sd(std::size_t o) const {
    return o < angles_.size() ? t_.stations[angles_[o]].angle_sd : t_.stations[o - angles_.size()].length_sd;
  }
  double leg(std::size_t i) const { return t_.stations[i].length; }

  /// Bearings of the legs and, as the last, of the closing sight.
  std::vector<double> bearings(const std::vector<double> &shares) const {
    std::vector<double> added(t_.stations.size(), 0), out;
    for (std::size_t k = 0; k < angles_.size(); ++k) added[angles_[k]] = shares.empty() ? 0 : shares[k];
    double b = t_.start_bearing + (t_.bearing_of_first_leg ? 0 : t_.stations[0].angle + added[0]);
    out.push_back(b);
    for (std::size_t i = 1; i <= legs_; ++i) {
      b += pi + t_.stations[i].angle + added[i];
      out.push_back(b);
    }
    return out;
  }
  std::vector<PlanePoint> points(const std::vector<double> &b) const {
    std::vector<PlanePoint> out{t_.start};
    for (std::size_t i = 0; i < legs_; ++i) out.push_back(polar(out.back(), b[i], leg(i)));
    return out;
  }
  /// Shares of an angular misclosure.
  std::vector<double> shares(double misclosure, AngleShare how) const {
    std::vector<double> weight;
    for (std::size_t i : angles_) {
      double w = how == AngleShare::none ? 0 : 1;
      if (how == AngleShare::inverse_length) {
        w = 0;
        if (i > 0) w += 1 / leg(i - 1);
        if (i < legs_) w += 1 / leg(i);
      }
      weight.push_back(w);
    }
    double sum = 0;
    for (double w : weight) sum += w;
    for (double &w : weight) w = sum > 0 ? -misclosure * w / sum : 0;
    return weight;
  }
  /// How east and north of a station follow the observations; with shared angles when `how` is not none.
  Eigen::MatrixXd influence(std::size_t station, const std::vector<PlanePoint> &p, const std::vector<double> &b,
                            AngleShare how) const {
    const auto n = static_cast<Eigen::Index>(observations()), na = static_cast<Eigen::Index>(angles_.size());
    Eigen::MatrixXd j = Eigen::MatrixXd::Zero(2, n);
    for (Eigen::Index k = 0; k < na; ++k) {
      const std::size_t at = angles_[static_cast<std::size_t>(k)];
      if (at >= station) continue;
      j(0, k) = p[station].north - p[at].north;
      j(1, k) = -(p[station].east - p[at].east);
    }
    for (std::size_t i = 0; i < std::min(station, legs_); ++i) {
      j(0, na + static_cast<Eigen::Index>(i)) = std::sin(b[i]);
      j(1, na + static_cast<Eigen::Index>(i)) = std::cos(b[i]);
    }
    if (how == AngleShare::none || !t_.end_bearing) return j;
    // Every angle's error is shared by all of them.
    const std::vector<double> s = shares(-1, how);
    Eigen::VectorXd share(na);
    for (Eigen::Index k = 0; k < na; ++k) share[k] = s[static_cast<std::size_t>(k)];
    const Eigen::Vector2d common = j.leftCols(na) * share;
    for (Eigen::Index k = 0; k < na; ++k) j.col(k) -= common;
    return j;
  }
  Eigen::MatrixXd covariance(const Eigen::MatrixXd &j) const {
    Eigen::VectorXd q(j.cols());
    for (Eigen::Index k = 0; k < j.cols(); ++k) q[k] = std::pow(sd(static_cast<std::size_t>(k)), 2);
    return j * q.asDiagonal() * j.transpose();
  }

private:
  const TraverseInput &t_;
  std::size_t legs_;
  std::vector<std::size_t> angles_; ///< stations whose angles take part
};

void check(const TraverseInput &t) {
  if (t.stations.size() < 2) throw InputError("a traverse needs two stations at least");
  for (std::size_t i = 0; i + 1 < t.stations.size(); ++i) {
    const TraverseStation &s = t.stations[i];
    if (!(s.length > 0)) throw InputError(fmt::format("no distance from {} to {}", s.mark, t.stations[i + 1].mark));
    if (!(s.length_sd > 0)) throw InputError(fmt::format("the distance from {} has no standard deviation", s.mark));
    if (i > 0 && !s.has_angle) throw InputError(fmt::format("no angle at {}: the route breaks there", s.mark));
  }
  for (std::size_t i = t.bearing_of_first_leg ? 1 : 0; i < t.stations.size(); ++i)
    if (t.stations[i].has_angle && !(t.stations[i].angle_sd > 0))
      throw InputError(fmt::format("the angle at {} has no standard deviation", t.stations[i].mark));
}

/// How the end moves when the start's bearing turns.
Eigen::Vector2d turned(const TraverseInput &t, const PlanePoint &end) {
  return {end.north - t.start.north, -(end.east - t.start.east)};
}
/// Of the end against the start, as far as what is known makes it; a shared angular misclosure takes half of a wrong
/// bearing away, on the mean.
Eigen::Matrix2d known_covariance(const TraverseInput &t, const PlanePoint &end, bool shared) {
  const Eigen::Vector2d turn = turned(t, end);
  const double v =
      shared ? (std::pow(t.start_bearing_sd, 2) + std::pow(t.end_bearing_sd, 2)) / 4 : std::pow(t.start_bearing_sd, 2);
  return t.known_covariance + turn * turn.transpose() * v;
}

/// Corrections of the legs' east and north parts that close the coordinates.
std::vector<PlanePoint> corrections(Balance how, const Route &r, const std::vector<double> &b, double fe, double fn) {
  std::vector<PlanePoint> out(r.legs());
  double length = 0, east = 0, north = 0, ss = 0, sc = 0, cc = 0;
  for (std::size_t i = 0; i < r.legs(); ++i) {
    const double d = r.leg(i), s = std::sin(b[i]), c = std::cos(b[i]);
    length += d, east += std::abs(d * s), north += std::abs(d * c);
    ss += d * s * s, sc += d * s * c, cc += d * c * c;
  }
  // Crandall: lengths alone take it, weighted by 1/d; λ from the two conditions.
  const double det = ss * cc - sc * sc;
  const double l1 = det != 0 ? (-fe * cc + fn * sc) / det : 0, l2 = det != 0 ? (-fn * ss + fe * sc) / det : 0;
  for (std::size_t i = 0; i < r.legs(); ++i) {
    const double d = r.leg(i), s = std::sin(b[i]), c = std::cos(b[i]);
    if (how == Balance::compass)
      out[i] = {-fe * d / length, -fn * d / length};
    else if (how == Balance::transit)
      out[i] = {east > 0 ? -fe * std::abs(d * s) / east : 0, north > 0 ? -fn * std::abs(d * c) / north : 0};
    else if (how == Balance::crandall) {
      const double v = d * (l1 * s + l2 * c);
      out[i] = {v * s, v * c};
    }
  }
  return out;
}

PlaneResult by_least_squares(const TraverseInput &t, const std::vector<PlanePoint> &begin) {
  using K = PlaneObservation::Kind;
  PlaneNetwork n;
  const std::size_t last = t.stations.size() - 1;
  auto name = [&](std::size_t i) {
    return i == last && t.stations[i].mark == t.stations[0].mark ? std::string("0") : std::to_string(i);
  };
  for (std::size_t i = 0; i <= last; ++i) n.start[name(i)] = begin[i];
  n.fixed["0"] = t.start;
  if (t.end) n.fixed[name(last)] = *t.end;
  auto add = [&](K kind, std::size_t at, std::size_t to, std::size_t back, double value, double sd) {
    n.observations.push_back({kind, "", name(at), name(to), kind == K::angle ? name(back) : "", "", value, sd});
  };
  constexpr double held = 1e-9; ///< rad: a bearing that is given
  if (t.bearing_of_first_leg)
    add(K::bearing, 0, 1, 0, t.start_bearing, held);
  else
    add(K::bearing, 0, 1, 0, t.start_bearing + t.stations[0].angle, t.stations[0].angle_sd);
  for (std::size_t i = 1; i < last; ++i) add(K::angle, i, i + 1, i - 1, t.stations[i].angle, t.stations[i].angle_sd);
  if (t.end_bearing && t.stations[last].has_angle)
    add(K::bearing, last, last - 1, 0, *t.end_bearing - t.stations[last].angle, t.stations[last].angle_sd);
  for (std::size_t i = 0; i < last; ++i) add(K::distance, i, i + 1, 0, t.stations[i].length, t.stations[i].length_sd);
  n.options.max_iterations = 20;
  PlaneResult r = adjust_plane(n);
  // By the numbers of the stations, the last one of a loop too.
  r.points[std::to_string(last)] = r.points.at(name(last));
  r.covariance[std::to_string(last)] = r.covariance.at(name(last));
  return r;
}

} // namespace

std::string traverse_kind_name(TraverseKind k) {
  return k == TraverseKind::loop ? "closed loop" : k == TraverseKind::link ? "link" : "hanging";
}

const std::vector<Balance> &all_balances() {
  static const std::vector<Balance> all{Balance::none, Balance::compass, Balance::transit, Balance::crandall,
                                        Balance::least_squares};
  return all;
}

std::string balance_name(Balance b) {
  switch (b) {
  case Balance::compass:
    return "compass rule";
  case Balance::transit:
    return "transit rule";
  case Balance::crandall:
    return "Crandall";
  case Balance::least_squares:
    return "least squares";
  case Balance::none:
    break;
  }
  return "none";
}

std::string angle_share_name(AngleShare a) {
  return a == AngleShare::none ? "none" : a == AngleShare::equal ? "equal" : "inverse to length";
}
std::string height_share_name(HeightShare h) {
  return h == HeightShare::none ? "none" : h == HeightShare::equal ? "equal" : "length";
}
Balance balance_by_name(std::string_view name) {
  for (Balance b : all_balances())
    if (balance_name(b) == name) return b;
  throw InputError(fmt::format("\"{}\" is no way to balance a traverse", name));
}
AngleShare angle_share_by_name(std::string_view name) {
  for (AngleShare a : {AngleShare::none, AngleShare::equal, AngleShare::inverse_length})
    if (angle_share_name(a) == name) return a;
  throw InputError(fmt::format("\"{}\" is no way to share an angular misclosure", name));
}
HeightShare height_share_by_name(std::string_view name) {
  for (HeightShare h : {HeightShare::none, HeightShare::equal, HeightShare::length})
    if (height_share_name(h) == name) return h;
  throw InputError(fmt::format("\"{}\" is no way to share a height misclosure", name));
}

namespace {
/// All that should close, before anything is shared, tested together; and each single mistake against it.
void test_closures(const TraverseInput &t, const Route &route, const std::vector<PlanePoint> &p_measured,
                   const std::vector<double> &measured, TraverseResult &out) {
  TraverseClosure &c = out.closure;
  const auto rows = static_cast<Eigen::Index>((c.has_angular ? 1 : 0) + (c.has_linear ? 2 : 0));
  c.degrees = static_cast<int>(rows);
  if (rows > 0) {
    const auto n = static_cast<Eigen::Index>(route.observations()),
               na = static_cast<Eigen::Index>(route.angles().size());
    Eigen::MatrixXd j = Eigen::MatrixXd::Zero(rows, n);
    Eigen::VectorXd m(rows);
    if (c.has_angular) j.row(0).head(na).setOnes(), m[0] = c.angular;
    if (c.has_linear) {
      j.bottomRows(2) = route.influence(route.legs(), p_measured, measured, AngleShare::none);
      m.tail(2) << p_measured.back().east - t.end->east, p_measured.back().north - t.end->north;
    }
    Eigen::MatrixXd known = Eigen::MatrixXd::Zero(rows, rows);
    if (c.has_linear) known.bottomRightCorner<2, 2>() = known_covariance(t, p_measured.back(), false);
    if (c.has_angular) {
      known(0, 0) = std::pow(t.start_bearing_sd, 2) + std::pow(t.end_bearing_sd, 2);
      if (c.has_linear) {
        const Eigen::Vector2d turn = turned(t, p_measured.back()) * std::pow(t.start_bearing_sd, 2);
        known.block<1, 2>(0, 1) = turn.transpose(), known.block<2, 1>(1, 0) = turn;
      }
    }
    const Eigen::MatrixXd inverse = (route.covariance(j) + known).inverse();
    c.statistic = m.dot(inverse * m);
    c.limit = chi_square_limit(c.degrees);
    if (c.statistic > c.limit)
      for (Eigen::Index k = 0; k < n; ++k) {
        const Eigen::VectorXd g = inverse * j.col(k);
        const double power = j.col(k).dot(g), along = g.dot(m);
        if (power <= 0) continue;
        TraverseSuspect s;
        s.angle = k < na;
        s.mark =
            t.stations[s.angle ? route.angles()[static_cast<std::size_t>(k)] : static_cast<std::size_t>(k - na)].mark;
        s.size = along / power;
        s.left = c.statistic - along * along / power;
        s.clears = c.degrees > 1 && s.left <= chi_square_limit(c.degrees - 1);
        out.suspects.push_back(s);
      }
    std::stable_sort(out.suspects.begin(), out.suspects.end(),
                     [](const auto &x, const auto &y) { return x.left < y.left; });
  }
}

/// Heights along a route as measured, and with the closure shared out; empty where a leg has none.
struct RouteHeights {
  std::vector<std::optional<double>> raw, shared;
};
RouteHeights heights_along(const TraverseInput &t, const Route &route, HeightShare height_share, TraverseClosure &c) {
  const std::size_t last = route.legs();
  std::vector<std::optional<double>> height(last + 1), raw_height(last + 1);
  bool rises = t.start_height.has_value();
  for (std::size_t i = 0; i < last; ++i) rises = rises && t.stations[i].has_rise;
  if (rises) {
    double h = *t.start_height, variance = std::pow(t.known_height_sd, 2);
    raw_height[0] = h;
    for (std::size_t i = 0; i < last; ++i) {
      h += t.stations[i].rise;
      variance += std::pow(t.stations[i].rise_sd, 2);
      raw_height[i + 1] = h;
    }
    height = raw_height;
    c.has_height = t.end_height.has_value();
    if (c.has_height) {
      c.height = h - *t.end_height, c.height_sd = std::sqrt(variance);
      double along = 0;
      for (std::size_t i = 0; i < last; ++i) {
        along += height_share == HeightShare::length  ? route.leg(i) / c.length
                 : height_share == HeightShare::equal ? 1.0 / static_cast<double>(last)
                                                      : 0;
        height[i + 1] = *raw_height[i + 1] - c.height * along;
      }
    }
  }
  return {raw_height, height};
}

/// Places of a balance; what is to be said of it goes into its warning.
std::vector<PlanePoint> balanced_places(const Route &route, const std::vector<PlanePoint> &p,
                                        const std::vector<double> &b, const TraverseClosure &c,
                                        const std::optional<PlaneResult> &adjusted, const std::string &no_adjustment,
                                        BalancedTraverse &balanced) {
  const std::size_t last = route.legs();
  const Balance method = balanced.method;
  std::vector<PlanePoint> places = p;
  if (method == Balance::least_squares && !no_adjustment.empty())
    balanced.warning = "no least squares: " + no_adjustment;
  else if (method == Balance::least_squares && adjusted) {
    for (std::size_t i = 0; i <= last; ++i) places[i] = adjusted->points.at(std::to_string(i));
    if (c.degrees <= 3) balanced.warning = fmt::format("{} redundant observations: little to work on", c.degrees);
  } else if (method != Balance::none && c.has_linear) {
    const auto v = corrections(method, route, b, c.east, c.north);
    for (std::size_t i = 0; i < last; ++i) {
      places[i + 1].east = places[i].east + route.leg(i) * std::sin(b[i]) + v[i].east;
      places[i + 1].north = places[i].north + route.leg(i) * std::cos(b[i]) + v[i].north;
    }
  }
  return places;
}
} // namespace

TraverseResult compute_traverse(const TraverseInput &input, AngleShare how, HeightShare height_share) {
  check(input);
  TraverseInput t = input;
  const bool loop = t.stations.front().mark == t.stations.back().mark;
  if (loop && !t.end) t.end = t.start;
  if (loop && !t.end_height) t.end_height = t.start_height;
  TraverseResult out;
  out.kind = loop ? TraverseKind::loop : t.end || t.end_bearing ? TraverseKind::link : TraverseKind::hanging;
  const Route route(t);
  const std::size_t last = route.legs();
  TraverseClosure &c = out.closure;
  for (std::size_t i = 0; i < last; ++i) c.length += route.leg(i);

  const std::vector<double> measured = route.bearings({});
  c.has_angular = t.end_bearing.has_value() && t.stations.back().has_angle;
  if (c.has_angular) {
    c.angular = small_angle(measured.back() - *t.end_bearing);
    double variance = std::pow(t.start_bearing_sd, 2) + std::pow(t.end_bearing_sd, 2);
    for (std::size_t i : route.angles()) variance += std::pow(t.stations[i].angle_sd, 2);
    c.angular_sd = std::sqrt(variance);
    out.angle_shares = route.shares(c.angular, how);
  } else
    out.angle_shares.assign(route.angles().size(), 0);
  const std::vector<double> b = route.bearings(out.angle_shares);
  const std::vector<PlanePoint> p = route.points(b), p_measured = route.points(measured);
  for (std::size_t i = 0; i < last; ++i) out.bearings.push_back(positive_angle(b[i]));

  c.has_linear = t.end.has_value();
  if (c.has_linear) {
    c.east = p.back().east - t.end->east, c.north = p.back().north - t.end->north;
    c.linear = std::hypot(c.east, c.north);
    if (c.linear > 0.0005) c.ratio = c.length / c.linear;
    const Eigen::Matrix2d q = route.covariance(route.influence(last, p, b, c.has_angular ? how : AngleShare::none)) +
                              known_covariance(t, p.back(), c.has_angular && how != AngleShare::none);
    const Eigen::Vector2d u = c.linear > 0 ? Eigen::Vector2d(c.east, c.north) / c.linear : Eigen::Vector2d(1, 0);
    c.linear_sd = std::sqrt(u.dot(q * u));
  }
  test_closures(t, route, p_measured, measured, out);

  const RouteHeights heights = heights_along(t, route, height_share, c);
  std::optional<PlaneResult> adjusted;
  std::string no_adjustment;
  if (c.has_linear || c.has_angular) try {
      adjusted = by_least_squares(t, p_measured);
    } catch (const std::exception &e) {
      no_adjustment = e.what(); // a gross mistake can keep it from converging; the closures say so
    }
  auto point = [&](std::size_t i, const PlanePoint &place, const std::optional<double> &h) {
    TraversePoint x{t.stations[i].mark, place, h};
    Eigen::Matrix2d own = route.covariance(route.influence(i, p, b, AngleShare::none));
    if (adjusted) own = adjusted->covariance.at(std::to_string(i));
    x.sd = std::sqrt(std::max(0.0, own.trace() / 2));
    x.moved = distance(place, p[i]);
    if (x.moved > 0 && i > 0) {
      const Eigen::Matrix2d q = route.covariance(route.influence(i, p, b, c.has_angular ? how : AngleShare::none));
      const Eigen::Vector2d u = Eigen::Vector2d(place.east - p[i].east, place.north - p[i].north) / x.moved;
      x.expected = std::sqrt(u.dot(q * u));
    }
    return x;
  };
  for (std::size_t i = 0; i <= last; ++i) out.raw.push_back(point(i, p[i], heights.raw[i]));
  for (Balance method : all_balances()) {
    BalancedTraverse balanced;
    balanced.method = method;
    const std::vector<PlanePoint> places = balanced_places(route, p, b, c, adjusted, no_adjustment, balanced);
    double worst = 0;
    std::string mark;
    for (std::size_t i = 0; i <= last; ++i) {
      balanced.points.push_back(point(i, places[i], (method == Balance::none ? heights.raw : heights.shared)[i]));
      const TraversePoint &x = balanced.points.back();
      if (x.expected > 0 && x.moved / x.expected > worst) worst = x.moved / x.expected, mark = x.mark;
    }
    if (worst > single_test_limit)
      balanced.warning =
          fmt::format("it moves {} by {:.1f} times its standard deviation: look for a mistake first", mark, worst);
    out.balanced.push_back(std::move(balanced));
  }
  return out;
}

} // namespace ampletie
