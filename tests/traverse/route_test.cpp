// Traverses: published example, every balance against independent arithmetic, statistics, the search for a mistake.
#include "base/angle.h"
#include "base/error.h"
#include "support/angles.h"
#include "traverse/route.h"
#include "traverse/sets.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using ampletie::testing::dms;
using ampletie::testing::second;
using Catch::Matchers::Contains;

namespace {

/// TRV-01 (Ghilani and Wolf): five legs, interior angles, feet.
TraverseInput published() {
  TraverseInput t;
  const double angle[] = {0, dms(231, 23, 43), dms(17, 12, 59), dms(89, 3, 28), dms(101, 34, 24), dms(100, 45, 37)};
  const double length[] = {647.25, 203.03, 720.35, 610.24, 285.13, 0};
  const char *name[] = {"A", "B", "C", "D", "E", "A"};
  for (int i = 0; i < 6; ++i) {
    TraverseStation s;
    s.mark = name[i], s.angle = angle[i], s.angle_sd = 3 * second, s.length = length[i], s.length_sd = 0.02;
    t.stations.push_back(s);
  }
  t.start = {10000, 5000};
  t.start_bearing = dms(126, 55, 17);
  t.bearing_of_first_leg = true;
  t.end_bearing = t.start_bearing;
  return t;
}

const BalancedTraverse &by(const TraverseResult &r, Balance b) {
  for (const BalancedTraverse &x : r.balanced)
    if (x.method == b) return x;
  throw std::runtime_error("no such balance");
}

/// A link traverse simulated from its true coordinates; noise and one mistake by choice.
struct Simulated {
  std::vector<PlanePoint> truth{{1000, 5000}, {1150, 5190}, {1400, 5150}, {1560, 5010},
                                {1830, 5040}, {1980, 5190}, {2080, 5420}};
  PlanePoint back{900, 5200}, fore{2250, 5500};
  TraverseInput t;
  Simulated(std::uint64_t seed, double scale, bool closing_sight = true) {
    std::mt19937_64 random(seed);
    std::normal_distribution<double> normal;
    const double angle_sd = 4 * second, length_sd = 0.004;
    const std::size_t last = truth.size() - 1;
    for (std::size_t i = 0; i <= last; ++i) {
      TraverseStation s;
      s.mark = "T" + std::to_string(i);
      const PlanePoint &before = i == 0 ? back : truth[i - 1], &after = i == last ? fore : truth[i + 1];
      s.angle =
          positive_angle(bearing(truth[i], after) - bearing(truth[i], before) + scale * angle_sd * normal(random));
      s.angle_sd = angle_sd;
      s.has_angle = i < last || closing_sight;
      if (i < last) {
        s.length = distance(truth[i], truth[i + 1]) + scale * length_sd * normal(random), s.length_sd = length_sd;
        s.rise = 2.0 + scale * 0.002 * normal(random), s.rise_sd = 0.002, s.has_rise = true;
      }
      t.stations.push_back(s);
    }
    t.start = truth.front(), t.end = truth.back();
    t.start_bearing = bearing(truth[0], back);
    if (closing_sight) t.end_bearing = bearing(truth.back(), fore);
    t.start_height = 100, t.end_height = 112;
  }
};

} // namespace

TEST_CASE("TRV-01: angular misclosure, compass rule") {
  const TraverseInput t = published();
  const TraverseResult r = compute_traverse(t, AngleShare::equal, HeightShare::none);
  CHECK(r.kind == TraverseKind::loop);
  CHECK(r.closure.angular / second == Approx(11).margin(0.01));
  CHECK(r.closure.length == Approx(2466.00).margin(1e-6));
  // The book shares whole seconds (−1, −2, −3, −2, −3); with these the published places come out.
  TraverseInput shared = t;
  const double share[] = {0, -2, -3, -2, -3, -1};
  for (std::size_t i = 1; i < 6; ++i) shared.stations[i].angle += share[i] * second;
  const TraverseResult s = compute_traverse(shared, AngleShare::none, HeightShare::none);
  CHECK(s.closure.angular == Approx(0).margin(1e-9));
  CHECK(degrees(s.bearings[1]) == Approx(178 + 18.0 / 60 + 58.0 / 3600).margin(1e-7));
  CHECK(degrees(s.bearings[4]) == Approx(206 + 9.0 / 60 + 41.0 / 3600).margin(1e-7));
  CHECK(std::abs(s.closure.east) == Approx(0.0268).margin(2e-4));
  CHECK(std::abs(s.closure.north) == Approx(0.0754).margin(2e-4));
  CHECK(s.closure.linear == Approx(0.0800).margin(2e-4));
  REQUIRE(s.closure.ratio);
  CHECK(*s.closure.ratio == Approx(30806).margin(10));
  const auto &p = by(s, Balance::compass).points;
  CHECK(p[1].place.east == Approx(10517.44).margin(0.012));
  CHECK(p[1].place.north == Approx(4611.16).margin(0.02));
  CHECK(p[2].place.east == Approx(10523.408).margin(0.001));
  CHECK(p[2].place.north == Approx(4408.216).margin(0.001));
  CHECK(p[3].place.east == Approx(10716.289).margin(0.001));
  CHECK(p[3].place.north == Approx(5102.239).margin(0.001));
  CHECK(p[4].place.east == Approx(10125.717).margin(0.001));
  CHECK(p[4].place.north == Approx(5255.929).margin(0.001));
  double area = 0;
  for (std::size_t i = 0; i < 5; ++i)
    area += (p[i].place.east * p[i + 1].place.north - p[i + 1].place.east * p[i].place.north) / 2;
  CHECK(std::abs(area) == Approx(272600).margin(60));
}

TEST_CASE("every balance closes, and does to each leg what its rule says") {
  for (const auto &input : {published(), Simulated(11, 1).t}) {
    const TraverseResult r = compute_traverse(input, AngleShare::equal, HeightShare::length);
    const PlanePoint end = input.end.value_or(input.start);
    const double fe = r.closure.east, fn = r.closure.north;
    double east = 0, north = 0;
    std::vector<double> de, dn;
    for (std::size_t i = 0; i + 1 < r.raw.size(); ++i) {
      de.push_back(r.raw[i + 1].place.east - r.raw[i].place.east),
          dn.push_back(r.raw[i + 1].place.north - r.raw[i].place.north);
      east += std::abs(de.back()), north += std::abs(dn.back());
    }
    for (const BalancedTraverse &b : r.balanced) {
      if (b.method == Balance::none) continue;
      CHECK(b.points.back().place.east == Approx(end.east).margin(1e-6));
      CHECK(b.points.back().place.north == Approx(end.north).margin(1e-6));
    }
    // Crandall's rule is least squares of the lengths alone, weights 1/d, bearings kept: solved here with all its
    // conditions written out (a dense system of normal equations with multipliers).
    const auto n = static_cast<Eigen::Index>(de.size());
    Eigen::MatrixXd k = Eigen::MatrixXd::Zero(n + 2, n + 2);
    Eigen::VectorXd rhs = Eigen::VectorXd::Zero(n + 2);
    for (Eigen::Index i = 0; i < n; ++i) {
      const auto u = static_cast<std::size_t>(i);
      const double d = std::hypot(de[u], dn[u]);
      k(i, i) = 1 / d;
      k(n, i) = k(i, n) = de[u] / d, k(n + 1, i) = k(i, n + 1) = dn[u] / d;
    }
    rhs[n] = -fe, rhs[n + 1] = -fn;
    const Eigen::VectorXd v = k.fullPivLu().solve(rhs);
    for (std::size_t i = 0; i < de.size(); ++i) {
      auto change = [&](Balance b) {
        const auto &p = by(r, b).points;
        return Eigen::Vector2d(p[i + 1].place.east - p[i].place.east - de[i],
                               p[i + 1].place.north - p[i].place.north - dn[i]);
      };
      const double d = std::hypot(de[i], dn[i]);
      CHECK((change(Balance::compass) + Eigen::Vector2d(fe, fn) * d / r.closure.length).norm() < 1e-9);
      CHECK((change(Balance::transit) + Eigen::Vector2d(fe * std::abs(de[i]) / east, fn * std::abs(dn[i]) / north))
                .norm() < 1e-9);
      const double vi = v[static_cast<Eigen::Index>(i)];
      CHECK((change(Balance::crandall) - Eigen::Vector2d(de[i], dn[i]) / d * vi).norm() < 1e-7);
    }
  }
}

TEST_CASE("least squares on one route agrees with conditions written out") {
  // Observations corrected so that the three conditions hold: v = −Q Jᵀ (J Q Jᵀ)⁻¹ m, in an own formulation.
  const Simulated s(21, 1);
  const TraverseResult r = compute_traverse(s.t, AngleShare::none, HeightShare::none);
  const std::size_t last = s.truth.size() - 1;
  std::vector<double> angle, length;
  for (const auto &x : s.t.stations) angle.push_back(x.angle), length.push_back(x.length);
  std::vector<PlanePoint> p;
  for (int pass = 0; pass < 4; ++pass) {
    auto walk = [&](const std::vector<double> &a, const std::vector<double> &d, double *closing) {
      std::vector<PlanePoint> out{s.t.start};
      double b = s.t.start_bearing + a[0];
      for (std::size_t i = 0; i < last; ++i) {
        out.push_back({out.back().east + d[i] * std::sin(b), out.back().north + d[i] * std::cos(b)});
        b += pi + a[i + 1];
      }
      *closing = b;
      return out;
    };
    auto misclosure = [&](const std::vector<double> &a, const std::vector<double> &d) {
      double closing = 0;
      const auto out = walk(a, d, &closing);
      return Eigen::Vector3d(small_angle(closing - *s.t.end_bearing), out.back().east - s.t.end->east,
                             out.back().north - s.t.end->north);
    };
    const auto n = static_cast<Eigen::Index>(2 * last + 1);
    Eigen::MatrixXd j(3, n);
    Eigen::VectorXd q(n), moved(n);
    for (Eigen::Index k = 0; k < n; ++k) {
      auto a = angle, d = length;
      const bool is_angle = k <= static_cast<Eigen::Index>(last);
      const auto u = static_cast<std::size_t>(is_angle ? k : k - static_cast<Eigen::Index>(last) - 1);
      const double step = is_angle ? 1e-6 : 1e-3;
      auto a2 = a, d2 = d;
      (is_angle ? a[u] : d[u]) += step, (is_angle ? a2[u] : d2[u]) -= step;
      j.col(k) = (misclosure(a, d) - misclosure(a2, d2)) / (2 * step);
      q[k] = std::pow(is_angle ? s.t.stations[u].angle_sd : s.t.stations[u].length_sd, 2);
      moved[k] = is_angle ? angle[u] - s.t.stations[u].angle : length[u] - s.t.stations[u].length;
    }
    const Eigen::Vector3d w = misclosure(angle, length) - j * moved;
    const Eigen::MatrixXd qj = q.asDiagonal() * j.transpose();
    const Eigen::VectorXd v = -1.0 * (qj * (j * qj).inverse() * w);
    for (std::size_t i = 0; i <= last; ++i) angle[i] = s.t.stations[i].angle + v[static_cast<Eigen::Index>(i)];
    for (std::size_t i = 0; i < last; ++i)
      length[i] = s.t.stations[i].length + v[static_cast<Eigen::Index>(last + 1 + i)];
    double closing = 0;
    p = walk(angle, length, &closing);
  }
  const auto &adjusted = by(r, Balance::least_squares).points;
  for (std::size_t i = 0; i <= last; ++i) {
    CHECK(adjusted[i].place.east == Approx(p[i].east).margin(1e-7));
    CHECK(adjusted[i].place.north == Approx(p[i].north).margin(1e-7));
  }
  CHECK_THAT(by(r, Balance::least_squares).warning, Contains("3 redundant"));
}

TEST_CASE("propagated misclosures: χ² has its error probability, angular and linear ones their deviations") {
  int beyond = 0;
  double angular = 0, linear = 0, height = 0;
  const int n = 1500;
  for (int seed = 0; seed < n; ++seed) {
    const Simulated s(17000 + static_cast<std::uint64_t>(seed), 1);
    const TraverseResult r = compute_traverse(s.t, AngleShare::equal, HeightShare::length);
    beyond += r.closure.statistic > r.closure.limit;
    angular += std::pow(r.closure.angular / r.closure.angular_sd, 2);
    linear += r.closure.statistic;
    height += std::pow(r.closure.height / r.closure.height_sd, 2);
    CHECK(r.closure.degrees == 3);
  }
  CHECK(beyond <= 7); // 1.5 expected
  CHECK(angular / n == Approx(1).margin(0.12));
  CHECK(linear / n == Approx(3).margin(0.2));
  CHECK(height / n == Approx(1).margin(0.12));
}

TEST_CASE("one gross angle or distance is named with its size") {
  int right = 0, among = 0, n = 0, clean = 0;
  for (std::uint64_t seed = 0; seed < 300; ++seed) {
    Simulated s(9000 + seed, 1);
    std::mt19937_64 random(seed);
    const std::size_t at = 1 + random() % 5;
    const bool angle = random() % 2;
    const double size = angle ? (random() % 2 ? 1 : -1) * 120 * second : (random() % 2 ? 1 : -1) * 0.1;
    (angle ? s.t.stations[at].angle : s.t.stations[at].length) += size;
    const TraverseResult r = compute_traverse(s.t, AngleShare::equal, HeightShare::none);
    REQUIRE(!r.suspects.empty());
    ++n;
    for (std::size_t i = 0; i < 3; ++i) {
      const TraverseSuspect &x = r.suspects[i];
      if (x.mark != s.t.stations[at].mark || x.angle != angle) continue;
      among += 1, right += i == 0;
      CHECK(x.size == Approx(size).epsilon(0.5));
      CHECK(x.clears);
    }
    clean +=
        compute_traverse(Simulated(9000 + seed, 1).t, AngleShare::equal, HeightShare::none).suspects.empty() ? 0 : 1;
  }
  // Distances along parallel legs cannot be told apart: among the first three.
  CHECK(right >= 0.80 * n);
  CHECK(among >= 0.95 * n);
  CHECK(clean <= 0.05 * n);
}

TEST_CASE("walked the other way the balanced places are the same") {
  const Simulated s(31, 1);
  TraverseInput other;
  const std::size_t last = s.t.stations.size() - 1;
  for (std::size_t i = 0; i <= last; ++i) {
    TraverseStation x = s.t.stations[last - i];
    x.angle = 2 * pi - x.angle;
    if (i < last) x.length = s.t.stations[last - i - 1].length, x.length_sd = s.t.stations[last - i - 1].length_sd;
    x.has_rise = false;
    other.stations.push_back(x);
  }
  other.start = *s.t.end, other.end = s.t.start;
  other.start_bearing = *s.t.end_bearing, other.end_bearing = s.t.start_bearing;
  for (AngleShare how : {AngleShare::equal, AngleShare::inverse_length}) {
    const TraverseResult a = compute_traverse(s.t, how, HeightShare::none),
                         b = compute_traverse(other, how, HeightShare::none);
    CHECK(a.closure.angular == Approx(-b.closure.angular).margin(1e-12));
    CHECK(a.closure.statistic == Approx(b.closure.statistic).epsilon(1e-3));
    for (Balance m : {Balance::compass, Balance::transit, Balance::crandall, Balance::least_squares})
      for (std::size_t i = 0; i <= last; ++i) {
        const double off = distance(by(a, m).points[i].place, by(b, m).points[last - i].place);
        // Rules hang on the shared angles, which agree to the noise that closes; least squares is the same exactly.
        CHECK(off < (m == Balance::least_squares ? 1e-6 : 5e-4));
      }
  }
}

TEST_CASE("heights: shared by length or equally, to the last digit") {
  Simulated s(41, 1);
  const TraverseResult none = compute_traverse(s.t, AngleShare::equal, HeightShare::none),
                       length = compute_traverse(s.t, AngleShare::equal, HeightShare::length),
                       equal = compute_traverse(s.t, AngleShare::equal, HeightShare::equal);
  CHECK(*by(length, Balance::compass).points.back().height == Approx(112).margin(1e-12));
  CHECK(*by(equal, Balance::compass).points.back().height == Approx(112).margin(1e-12));
  CHECK(*by(none, Balance::compass).points.back().height == Approx(112 + none.closure.height).margin(1e-12));
  CHECK(*by(equal, Balance::compass).points[3].height ==
        Approx(*equal.raw[3].height - equal.closure.height / 2).margin(1e-12));
}

TEST_CASE("a hanging traverse closes nothing, a link without a closing sight its coordinates only") {
  Simulated s(51, 1, false);
  TraverseResult r = compute_traverse(s.t, AngleShare::equal, HeightShare::none);
  CHECK(r.kind == TraverseKind::link);
  CHECK(!r.closure.has_angular);
  CHECK(r.closure.degrees == 2);
  s.t.end.reset();
  r = compute_traverse(s.t, AngleShare::equal, HeightShare::none);
  CHECK(r.kind == TraverseKind::hanging);
  CHECK(r.closure.degrees == 0);
  CHECK(!r.closure.ratio);
  for (const BalancedTraverse &b : r.balanced)
    for (const TraversePoint &p : b.points) CHECK(p.moved == Approx(0).margin(1e-9));
}

TEST_CASE("1:n is not given where the misclosure is rounding") {
  const TraverseResult r = compute_traverse(Simulated(61, 0).t, AngleShare::equal, HeightShare::none);
  CHECK(r.closure.linear < 1e-6);
  CHECK(!r.closure.ratio);
  CHECK(r.suspects.empty());
}

TEST_CASE("a balance that hides a mistake is warned about") {
  Simulated s(71, 1);
  s.t.stations[3].length += 0.5;
  const TraverseResult r = compute_traverse(s.t, AngleShare::equal, HeightShare::none);
  CHECK_THAT(by(r, Balance::compass).warning, Contains("look for a mistake first"));
  CHECK(
      by(compute_traverse(Simulated(71, 1).t, AngleShare::equal, HeightShare::none), Balance::compass).warning.empty());
}

TEST_CASE("routes that are none are refused in words") {
  Simulated s(81, 1);
  TraverseInput one;
  one.stations = {s.t.stations[0]};
  CHECK_THROWS_WITH(compute_traverse(one, AngleShare::equal, HeightShare::none), Contains("two stations"));
  TraverseInput gap = s.t;
  gap.stations[2].length = 0;
  CHECK_THROWS_WITH(compute_traverse(gap, AngleShare::equal, HeightShare::none), Contains("no distance from T2 to T3"));
  gap = s.t;
  gap.stations[3].has_angle = false;
  CHECK_THROWS_WITH(compute_traverse(gap, AngleShare::equal, HeightShare::none), Contains("no angle at T3"));
  gap = s.t;
  gap.stations[3].angle_sd = 0;
  CHECK_THROWS_WITH(compute_traverse(gap, AngleShare::equal, HeightShare::none), Contains("standard deviation"));
}
