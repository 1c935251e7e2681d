// Geoid grids from files: GTX against PROJ's reading of the same grid, GeoTIFF as GDAL writes it, ISG texts.
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/geoid_grid.h"
#include "formats/recognise.h"
#include "geodesy/geoid_model.h"
#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <random>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
const std::string folder = AMPLETIE_SOURCE_DIR "/tests/data/geoid/";
Geodetic at(double lat, double lon) { return {radians(lat), radians(lon), 0}; }
std::string egm96() { return read_file("/usr/share/proj/egm96_15.gtx"); } // Debian's proj-data

/// What make.py puts into its grids.
double made(double lat, double lon) { return 45 + 2 * (lat - 47) - 3 * (lon - 8) + 0.5 * (lat - 47) * (lat - 47); }

const char *const isg = "begin_of_head ================================================\n"
                        "model name     : TRIAL20\n"
                        "model type     : gravimetric\n"
                        "data type      : quasi-geoid\n"
                        "data units     : meters\n"
                        "data format    : grid\n"
                        "data ordering  : N-to-S, W-to-E\n"
                        "ref ellipsoid  : GRS80\n"
                        "ref frame      : ---\n"
                        "tide system    : mean-tide\n"
                        "coord type     : geodetic\n"
                        "coord units    : dms\n"
                        "lat min        =   39°50'00\"\n"
                        "lat max        =   41°10'00\"\n"
                        "lon min        =  119°50'00\"\n"
                        "lon max        =  121°50'00\"\n"
                        "delta lat      =    0°20'00\"\n"
                        "delta lon      =    0°20'00\"\n"
                        "nrows          =            4\n"
                        "ncols          =            6\n"
                        "nodata         =   -9999.0000\n"
                        "ISG format     =          2.0\n"
                        "end_of_head ==================================================\n"
                        " 30.1234  31.2222  32.3333  33.4444  34.5555  35.6666\n"
                        " 41.1111  42.2222  43.3333  44.4444  45.5555  46.6666\n"
                        " 51.1111  52.2222  53.3333  54.4444  55.5555 -9999.0000\n"
                        " 61.1111  62.2222  63.3333  64.4444  65.5555  66.6666\n";
std::string with(const std::string &from, const std::string &to) {
  std::string out = isg;
  out.replace(out.find(from), from.size(), to);
  return out;
}
} // namespace

TEST_CASE("a GTX grid read here gives what PROJ gives with the same grid") {
  const HeightGrid g = read_gtx(egm96());
  CHECK(g.rows == 721);
  CHECK(g.columns == 1440);
  std::mt19937 random(11);
  std::uniform_real_distribution<double> lat(-89.9, 89.9), lon(-180, 180);
  const GeoidModel model("EPSG:5773", at(47, 8));
  for (int i = 0; i < 400; ++i) {
    const Geodetic p = at(lat(random), lon(random));
    CHECK(height_in_grid(g, p, GridInterpolation::bilinear) == Approx(model.undulation(p)).margin(2e-5));
  }
  // The published test points of EGM96's own program (F477, NGA; 15' grid): 38°37'41" N 269°46'44" E is −31.628 m,
  // 14°37'08" S 305°01'16" E −2.969 m, 46°52'27" N 102°26'55" E −43.575 m (value and place from memory). Bilinear
  // reading of the grid comes within centimetres of its own spline, bicubic closer.
  const struct {
    double lat, lon, n;
  } known[] = {
      {38.6281550, 269.7791550, -31.628}, {-14.6212170, 305.0211140, -2.969}, {46.8743190, 102.4487290, -43.575}};
  for (const auto &k : known) {
    CHECK(height_in_grid(g, at(k.lat, k.lon), GridInterpolation::bicubic) == Approx(k.n).margin(0.03));
  }
}

TEST_CASE("a GTX grid is written as it was read, and read only whole") {
  const std::string bytes = egm96();
  CHECK(write_gtx(read_gtx(bytes)) == bytes);
  CHECK(recognise(bytes).kind == FileKind::geoid_gtx);
  const HeightGrid part = cut_out(read_gtx(bytes), at(47, 8), 100e3);
  std::string small = write_gtx(part);
  CHECK(recognise(small).kind == FileKind::geoid_gtx);
  CHECK(read_gtx(small).values == part.values);
  CHECK_THROWS_WITH(read_gtx(small.substr(0, small.size() - 3)), Contains("cut off"));
  CHECK(recognise(small.substr(0, small.size() - 3)).kind == FileKind::geoid_gtx);
  CHECK_THROWS_WITH(read_gtx(small.substr(0, 30)), Contains("40 bytes"));
  small[35] = small[39] = '\x7f';
  small[32] = small[36] = '\x01';
  CHECK_THROWS_WITH(read_gtx(small), Contains("too large"));
}

TEST_CASE("GeoTIFFs as GDAL writes them are read: packed, in tiles, whole numbers, cells and points") {
  for (const char *name : {"area.tif", "tiles.tif", "millimetres.tif", "hole.tif", "point.tif"}) {
    INFO(name);
    const std::string bytes = read_file(folder + name);
    REQUIRE(recognise(bytes).kind == FileKind::geoid_tiff);
    const HeightGrid g = read_geotiff_grid(bytes);
    CHECK(g.rows == 20);
    CHECK(g.columns == 24);
    CHECK(g.north() == Approx(std::string(name) == "point.tif" ? 48.0 : 47.95));
    CHECK(g.west == Approx(std::string(name) == "point.tif" ? 7.0 : 7.05));
    for (int r = 0; r < g.rows; ++r)
      for (int c = 0; c < g.columns; ++c) {
        if (std::string(name) == "hole.tif" && r == 16 && c == 4)
          CHECK(std::isnan(g.at(r, c)));
        else
          CHECK(g.at(r, c) == Approx(made(g.south + 0.1 * r, g.west + 0.1 * c)).margin(6e-4));
      }
  }
  CHECK_THROWS_WITH(read_geotiff_grid(read_file(folder + "shifts.tif")), Contains("2 bands"));
  CHECK_THROWS_WITH(read_geotiff_grid(read_file(folder + "projected.tif")), Contains("projection"));
  const std::string whole = read_file(folder + "hole.tif");
  for (std::size_t n : {std::size_t{4}, std::size_t{40}, std::size_t{200}, whole.size() / 2, whole.size() - 5})
    CHECK_THROWS_AS(read_geotiff_grid(whole.substr(0, n)), InputError);
}

TEST_CASE("an ISG text is read with its bounds as edges of cells or as nodes") {
  REQUIRE(recognise(isg).kind == FileKind::geoid_isg);
  const HeightGrid g = read_isg(isg);
  CHECK(g.name == "TRIAL20");
  CHECK(g.surface == "quasi-geoid");
  CHECK(g.tide == "mean-tide");
  CHECK(g.ellipsoid == "grs80");
  CHECK(g.frame.empty());
  CHECK(g.south == Approx(40));
  CHECK(g.west == Approx(120));
  CHECK(g.step_lat == Approx(1.0 / 3));
  CHECK(height_in_grid(g, at(41, 120), GridInterpolation::bilinear) == Approx(30.1234).margin(1e-5));
  CHECK(height_in_grid(g, at(40, 120 + 5.0 / 3), GridInterpolation::bilinear) == Approx(66.6666).margin(1e-5));
  CHECK(std::isnan(g.at(1, 5)));
  // The same with bounds that are nodes, in decimal degrees and feet.
  std::string nodes = isg;
  const auto change = [&](const std::string &from, const std::string &to) {
    nodes.replace(nodes.find(from), from.size(), to);
  };
  change("39°50'00\"", "40.000000"), change("41°10'00\"", "41.000000"), change("119°50'00\"", "120.000000");
  change("121°50'00\"", "121.666667"), change("0°20'00\"", "0.333333"), change("0°20'00\"", "0.333333");
  change("coord units    : dms", "coord units    : deg"), change(": meters", ": feet");
  const HeightGrid same = read_isg(nodes);
  CHECK(same.south == Approx(40));
  CHECK(same.step_lon == Approx(1.0 / 3));
  CHECK(same.at(3, 0) == Approx(30.1234 * 0.3048));
  // Written again it is the same, to its four decimals.
  const HeightGrid again = read_isg(write_isg(g));
  CHECK(again.surface == g.surface);
  CHECK(again.tide == g.tide);
  for (std::size_t i = 0; i < g.values.size(); ++i)
    CHECK((std::isnan(g.values[i]) ? std::isnan(again.values[i]) : std::abs(again.values[i] - g.values[i]) < 6e-5F));
  CHECK(again.south == Approx(g.south).margin(1e-9));
}

TEST_CASE("an ISG text that is not as it should be is refused with its line") {
  const auto refused = [](const std::string &text, long line, const char *why) {
    try {
      read_isg(text);
      FAIL("taken: " << why);
    } catch (const InputError &e) {
      CHECK(e.line() == line);
      CHECK_THAT(e.reason(), Contains(why));
    }
  };
  refused(with("end_of_head", "ende"), 27, "has no end");
  refused(with("=            4", "=            7"), 17, "do not fit");
  refused(with("=            4", "=            5"), 27, "the file is cut off"); // bounds as nodes then
  refused(with("=            4", "=            x"), 19, "whole number");
  refused(with(": grid", ": sparse"), 6, "not read");
  refused(with(": geodetic", ": projected"), 11, "not read");
  refused(with("N-to-S", "S-to-N"), 7, "not read");
  refused(with(": meters", ": fathoms"), 5, "fathoms");
  refused(with("53.3333", "53,3333"), 26, "is no number");
  refused(with(" 66.6666\n", "\n"), 27, "the file is cut off");
  refused(with(" 66.6666\n", " 66.6666 1.0\n"), 27, "more than");
  refused(with("41°10'00\"", "north"), 14, "is no angle");
  CHECK_THROWS_WITH(read_isg(with("53.3333", "5333.3")), Contains("model of the ground"));
  // A head that promises the memory away.
  std::string bomb = with("=            4", "=       600000");
  bomb.replace(bomb.find("0°20'00\""), std::string("0°20'00\"").size(), "0.0000022222");
  CHECK_THROWS_AS(read_isg(bomb), InputError);
}
