// Grids of shifts between datums. Real ones come with PROJ (Debian: proj-data; BeTA2007 of the German surveys, CHENyx06
// of the Swiss, the grid of New Zealand): against PROJ's own program `cct` over their areas. Small ones are written
// here.
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/ntv2.h"
#include "formats/recognise.h"
#include <catch2/catch.hpp>
#include <cstring>
#include <fmt/format.h>
#include <random>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
constexpr const char *of_proj = "/usr/share/proj/";

template <class T> void put(std::string &out, T v, bool swap) {
  char b[sizeof(T)];
  std::memcpy(b, &v, sizeof(T));
  if (swap) std::reverse(std::begin(b), std::end(b));
  out.append(b, sizeof(T));
}
struct Writer {
  bool swap = false;
  std::string out{};
  void text(const char *key, const char *v) { out += fmt::format("{:8}{:8}", key, v); }
  void whole(const char *key, int v) {
    out += fmt::format("{:8}", key);
    put(out, v, swap), out.append(4, '\0');
  }
  void number(const char *key, double v) {
    out += fmt::format("{:8}", key);
    put(out, v, swap);
  }
  void head(int files, const char *unit = "SECONDS") {
    whole("NUM_OREC", 11), whole("NUM_SREC", 11), whole("NUM_FILE", files);
    text("GS_TYPE", unit), text("VERSION", "test"), text("SYSTEM_F", "OLD"), text("SYSTEM_T", "NEW");
    number("MAJOR_F", 6377397.155), number("MINOR_F", 6356078.963), number("MAJOR_T", 6378137),
        number("MINOR_T", 6356752.314);
  }
  /// Corners and steps in degrees, to the east; the shift is a plane, so that bilinear is exact.
  void part(const char *name, const char *parent, double s, double w, double n, double e, double step, double add = 0,
            int count = -1) {
    const int rows = static_cast<int>(std::lround((n - s) / step)) + 1,
              columns = static_cast<int>(std::lround((e - w) / step)) + 1;
    text("SUB_NAME", name), text("PARENT", parent), text("CREATED", ""), text("UPDATED", "");
    number("S_LAT", s * 3600), number("N_LAT", n * 3600), number("E_LONG", -e * 3600), number("W_LONG", -w * 3600);
    number("LAT_INC", step * 3600), number("LONG_INC", step * 3600),
        whole("GS_COUNT", count < 0 ? rows * columns : count);
    for (int i = 0; i < rows; ++i)
      for (int k = columns - 1; k >= 0; --k) {
        const double lat = s + i * step, lon = w + k * step;
        put(out, static_cast<float>(add + 0.5 * lat), swap), put(out, static_cast<float>(-(add + 0.25 * lon)), swap);
        put(out, 0.03F, swap), put(out, 0.04F, swap);
      }
  }
  std::string end() { return out + "END     " + std::string(8, '\0'); }
};
std::string small(bool swap) {
  Writer w{swap};
  w.head(2);
  w.part("WHOLE", "NONE", 46, 13, 48, 16, 0.5);
  w.part("FINE", "WHOLE", 46.5, 13.5, 47, 14, 0.25, 1);
  return w.end();
}
} // namespace

TEST_CASE("a small grid of either byte order: parts, signs, the way back") {
  for (bool swap : {false, true}) {
    const std::string bytes = small(swap);
    CHECK(recognise(bytes).kind == FileKind::shift_grid);
    const ShiftGrid g = read_ntv2(bytes);
    CHECK(g.from == "OLD");
    CHECK(g.extent_words() == "46.00° to 48.00° north, 13.00° to 16.00° east");
    const Geodetic at{radians(47.3), radians(15.1), 250};
    const Geodetic to = g.forward(at);
    CHECK(degrees(to.lat - at.lat) * 3600 == Approx(0.5 * 47.3).epsilon(1e-6));
    CHECK(degrees(to.lon - at.lon) * 3600 == Approx(0.25 * 15.1).epsilon(1e-6));
    CHECK(to.h == 250);
    CHECK(*g.accuracy_m(at) == Approx(0.05).epsilon(1e-6));
    // In the finer part that one counts.
    const Geodetic fine{radians(46.7), radians(13.8), 0};
    CHECK(degrees(g.forward(fine).lat - fine.lat) * 3600 == Approx(1 + 0.5 * 46.7).epsilon(1e-6));
    const Geodetic back = g.inverse(to);
    CHECK(back.lat == Approx(at.lat).margin(1e-12));
    CHECK(back.lon == Approx(at.lon).margin(1e-12));
    CHECK_THROWS_WITH(g.forward({radians(45.9), radians(15), 0}), Contains("outside"));
  }
}

TEST_CASE("heights in place of shifts are a geoid's, shifts are none") {
  Writer w{true};
  w.head(1);
  w.part("GEOID", "NONE", -34, 138, -33, 140, 0.25, 5); // 5 + lat/2 m
  CHECK_FALSE(heights_in(read_ntv2(w.end())));         // within what datums differ by
  Writer high{false};
  high.head(1);
  high.part("GEOID", "NONE", -34, 138, -33, 140, 0.25, -7);
  const auto g = heights_in(read_ntv2(high.end()));
  REQUIRE(g);
  CHECK(g->extent_words() == "latitude -34° to -33°, longitude 138° to 140°");
  CHECK(height_in_grid(*g, {radians(-33.4), radians(139.3), 0}, GridInterpolation::bilinear) ==
        Approx(-7 - 33.4 / 2).margin(1e-5));
  CHECK_FALSE(heights_in(read_ntv2(small(false))));
  for (const char *name : {"BETA2007.gsb", "CHENYX06_etrs.gsb", "nzgd2kgrid0005.gsb"})
    CHECK_FALSE(heights_in(read_ntv2(read_file(std::string(of_proj) + name))));
}

TEST_CASE("grids of shifts that cannot be right are refused") {
  const std::string good = small(false);
  CHECK_THROWS_WITH(read_ntv2(good.substr(0, 900)), Contains("cut off"));
  CHECK_THROWS_WITH(read_ntv2(good.substr(0, 40)), Contains("cut off"));
  CHECK_THROWS_WITH(read_ntv2("NUM_OREC and nothing more than that"), Contains("no binary"));
  Writer orphan;
  orphan.head(1), orphan.part("FINE", "NOBODY", 46, 13, 48, 16, 0.5);
  CHECK_THROWS_WITH(read_ntv2(orphan.end()), Contains("NOBODY"));
  Writer beyond;
  beyond.head(2), beyond.part("WHOLE", "NONE", 46, 13, 48, 16, 0.5), beyond.part("FINE", "WHOLE", 47, 15, 49, 16, 0.25);
  CHECK_THROWS_WITH(read_ntv2(beyond.end()), Contains("reaches beyond"));
  Writer count;
  count.head(1), count.part("WHOLE", "NONE", 46, 13, 48, 16, 0.5, 0, 12);
  CHECK_THROWS_WITH(read_ntv2(count.end()), Contains("12 nodes"));
  Writer bomb;
  bomb.head(1), bomb.part("WHOLE", "NONE", 46, 13, 48, 16, 0.5, 500);
  CHECK_THROWS_WITH(read_ntv2(bomb.end()), Contains("cannot be"));
  Writer unit;
  unit.head(1, "GON");
  CHECK_THROWS_WITH(read_ntv2(unit.end()), Contains("GON"));
}

TEST_CASE("real grids give what PROJ makes of them, there and back") {
  std::mt19937 random(7);
  for (const char *name : {"BETA2007.gsb", "CHENYX06_etrs.gsb", "nzgd2kgrid0005.gsb"}) {
    const ShiftGrid g = read_ntv2(read_file(std::string(of_proj) + name));
    const ShiftGrid::Part &p = g.parts.front();
    std::uniform_real_distribution<double> north(p.south + 0.01, p.north() - 0.01),
        east(p.west + 0.01, p.east() - 0.01);
    for (int i = 0; i < 20; ++i) {
      const double lat = north(random), lon = east(random);
      const Geodetic to = g.forward({radians(lat), radians(lon), 0});
      FILE *pipe = ::popen(
          fmt::format(
              "echo {:.12f} {:.12f} 0 0 | cct -d 12 +proj=pipeline +step +proj=unitconvert +xy_in=deg +xy_out=rad "
              "+step +proj=hgridshift +grids={} +step +proj=unitconvert +xy_in=rad +xy_out=deg",
              lon, lat, name)
              .c_str(),
          "r");
      REQUIRE(pipe);
      double x = 0, y = 0;
      REQUIRE(std::fscanf(pipe, "%lf %lf", &x, &y) == 2);
      ::pclose(pipe);
      INFO(name << " at " << lat << " " << lon);
      CHECK(std::abs(degrees(to.lat) - y) < 1e-10); // a hundredth of a millimetre
      CHECK(std::abs(degrees(to.lon) - x) < 1e-10);
      const Geodetic back = g.inverse(to);
      CHECK(std::abs(degrees(back.lat) - lat) < 1e-10);
      CHECK(std::abs(degrees(back.lon) - lon) < 1e-10);
    }
  }
}
