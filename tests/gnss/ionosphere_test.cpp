#include "base/angle.h"
#include "base/error.h"
#include "formats/recognise.h"
#include "gnss/model/ionosphere.h"
#include "support/header_line.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using Catch::Matchers::Contains;
using testing::header_line;

namespace {
/// Two maps two hours apart: the content is 10 TECU + 0.1 per degree of latitude + 0.05 per degree of longitude, and in
/// the second map what the first one becomes when it is turned by 30°.
std::string maps() {
  std::string t = header_line("     1.0            IONOSPHERE MAPS     GNS", "IONEX VERSION / TYPE") +
                  header_line("  6371.0", "BASE RADIUS") + header_line("     2", "MAP DIMENSION") +
                  header_line("   450.0 450.0   0.0", "HGT1 / HGT2 / DHGT") +
                  header_line("    60.0  30.0 -10.0", "LAT1 / LAT2 / DLAT") +
                  header_line("  -180.0 180.0  20.0", "LON1 / LON2 / DLON") + header_line("    -1", "EXPONENT") +
                  header_line("", "END OF HEADER");
  for (int k = 0; k < 2; ++k) {
    t += header_line(fmt::format("{:6}", k + 1), "START OF TEC MAP") +
         header_line(fmt::format("  2026     5    12    {:2}     0     0", 8 + 2 * k), "EPOCH OF CURRENT MAP");
    for (int lat = 60; lat >= 30; lat -= 10) {
      t += header_line(fmt::format("  {:6.1f}-180.0 180.0  20.0 450.0", static_cast<double>(lat)),
                       "LAT/LON1/LON2/DLON/H");
      int n = 0;
      for (int lon = -180; lon <= 180; lon += 20) {
        t += fmt::format(
            "{:5}", static_cast<int>(std::lround(10 * (10 + 0.1 * (lat - 30) + 0.05 * (lon + 180 + (k ? 30 : 0))))));
        if (++n % 16 == 0) t += "\n";
      }
      t += "\n";
    }
    t += header_line(fmt::format("{:6}", k + 1), "END OF TEC MAP");
  }
  return t + header_line("", "END OF FILE");
}
} // namespace

TEST_CASE("IONEX maps: bilinear in place, turned with the Sun in time") {
  const std::string text = maps();
  CHECK(recognise(text).kind == FileKind::ionosphere);
  const IonexFile f = read_ionex(text);
  REQUIRE(f.maps.size() == 2);
  CHECK(f.rows == 4);
  CHECK(f.columns == 19);
  const IonexPrior prior({f});
  const GpsTime first = gps_time(Calendar{2026, 5, 12, 8, 0, 0});
  CHECK(prior.vertical(45, 13, first) == Approx(10 + 1.5 + 0.05 * 193).margin(0.06));
  // Seen from the Sun nothing changes between the maps; over a place it moves by 15° of longitude per hour.
  for (double h : {0.5, 1.0, 1.7})
    CHECK(prior.vertical(45, 13, first + 3600 * h) == Approx(10 + 1.5 + 0.05 * (193 + 15 * h)).margin(0.06));
  CHECK(std::isnan(prior.vertical(45, 13, first + 3600.0 * 3)));
  CHECK(std::isnan(prior.vertical(-10, 13, first)));
  // Overhead: 40.3·10¹⁶ TEC / f².
  const double zenith = prior.delay(radians(45), radians(13), 0, pi / 2, first);
  CHECK(zenith == Approx(40.3e16 * 21.15 / (1575.42e6 * 1575.42e6)).epsilon(0.005));
  // At the horizon of the shell the mapping is 1/√(1 − (R/(R+H))²) = 2.76.
  CHECK(prior.delay(radians(45), radians(13), pi / 2, 1e-6, first) / zenith == Approx(2.76).margin(0.2));
  CHECK_THROWS_WITH(read_ionex(text.substr(0, 900)), Contains("inside a map") || Contains("not a number"));
  CHECK_THROWS_WITH(read_ionex("     1.0            OBSERVATION"), Contains("not an IONEX"));
}

TEST_CASE("the broadcast ionosphere: a circulated worked example of the IS-GPS-200 algorithm") {
  // From memory, recomputed independently to 23.784148 m.
  const BroadcastIonosphere model({3.82e-8, 1.49e-8, -1.79e-7, 0, 1.43e5, 0, -3.28e5, 1.13e5});
  const double d = model.delay(radians(40), radians(-100), radians(210), radians(20), gps_time(2000, 593100));
  CHECK(d == Approx(23.784148).margin(1e-4));
  CHECK(BroadcastIonosphere({}).delay(0.7, 0.2, 1, 1, gps_time(2000, 0)) == 0);
}
