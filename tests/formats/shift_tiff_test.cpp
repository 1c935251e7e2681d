// Grids of shifts as GeoTIFF. Files are written here with libtiff as PROJ's specification of geodetic TIFF grids has
// them, and read again by PROJ's own program `cct`.
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/geoid_grid.h"
#include "formats/recognise.h"
#include "formats/shift_tiff.h"
#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <tiffio.h>
#include <unistd.h>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
struct Part {
  double south = 46, west = 8, step = 0.25;
  int rows = 9, columns = 13;
  double add = 0; ///< seconds
  const char *name = "", *parent = "";
};
struct Style {
  bool apart = true, tiles = false, lon_first = false, accuracy = false, west_positive = false;
  const char *type = "HORIZONTAL_OFFSET", *unit = "arc-second", *how = "";
};

/// No plane, so that between nodes bilinear reading shows.
double north_shift(double lat, double lon) { return 3 + 0.7 * lat - 0.2 * lon + 0.05 * lat * lon / 10; }
double east_shift(double lat, double lon) { return -5 + 0.1 * lat + 0.3 * lon; }

void teach(TIFF *t) {
  static char names[4][20] = {"PixelScale", "Tiepoint", "GeoKeys", "GDALMetadata"};
  static const TIFFFieldInfo fields[] = {{33550, -1, -1, TIFF_DOUBLE, FIELD_CUSTOM, 1, 1, names[0]},
                                         {33922, -1, -1, TIFF_DOUBLE, FIELD_CUSTOM, 1, 1, names[1]},
                                         {34735, -1, -1, TIFF_SHORT, FIELD_CUSTOM, 1, 1, names[2]},
                                         {42112, -1, -1, TIFF_ASCII, FIELD_CUSTOM, 1, 0, names[3]}};
  TIFFMergeFieldInfo(t, fields, 4);
}

void write_part(TIFF *t, const Part &p, const Style &s) {
  teach(t);
  const int bands = s.accuracy ? 4 : 2;
  TIFFSetField(t, TIFFTAG_IMAGEWIDTH, p.columns);
  TIFFSetField(t, TIFFTAG_IMAGELENGTH, p.rows);
  TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, bands);
  TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, 32);
  TIFFSetField(t, TIFFTAG_SAMPLEFORMAT, SAMPLEFORMAT_IEEEFP);
  TIFFSetField(t, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_MINISBLACK);
  std::vector<std::uint16_t> extra(static_cast<std::size_t>(bands - 1), EXTRASAMPLE_UNSPECIFIED);
  TIFFSetField(t, TIFFTAG_EXTRASAMPLES, bands - 1, extra.data());
  TIFFSetField(t, TIFFTAG_PLANARCONFIG, s.apart ? PLANARCONFIG_SEPARATE : PLANARCONFIG_CONTIG);
  TIFFSetField(t, TIFFTAG_COMPRESSION, COMPRESSION_ADOBE_DEFLATE);
  TIFFSetField(t, TIFFTAG_PREDICTOR, PREDICTOR_FLOATINGPOINT);
  if (s.tiles)
    TIFFSetField(t, TIFFTAG_TILEWIDTH, 16), TIFFSetField(t, TIFFTAG_TILELENGTH, 16);
  else
    TIFFSetField(t, TIFFTAG_ROWSPERSTRIP, p.rows);
  const double scale[] = {p.step, p.step, 0}, tie[] = {0, 0, 0, p.west, p.south + p.step * (p.rows - 1), 0};
  TIFFSetField(t, 33550, 3, scale), TIFFSetField(t, 33922, 6, tie);
  const std::uint16_t keys[] = {1, 1, 0, 3, 1024, 0, 1, 2, 1025, 0, 1, 2, 2048, 0, 1, 4314};
  TIFFSetField(t, 34735, 16, keys);
  const int lat = s.lon_first ? 1 : 0, lon = 1 - lat;
  std::string xml = fmt::format("<GDALMetadata><Item name=\"TYPE\">{}</Item>"
                                "<Item name=\"target_crs_epsg_code\">4258</Item>"
                                "<Item name=\"DESCRIPTION\" sample=\"{}\" role=\"description\">latitude_offset</Item>"
                                "<Item name=\"DESCRIPTION\" sample=\"{}\" role=\"description\">longitude_offset</Item>"
                                "<Item name=\"UNITTYPE\" sample=\"{}\" role=\"unittype\">{}</Item>"
                                "<Item name=\"UNITTYPE\" sample=\"{}\" role=\"unittype\">{}</Item>"
                                "<Item name=\"positive_value\" sample=\"{}\">{}</Item>",
                                s.type, lat, lon, lat, s.unit, lon, s.unit, lon, s.west_positive ? "west" : "east");
  if (s.accuracy)
    xml += "<Item name=\"DESCRIPTION\" sample=\"2\" role=\"description\">latitude_offset_accuracy</Item>"
           "<Item name=\"DESCRIPTION\" sample=\"3\" role=\"description\">longitude_offset_accuracy</Item>"
           "<Item name=\"UNITTYPE\" sample=\"2\" role=\"unittype\">metre</Item>"
           "<Item name=\"UNITTYPE\" sample=\"3\" role=\"unittype\">metre</Item>";
  if (*s.how) xml += fmt::format("<Item name=\"interpolation_method\">{}</Item>", s.how);
  if (*p.name) xml += fmt::format("<Item name=\"grid_name\">{}</Item>", p.name);
  if (*p.parent) xml += fmt::format("<Item name=\"parent_grid_name\">{}</Item>", p.parent);
  TIFFSetField(t, 42112, (xml + "</GDALMetadata>").c_str());
  const double unit = std::string(s.unit) == "degree" ? 1 / 3600.0 : 1;
  const auto value = [&](int row, int column, int band) {
    const double y = p.south + p.step * (p.rows - 1 - row), x = p.west + p.step * column;
    if (band == 2) return 0.03F;
    if (band == 3) return 0.04F;
    return static_cast<float>(
        unit * (p.add + (band == lat ? north_shift(y, x) : (s.west_positive ? -1 : 1) * east_shift(y, x))));
  };
  const int wide = s.tiles ? 16 : p.columns, high = s.tiles ? 16 : p.rows, beside = s.apart ? 1 : bands;
  for (int plane = 0; plane < (s.apart ? bands : 1); ++plane) {
    std::vector<float> block(static_cast<std::size_t>(wide) * static_cast<std::size_t>(high * beside), 0);
    for (int r = 0; r < p.rows; ++r)
      for (int c = 0; c < p.columns; ++c)
        for (int b = 0; b < beside; ++b)
          block[static_cast<std::size_t>((r * wide + c) * beside + b)] = value(r, c, s.apart ? plane : b);
    const auto bytes = static_cast<tmsize_t>(block.size() * sizeof(float));
    if (s.tiles)
      TIFFWriteEncodedTile(t, TIFFComputeTile(t, 0, 0, 0, static_cast<std::uint16_t>(plane)), block.data(), bytes);
    else
      TIFFWriteEncodedStrip(t, TIFFComputeStrip(t, 0, static_cast<std::uint16_t>(plane)), block.data(), bytes);
  }
  TIFFWriteDirectory(t);
}

struct File {
  std::string path = fmt::format("{}/shift-{}.tif", std::filesystem::temp_directory_path().string(), ::getpid());
  std::string bytes;
  File(const std::vector<Part> &parts, const Style &s) {
    TIFF *t = TIFFOpen(path.c_str(), "w");
    REQUIRE(t);
    for (const Part &p : parts) write_part(t, p, s);
    TIFFClose(t);
    bytes = read_file(path);
  }
  ~File() { std::filesystem::remove(path); }
};

std::pair<double, double> by_proj(const std::string &path, double lat, double lon) {
  FILE *pipe =
      ::popen(fmt::format("echo {:.12f} {:.12f} 0 0 | cct -d 12 +proj=pipeline +step +proj=unitconvert +xy_in=deg "
                          "+xy_out=rad +step +proj=hgridshift +grids={} +step +proj=unitconvert +xy_in=rad +xy_out=deg",
                          lon, lat, path)
                  .c_str(),
              "r");
  double x = NAN, y = NAN;
  REQUIRE(std::fscanf(pipe, "%lf %lf", &x, &y) == 2);
  ::pclose(pipe);
  return {y, x};
}
} // namespace

TEST_CASE("GeoTIFF grids of shifts are read as PROJ reads them: bands apart or not, tiles, order, sign, unit, parts") {
  const std::vector<Part> one{{}},
      nested{{46, 8, 0.25, 9, 13, 0, "whole", ""}, {46.5, 8.5, 0.125, 9, 9, 0.4, "fine", "whole"}};
  const std::pair<std::vector<Part>, Style> all[] = {
      {one, {}},
      {one, {false}},
      {one, {true, true}},
      {one, {false, true, true}},
      {one, {true, false, false, true}},
      {one, {true, false, false, false, true}},
      {one, {true, false, false, false, false, "HORIZONTAL_OFFSET", "degree"}},
      {nested, {}}};
  for (const auto &[parts, style] : all) {
    const File f(parts, style);
    CAPTURE(style.apart, style.tiles, style.lon_first, style.accuracy, style.west_positive, style.unit, parts.size());
    REQUIRE(recognise(f.bytes).kind == FileKind::shift_tiff);
    const ShiftGrid g = read_shift_tiff(f.bytes);
    REQUIRE(g.parts.size() == parts.size());
    CHECK(g.to == "EPSG:4258");
    CHECK(g.extent_words() == "46.00° to 48.00° north, 8.00° to 11.00° east");
    for (const auto &[lat, lon] : {std::pair{46.11, 8.07}, {46.83, 9.21}, {47.9, 10.95}, {46.0, 8.0}, {47.2, 9.4}}) {
      const auto [y, x] = by_proj(f.path, lat, lon);
      const Geodetic to = g.forward({radians(lat), radians(lon), 100});
      CAPTURE(lat, lon);
      CHECK(std::abs(degrees(to.lat) - y) < 1e-9); // 0.1 mm: shifts are floats of seconds
      CHECK(std::abs(degrees(to.lon) - x) < 1e-9);
    }
    const auto sd = g.accuracy_m({radians(46.3), radians(8.3), 0});
    CHECK(sd.has_value() == style.accuracy);
    if (sd) CHECK(*sd == Approx(0.05).epsilon(1e-5));
  }
}

TEST_CASE("GeoTIFFs of other things, orphans, cut files and readings that are not known are refused") {
  Style s;
  s.type = "VELOCITY";
  CHECK_THROWS_WITH(read_shift_tiff(File({{}}, s).bytes), Contains("VELOCITY"));
  s = {}, s.unit = "metre";
  CHECK_THROWS_WITH(read_shift_tiff(File({{}}, s).bytes), Contains("metre"));
  s = {}, s.how = "biquadratic";
  CHECK_THROWS_WITH(read_shift_tiff(File({{}}, s).bytes), Contains("biquadratic"));
  CHECK_THROWS_WITH(read_shift_tiff(File({{46, 8, 0.25, 9, 13, 0, "fine", "gone"}}, {}).bytes), Contains("gone"));
  CHECK_THROWS_WITH(read_shift_tiff(File({{46, 8, 0.25, 9, 13, 500}}, {}).bytes), Contains("cannot be"));
  const std::string whole = File({{}}, {}).bytes;
  for (std::size_t n : {std::size_t{4}, std::size_t{60}, whole.size() / 2, whole.size() - 6})
    CHECK_THROWS_AS(read_shift_tiff(whole.substr(0, n)), InputError);
  // Taken for a geoid by mistake it says what it is.
  CHECK_THROWS_WITH(read_geotiff_grid(whole), Contains("2 bands"));
}
