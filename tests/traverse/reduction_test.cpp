// Distances and trigonometric heights against published and independently worked values.
#include "base/angle.h"
#include "base/error.h"
#include "support/angles.h"
#include "traverse/distance.h"
#include "traverse/edm.h"
#include <catch2/catch.hpp>
#include <cmath>

using namespace ampletie;
using ampletie::testing::dms;
using Catch::Matchers::Contains;

TEST_CASE("ATM-11: group refractivity and first velocity correction (IAG 1999, Rüeger)") {
  CHECK(group_refractivity(0.633) == Approx(300.2346).margin(1e-4));
  CHECK(group_refractivity(0.850) == Approx(294.5092).margin(1e-4));
  CHECK(group_refractivity(0.910) == Approx(293.6157).margin(1e-4));
  CHECK(refractivity(0.850, {1013.25, 15, 10.87}) == Approx(278.7531).margin(1e-3));
  CHECK(refractivity(0.633, {1013.25, 20, 11.69}) == Approx(279.3018).margin(1e-3));
  CHECK(refractivity(0.850, {950, 28, 20}) == Approx(249.7034).margin(1e-3));
  const EdmCard card{0.850, {1013.25, 12, 0}, 0, 0};
  const double ppm = first_velocity_ppm(card, {950, 28, 20});
  CHECK(ppm == Approx(32.4120).margin(1e-3));
  CHECK(2345.678 * (1 + 1e-6 * ppm) == Approx(2345.75403).margin(1e-5));
  // In the air that it was set for an instrument needs no correction.
  CHECK(first_velocity_ppm(card, {1013.25, 12, 0}) == Approx(0).margin(1e-9));
}

TEST_CASE("a wrong pressure does 0.3 ppm a hectopascal, a wrong temperature 1 ppm a degree (common practice)") {
  const EdmCard card;
  const Air air{950, 20, 10};
  CHECK(velocity_ppm_per_hpa(card, air) == Approx(-0.27).margin(0.01));
  CHECK(first_velocity_ppm(card, {951, 20, 10}) - first_velocity_ppm(card, air) ==
        Approx(velocity_ppm_per_hpa(card, air)).margin(1e-6));
  CHECK(first_velocity_ppm(card, {950, 21, 10}) - first_velocity_ppm(card, air) == Approx(0.88).margin(0.03));
}

TEST_CASE("RED-01: slope distance to ellipsoid and grid") {
  const ReducedDistance r = reduce_slope(2345.678, 451.500, 603.823, 0.99985);
  CHECK(r.chord == Approx(2340.5332).margin(1e-4));
  CHECK(r.arc == Approx(2340.5332).margin(1e-4));
  CHECK(r.grid == Approx(2340.1821).margin(1e-4));
  CHECK(r.combined_factor == Approx(0.999767197).margin(1e-9));
  CHECK(std::sqrt(2345.678 * 2345.678 - 152.323 * 152.323) * r.combined_factor == Approx(2340.1821).margin(1e-4));
  CHECK_THROWS_WITH(reduce_slope(10, 0, 11), Contains("cannot join"));
  CHECK_THROWS(reduce_slope(NAN, 0, 1));
}

TEST_CASE("reducing a slope agrees with the law of cosines on a sphere") {
  for (const double arc : {200.0, 5000.0, 30000.0})
    for (const double h1 : {0.0, 300.0, 2500.0})
      for (const double h2 : {50.0, 1200.0}) {
        const double a = sphere_radius + h1, b = sphere_radius + h2, angle = arc / sphere_radius;
        // a² + b² − 2ab cos θ, written so that nothing cancels.
        const double slope = std::sqrt((a - b) * (a - b) + 4 * a * b * std::pow(std::sin(angle / 2), 2));
        CHECK(reduce_slope(slope, h1, h2).arc == Approx(arc).margin(2e-6));
      }
}

TEST_CASE("LEV-04: trigonometric heights, reciprocal and one way") {
  const ZenithSight there{dms(88, 41, 7.3), 1.55, 1.62}, back{dms(91, 20, 31.3), 1.58, 1.49};
  const ReciprocalHeight r = reciprocal_height(there, back, 3500, 850);
  CHECK(r.difference == Approx(81.0886).margin(1e-3));
  CHECK(r.k == Approx(0.1299).margin(1e-3));
  CHECK(trigonometric_height_over_arc(there, 3500, 850, 0.13) == Approx(81.0979).margin(2e-3));
}

TEST_CASE("a height from a slope distance agrees with the one over the arc") {
  for (const double arc : {100.0, 800.0, 3000.0})
    for (const double rise : {-200.0, 3.0, 90.0}) {
      if (std::abs(rise) > arc) continue;
      // Geometry without refraction: two points above a sphere.
      const double h1 = 400, h2 = h1 + rise, a = sphere_radius + h1, b = sphere_radius + h2,
                   angle = arc / sphere_radius;
      const double across = b * std::sin(angle), up = b * std::cos(angle) - a;
      const ZenithSight s{std::atan2(across, up), 0, 0};
      const double slope = std::hypot(across, up);
      CHECK(trigonometric_height(s, slope, 0) == Approx(rise).margin(2e-4));
      CHECK(trigonometric_height_over_arc(s, arc, h1, 0) == Approx(rise).margin(std::abs(rise) * arc / 6e6 + 2e-3));
    }
}
