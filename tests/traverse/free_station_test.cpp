// Resection, free stations and intersections: worked values, truth, statistics, geometry that fails.
#include "base/angle.h"
#include "base/error.h"
#include "support/angles.h"
#include "traverse/free_station.h"
#include "traverse/sets.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using ampletie::testing::dms;
using ampletie::testing::second;
using Catch::Matchers::Contains;

namespace {
struct PlaneField {
  std::mt19937_64 random;
  std::normal_distribution<double> normal;
  PlanePoint station{500, 300};
  double orientation = 1.234;
  explicit PlaneField(std::uint64_t seed) : random(seed) {}
  StationSight sight(const std::string &name, const PlanePoint &p, bool direction, bool length, double scale = 1) {
    StationSight s;
    s.mark = name, s.place = p;
    s.direction_sd = 3 * second, s.distance_sd = 0.003;
    if (direction)
      s.direction = positive_angle(bearing(station, p) - orientation + scale * s.direction_sd * normal(random));
    if (length) s.distance = distance(station, p) + scale * s.distance_sd * normal(random);
    return s;
  }
};
const PlanePoint marks[] = {{100, 900}, {950, 800}, {1100, 100}, {200, -200}};
} // namespace

TEST_CASE("RES-01: three-point resection, station outside the triangle") {
  const PlanePoint a{5721.25, 21802.48}, b{13542.99, 22497.95}, c{20350.09, 24861.22};
  const double ab = dms(48, 53, 12), bc = dms(41, 20, 35);
  const PlanePoint p = three_point(a, b, c, ab, bc);
  CHECK(p.east == Approx(14377.217).margin(0.002));
  CHECK(p.north == Approx(16011.049).margin(0.002));
  // The same from least squares, found from nothing.
  std::vector<StationSight> sights{
      {"A", a, 0.0, {}, second, 0}, {"B", b, ab, {}, second, 0}, {"C", c, ab + bc, {}, second, 0}};
  const FreeStation f = free_station(sights);
  CHECK(f.place.east == Approx(14377.217).margin(0.002));
  CHECK(f.place.north == Approx(16011.049).margin(0.002));
  CHECK(positive_angle(bearing(f.place, a)) == Approx(f.orientation).margin(1e-9));
}

TEST_CASE("LSQ-03: link traverse by least squares (Ghilani and Wolf)") {
  PlaneNetwork n;
  n.fixed = {{"Q", {1000, 800}}, {"R", {1000, 1000}}, {"S", {1223, 1186.5}}, {"T", {1400, 1186.5}}};
  n.start = {{"U", {1170, 1100}}};
  using K = PlaneObservation::Kind;
  n.observations = {{K::distance, "RU", "R", "U", "", "", 200.00, 0.05},
                    {K::distance, "US", "U", "S", "", "", 100.00, 0.08},
                    {K::angle, "QRU", "R", "U", "Q", "", radians(240), 30 * second},
                    {K::angle, "RUS", "U", "S", "R", "", radians(150), 30 * second},
                    {K::angle, "UST", "S", "T", "U", "", dms(240, 1, 0), 30 * second}};
  const PlaneResult r = adjust_plane(n);
  CHECK(r.points.at("U").east == Approx(1173.089).margin(0.001));
  CHECK(r.points.at("U").north == Approx(1099.987).margin(0.001));
  CHECK(std::sqrt(r.adjustment.variance_factor) == Approx(1.82).margin(0.006));
  auto v = [&](std::size_t i) { return r.adjustment.tests[i].observations[0].residual; };
  CHECK(v(0) == Approx(-0.11).margin(0.005));
  CHECK(v(1) == Approx(-0.12).margin(0.005));
  CHECK(v(2) / second == Approx(-49).margin(0.6));
  CHECK(v(3) / second == Approx(-17).margin(0.6));
  CHECK(v(4) / second == Approx(6).margin(0.6));
  // Printed there with the a-posteriori factor.
  CHECK(std::sqrt(r.covariance.at("U")(0, 0) * r.adjustment.variance_factor) == Approx(0.0419).margin(2e-4));
  CHECK(std::sqrt(r.covariance.at("U")(1, 1) * r.adjustment.variance_factor) == Approx(0.0526).margin(2e-4));
}

TEST_CASE("any mix of directions and distances finds the station") {
  for (const char *mix : {"dd|dd|dd", "d-|d-|d-|d-", "-l|-l|-l", "dl|dl", "dl|d-", "d-|d-|-l", "dl|dl|dl|dl"}) {
    INFO(mix);
    PlaneField f(3);
    std::vector<StationSight> sights;
    std::size_t i = 0;
    const std::string text = mix;
    for (std::size_t at = 0; at + 1 < text.size(); at += 3, ++i)
      sights.push_back(
          f.sight("M" + std::to_string(i), marks[i], text[at] == 'd', text[at + 1] == 'l' || text[at + 1] == 'd', 0));
    const FreeStation s = free_station(sights);
    const bool here = distance(s.place, f.station) < 1e-5, there = s.other && distance(*s.other, f.station) < 1e-5;
    CHECK((here || there));
    if (text == "dl|dl|dl|dl" || text == "d-|d-|d-|d-" || text == "dl|dl") {
      CHECK(here);
      CHECK(s.orientation == Approx(f.orientation).margin(1e-8));
    }
  }
}

TEST_CASE("two distances alone have two answers, and both are given") {
  PlaneField f(4);
  const FreeStation s = free_station({f.sight("A", marks[0], false, true, 0), f.sight("B", marks[1], false, true, 0)});
  REQUIRE(s.other);
  CHECK(std::min(distance(s.place, f.station), distance(*s.other, f.station)) < 1e-6);
  CHECK_THAT(s.danger, Contains("nothing checks") || Contains("times worse"));
}

TEST_CASE("printed accuracy of a free station agrees with its errors") {
  double sum = 0;
  int inside = 0;
  const int n = 500;
  for (int seed = 0; seed < n; ++seed) {
    PlaneField f(1000 + static_cast<std::uint64_t>(seed));
    std::vector<StationSight> sights;
    for (std::size_t i = 0; i < 4; ++i) sights.push_back(f.sight("M" + std::to_string(i), marks[i], true, true));
    const FreeStation s = free_station(sights);
    const Eigen::Vector2d e(s.place.east - f.station.east, s.place.north - f.station.north);
    const double q = e.dot(s.covariance.inverse() * e);
    sum += q / 2;
    inside += q < 5.991;
    CHECK(s.adjustment.redundancy == 5);
  }
  CHECK(sum / n == Approx(1).margin(0.13));
  CHECK(inside >= 0.92 * n);
  CHECK(inside <= 0.98 * n);
}

TEST_CASE("the danger circle is recognised before anyone believes the result") {
  // Three marks and a station on one circle of 500 m.
  auto on = [](double a, double r) { return PlanePoint{1000 + r * std::sin(a), 1000 + r * std::cos(a)}; };
  for (const double off : {0.0, 0.02, 0.3}) {
    PlaneField f(6);
    f.station = on(3.5, 500 * (1 + off));
    std::vector<StationSight> sights;
    for (double a : {0.2, 1.0, 5.5}) sights.push_back(f.sight(std::to_string(a), on(a, 500), true, false, 0));
    if (off == 0) {
      CHECK_THROWS_WITH(three_point(sights[0].place, sights[1].place, sights[2].place,
                                    *sights[1].direction - *sights[0].direction,
                                    *sights[2].direction - *sights[1].direction),
                        Contains("circle"));
      std::string words;
      try {
        words = free_station(sights).danger;
      } catch (const InputError &e) {
        words = e.reason();
      }
      CHECK_THAT(words, Contains("circle"));
      continue;
    }
    const FreeStation s = free_station(sights);
    CHECK(distance(s.place, f.station) < 1e-3);
    if (off < 0.1)
      CHECK_THAT(s.danger, Contains("circle"));
    else
      CHECK_THAT(s.danger, !Contains("circle"));
  }
}

TEST_CASE("a wrong mark among the sights stands out") {
  int right = 0;
  const int n = 60;
  for (int seed = 0; seed < n; ++seed) {
    PlaneField f(4000 + static_cast<std::uint64_t>(seed));
    std::vector<StationSight> sights;
    for (std::size_t i = 0; i < 4; ++i) sights.push_back(f.sight("M" + std::to_string(i), marks[i], true, true));
    sights[2].place.east += 0.08; // it was disturbed
    const FreeStation s = free_station(sights);
    CHECK(!s.adjustment.passes);
    double worst = 0;
    std::string who;
    for (std::size_t i = 0; i < s.observations.size(); ++i)
      if (const double w = std::abs(s.adjustment.tests[i].observations[0].standardised); w > worst)
        worst = w, who = s.observations[i];
    right += who.find("M2") != std::string::npos;
  }
  CHECK(right >= 0.9 * n);
}

TEST_CASE("residuals of a free station name a distance that is thirty millimetres off, and by how much") {
  int right = 0;
  const int n = 60;
  for (int seed = 0; seed < n; ++seed) {
    PlaneField f(7000 + static_cast<std::uint64_t>(seed));
    std::vector<StationSight> sights;
    for (std::size_t i = 0; i < 4; ++i) sights.push_back(f.sight("M" + std::to_string(i), marks[i], true, true));
    *sights[1].distance += 0.03;
    const std::vector<FreeResidual> all = residuals(free_station(sights));
    REQUIRE(all.size() == 8);
    const auto worst = std::max_element(all.begin(), all.end(),
                                        [](const auto &a, const auto &b) { return std::abs(a.w) < std::abs(b.w); });
    right +=
        worst->what == "distance to M1" && !worst->angle && !worst->passes && std::abs(worst->error - 0.03) < 0.012;
  }
  CHECK(right >= 0.9 * n);
}

TEST_CASE("too little is refused in words") {
  PlaneField f(7);
  CHECK_THROWS_WITH(free_station({f.sight("A", marks[0], true, true)}), Contains("two known marks"));
  CHECK_THROWS_WITH(free_station({f.sight("A", marks[0], true, false), f.sight("B", marks[1], true, false)}),
                    Contains("three directions"));
  CHECK_THROWS(adjust_plane({}));
  PlaneNetwork n;
  n.observations = {{PlaneObservation::Kind::distance, "", "A", "B", "", "", 10, 0.01}};
  CHECK_THROWS_WITH(adjust_plane(n), Contains("nothing says where"));
}

TEST_CASE("intersection from two stations") {
  const PlanePoint a{100, 200}, b{700, 250}, p{420, 610};
  const PlanePoint q = intersect(a, bearing(a, p), b, bearing(b, p));
  CHECK(q.east == Approx(p.east).margin(1e-9));
  CHECK(q.north == Approx(p.north).margin(1e-9));
  CHECK_THROWS_WITH(intersect(a, 0.5, b, 0.5), Contains("alongside"));
}

TEST_CASE("bearings and polar places") {
  CHECK(bearing({0, 0}, {1, 1}) == Approx(pi / 4));
  CHECK(bearing({0, 0}, {-1, 0}) == Approx(1.5 * pi));
  for (double b : {0.1, 2.0, 3.5, 6.0}) {
    const PlanePoint p = polar({10, 20}, b, 50);
    CHECK(bearing({10, 20}, p) == Approx(b).margin(1e-12));
    CHECK(distance({10, 20}, p) == Approx(50).margin(1e-12));
  }
}
