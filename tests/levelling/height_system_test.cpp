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
      const double corrected =
          reduce_to_height_system(r, height, HeightType::normal_orthometric, places).correction;
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
