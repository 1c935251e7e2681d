// Height systems: gravity formulas and the normal-orthometric reduction.
#include "base/angle.h"
#include "geodesy/normal_gravity.h"
#include "levelling/height_system.h"
#include <catch2/catch.hpp>

using namespace ampletie;

TEST_CASE("normal gravity of GRS 80 at height") {
  // Values on the ellipsoid: Moritz (2000), checked with the ellipsoid's tests. The gradient there is 0.3086 mGal/m
  // (Heiskanen and Moritz 1967, mean value).
  CHECK((normal_gravity(radians(45)) - normal_gravity(radians(45), 1000)) / 1000 == Approx(3.086e-6).margin(2e-9));
  // The mean up to a height is gravity at half of it, to second order.
  CHECK(mean_normal_gravity(radians(45), 2000) == Approx(normal_gravity(radians(45), 1000)).margin(2e-7));
}

TEST_CASE("the normal-orthometric reduction agrees with the classical formula along a level road") {
  // −2 H α sin 2φ (1 + (α − 2β/α) cos 2φ) Δφ with α = 0.002644, β = 0.000007 (Bowie and Avers 1914; from memory).
  for (const double height : {300.0, 1200.0})
    for (const double lat : {30.0, 46.0, 60.0}) {
      ReducedRun r;
      const int n = 40;
      const double step = radians(0.1) / n;
      for (int i = 0; i <= n; ++i) r.points.push_back({i == 0 ? "A" : i == n ? "B" : "", 0, 278.0 * i, i, true, 0});
      r.from = "A", r.to = "B";
      const LevelPlaces places{{{"A", radians(lat)}, {"B", radians(lat) + n * step}}, {}};
      const double corrected = reduce_to_height_system(r, height, HeightType::normal_orthometric, places).correction;
      const double a = 0.002644, b = 0.000007, middle = radians(lat) + n * step / 2;
      const double classical =
          -2 * height * a * std::sin(2 * middle) * (1 + (a - 2 * b / a) * std::cos(2 * middle)) * n * step;
      CHECK(corrected == Approx(classical).epsilon(0.01));
      CHECK(r.difference == corrected);
      CHECK(r.points.back().difference == corrected);
      CHECK(r.points[n / 2].difference == Approx(corrected / 2).epsilon(0.01));
    }
}

TEST_CASE("a loop over a mountain closes after the reduction, not before") {
  // Up in the south, along the ridge to the north, down and back through the valley: the raw differences are those of
  // potential over gravity, so that they miss by what the level surfaces converge.
  struct Place {
    double lat, height;
  };
  const std::vector<Place> way{{46.0, 400}, {46.0, 2400}, {46.2, 2400}, {46.2, 400}, {46.0, 400}};
  ReducedRun r;
  r.points.push_back({"P0", 0, 0, 0, true, 0});
  std::map<std::string, double> latitude{{"P0", radians(46.0)}};
  double raw = 0;
  for (std::size_t leg = 1; leg < way.size(); ++leg) {
    const int n = 200;
    for (int k = 1; k <= n; ++k) {
      const double t0 = (k - 1.0) / n, t1 = static_cast<double>(k) / n;
      auto at = [&](double t) {
        return Place{way[leg - 1].lat + (way[leg].lat - way[leg - 1].lat) * t,
                     way[leg - 1].height + (way[leg].height - way[leg - 1].height) * t};
      };
      const Place a = at(t0), b = at(t1);
      const double c = mean_normal_gravity(radians(b.lat), b.height) * b.height -
                       mean_normal_gravity(radians(a.lat), a.height) * a.height;
      raw += c / normal_gravity(radians((a.lat + b.lat) / 2), (a.height + b.height) / 2);
      const std::string name = k == n ? "P" + std::to_string(leg) : "";
      r.points.push_back({name, raw, r.points.back().distance + 100, r.points.back().setups + 1, true, 0});
      if (k == n) latitude[name] = radians(b.lat);
    }
  }
  CHECK(std::abs(raw) > 0.02);
  r.difference = raw;
  reduce_to_height_system(r, 400, HeightType::normal_orthometric, {latitude, {}});
  CHECK(std::abs(r.difference) < 5e-5);
}

namespace {

/// Ground of rock of 2670 kg/m³ with a Bouguer anomaly that changes along the way. Inside a plate of thickness H
/// gravity is γ(z) + B + 2πGρ(2z − H), so that C = (γ̄ + B) H at its surface and g = γ(H) + B + 2πGρ H on it (Heiskanen
/// and Moritz 1967, chapters 3 and 4; worked out here apart from the code under test).
struct Plate {
  double lat0 = radians(46.0), lat1 = radians(46.15), b0 = -60e-5, b1 = -20e-5; // m/s²
  double lat(double t) const { return lat0 + (lat1 - lat0) * t; }
  double anomaly(double t) const { return b0 + (b1 - b0) * t; }
  double potential(double t, double h) const { return (mean_normal_gravity(lat(t), h) + anomaly(t)) * h; }
  double gravity(double t, double h) const { return normal_gravity(lat(t), h) + anomaly(t) + 1.119e-6 * h; }

  /// What a level reads on the way from A to B: potential differences over the gravity of the ground.
  ReducedRun levelled(double from, double to) const {
    ReducedRun r;
    r.from = "A", r.to = "B";
    r.points.push_back({"A", 0, 0, 0, true, 0});
    const int n = 400;
    double sum = 0;
    for (int k = 1; k <= n; ++k) {
      const double a = (k - 1.0) / n, b = static_cast<double>(k) / n, m = (a + b) / 2;
      auto h = [&](double t) { return from + (to - from) * t; };
      sum += (potential(b, h(b)) - potential(a, h(a))) / gravity(m, h(m));
      r.points.push_back({k == n ? "B" : "", sum, 40.0 * k, k, true, 0});
    }
    r.difference = sum;
    return r;
  }
  LevelPlaces places(double from, double to, bool measured) const {
    LevelPlaces p{{{"A", lat0}, {"B", lat1}}, {}};
    if (measured) p.gravity = {{"A", gravity(0, from)}, {"B", gravity(1, to)}};
    return p;
  }
};

} // namespace

TEST_CASE("orthometric heights over a mountain with gravity measured at both ends") {
  const Plate plate;
  for (const auto &[from, to] : {std::pair{300.0, 1900.0}, {1900.0, 300.0}, {800.0, 820.0}}) {
    ReducedRun r = plate.levelled(from, to);
    const double raw = r.difference;
    const HeightReduction h = reduce_to_height_system(r, from, HeightType::orthometric, plate.places(from, to, true));
    CHECK(h.done);
    CHECK(h.type == HeightType::orthometric);
    CHECK(h.gravity_marks == 2);
    // Helmert's factor leaves the curvature of normal gravity out: 0.2 mGal at 2000 m.
    CHECK(std::abs(r.difference - (to - from)) < 2.5e-7 * std::max(from, to));
    CHECK(std::abs(raw + h.correction - r.difference) < 1e-9);
    CHECK(h.geopotential == Approx(plate.potential(1, to) - plate.potential(0, from)).margin(2e-3));
    if (std::abs(to - from) > 1000) CHECK(std::abs(raw - (to - from)) > 0.02); // it matters there
  }
}

TEST_CASE("normal and dynamic heights of the same potentials") {
  const Plate plate;
  const double from = 400, to = 2100;
  const double c0 = plate.potential(0, from), c1 = plate.potential(1, to);
  auto metres = [](double c, double lat) { // C over mean normal gravity, which depends on the height itself
    double h = c / 9.8;
    for (int i = 0; i < 6; ++i) h = c / mean_normal_gravity(lat, h);
    return h;
  };
  // The run starts at the height of A in each system.
  ReducedRun n = plate.levelled(from, to);
  const double n0 = metres(c0, plate.lat0), n1 = metres(c1, plate.lat1);
  reduce_to_height_system(n, n0, HeightType::normal, plate.places(from, to, true));
  CHECK(n.difference == Approx(n1 - n0).margin(3e-4));
  ReducedRun d = plate.levelled(from, to);
  reduce_to_height_system(d, c0 / 9.806199203, HeightType::dynamic, plate.places(from, to, true));
  CHECK(d.difference == Approx((c1 - c0) / 9.806199203).margin(3e-4));
  // Orthometric and normal heights part by B H / γ (Heiskanen and Moritz 1967, equation 8-103).
  CHECK(n1 - to == Approx(plate.b1 * to / 9.8).epsilon(0.01));
}

TEST_CASE("without measured gravity nothing pretends to be orthometric") {
  const Plate plate;
  ReducedRun asked = plate.levelled(300, 1500), usual = asked, none = asked;
  const HeightReduction h =
      reduce_to_height_system(asked, 300, HeightType::orthometric, plate.places(300, 1500, false));
  CHECK(h.type == HeightType::normal_orthometric);
  CHECK(h.gravity_marks == 0);
  reduce_to_height_system(usual, 300, HeightType::normal_orthometric, plate.places(300, 1500, true));
  CHECK(asked.difference == usual.difference); // measured gravity has no part in normal-orthometric heights
  const HeightReduction nothing = reduce_to_height_system(none, 300, HeightType::orthometric, {});
  CHECK(!nothing.done);
  CHECK(none.difference == none.points.back().difference);
  for (const char *name : {"normal-orthometric", "normal", "orthometric", "dynamic"})
    CHECK(height_type_name(height_type_by_name(name)) == name);
  CHECK_THROWS(height_type_by_name("ellipsoidal"));
}

TEST_CASE("side shots are reduced and do not move the line") {
  const Plate plate;
  ReducedRun r = plate.levelled(500, 900), with = r;
  with.points.insert(with.points.begin() + 200,
                     {"S", r.points[200].difference + 1.5, r.points[200].distance, 200, false, 199});
  const auto a = reduce_to_height_system(r, 500, HeightType::orthometric, plate.places(500, 900, true));
  const auto b = reduce_to_height_system(with, 500, HeightType::orthometric, plate.places(500, 900, true));
  CHECK(a.correction == b.correction);
  CHECK(with.find("S")->difference == Approx(r.points[200].difference + 1.5).margin(1e-4));
}
