// Distances to the sea against places whose distance is common knowledge of any atlas.
#include "base/angle.h"
#include "geodesy/coast.h"
#include <catch2/catch.hpp>

using namespace ampletie;

namespace {
double km(double lat, double lon) { return distance_to_sea(radians(lat), radians(lon)) / 1000; }
} // namespace

TEST_CASE("how far the sea is") {
  CHECK(km(30, -40) == 0);     // in the Atlantic
  CHECK(km(0, 170) == 0);      // in the Pacific
  CHECK(km(46.3, 13.9) < 120); // Julian Alps: the Adriatic is some 70 km away
  CHECK(km(46.3, 13.9) > 20);
  CHECK(km(47.0, 8.3) > 200); // central Switzerland: the Gulf of Genoa some 300 km
  CHECK(km(47.0, 8.3) < 380);
  CHECK(km(52.5, 13.4) < 220); // Berlin: the Baltic some 150 km
  CHECK(km(52.5, 13.4) > 80);
  CHECK(km(39.7, -105.0) > 800); // Denver
  CHECK(km(46.3, 87.0) > 800);   // the place farthest from any sea
  CHECK(km(51.5, -0.1) < 80);    // London
  CHECK(km(42.5, 51.0) > 300);   // in the Caspian, which is no ocean: the Black Sea is meant
}

TEST_CASE("distances go on across the date line and towards the poles, and change with distance") {
  CHECK(km(66.0, 179.9) < 200);
  CHECK(km(66.0, -179.9) < 200);
  CHECK(std::isfinite(km(-75, 0) + km(80, 180)));
  CHECK(km(89.9, 10) == 0);
  double last = km(43.0, 6.0);
  for (double lat = 43.0; lat < 49.0; lat += 0.25) {
    const double now = km(lat, 6.0);
    CHECK(std::abs(now - last) < 60);
    last = now;
  }
}
