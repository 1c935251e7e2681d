// Drawings of a site: lines of DXF, GeoJSON and GeoPackage, in their unit and system; what holds none is refused.
#include "base/error.h"
#include "formats/linework.h"
#include "formats/recognise.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
/// A drawing as text: pairs of code and value.
std::string dxf(const std::string &entities, const std::string &header = "") {
  return "  0\nSECTION\n  2\nHEADER\n  9\n$ACADVER\n  1\nAC1009\n" + header +
         "  0\nENDSEC\n  0\nSECTION\n  2\nENTITIES\n" + entities + "  0\nENDSEC\n  0\nEOF\n";
}
std::string line(const char *layer, double x1, double y1, double x2, double y2) {
  return fmt::format("  0\nLINE\n  8\n{}\n 10\n{}\n 20\n{}\n 30\n0.0\n 11\n{}\n 21\n{}\n 31\n0.0\n", layer, x1, y1, x2,
                     y2);
}
const std::string unit_of(int code) { return fmt::format("  9\n$INSUNITS\n 70\n{:6}\n", code); }
} // namespace

TEST_CASE("a drawing: lines and polylines by layer, a circle as its chords, texts passed over") {
  const std::string text =
      dxf(line("FENCE", 415800, 5128200, 415900, 5128260.5) + "  0\nPOLYLINE\n  8\nROAD\n 66\n1\n 70\n0\n" +
          [] {
            std::string v;
            for (int i = 0; i < 4; ++i)
              v +=
                  fmt::format("  0\nVERTEX\n  8\nROAD\n 10\n{}\n 20\n{}\n 30\n0.0\n", 415800 + 10 * i, 5128300 + i * i);
            return v + "  0\nSEQEND\n  8\nROAD\n";
          }() +
          "  0\nCIRCLE\n  8\nTANK\n 10\n415850\n 20\n5128250\n 30\n0.0\n 40\n5.0\n" +
          "  0\nTEXT\n  8\nFENCE\n 10\n415850\n 20\n5128250\n 30\n0.0\n 40\n2.5\n  1\ngate\n");
  CHECK(recognise(text).kind == FileKind::linework);
  const Linework l = read_linework(text);
  REQUIRE(l.lines.size() == 3);
  CHECK(l.lines[0].layer == "FENCE");
  CHECK(l.lines[0].points[1] == Eigen::Vector2d(415900, 5128260.5));
  CHECK(l.lines[1].layer == "ROAD");
  CHECK(l.lines[1].points.size() == 4);
  CHECK(l.lines[2].points.size() > 30);
  for (const auto &p : l.lines[2].points)
    CHECK((p - Eigen::Vector2d(415850, 5128250)).norm() == Approx(5).margin(1e-6));
  CHECK(l.passed_over == 1);
  CHECK(l.crs.empty());
  CHECK_THAT(linework_words(l), Contains("3 lines on 3 layers") && Contains("used for nothing") &&
                                    Contains("names no system") && Contains("1 points, texts"));
}

TEST_CASE("the unit that a drawing names counts: feet, US survey feet, millimetres") {
  for (const auto &[code, metres] : {std::pair{2, 0.3048}, {21, 1200.0 / 3937}, {4, 0.001}, {6, 1.0}, {0, 1.0}}) {
    const Linework l = read_linework(dxf(line("A", 1000, 2000, 1010, 2000), unit_of(code)));
    REQUIRE(l.lines.size() == 1);
    CHECK((l.lines[0].points[1] - Eigen::Vector2d(1010, 2000) * metres).norm() < 1e-9);
    CHECK(l.unit == metres);
    CHECK(l.unit_stated == (code != 0));
  }
}

TEST_CASE("GeoJSON is degrees of the world, areas are their edges") {
  const std::string text = R"({"type":"FeatureCollection","features":[
    {"type":"Feature","properties":{},"geometry":{"type":"Polygon","coordinates":[[[151.2,-33.8],[151.21,-33.8],[151.21,-33.81],[151.2,-33.8]],
      [[151.203,-33.802],[151.204,-33.802],[151.204,-33.803],[151.203,-33.802]]]}},
    {"type":"Feature","properties":{},"geometry":{"type":"MultiLineString","coordinates":[[[151.2,-33.8],[151.3,-33.9]],[[151.1,-33.7],[151.2,-33.8]]]}},
    {"type":"Feature","properties":{},"geometry":{"type":"Point","coordinates":[151.2,-33.8]}}]})";
  CHECK(recognise(text).kind == FileKind::linework);
  const Linework l = read_linework(text);
  CHECK(l.lines.size() == 4);
  CHECK(l.geographic);
  CHECK(l.lines[0].points[0] == Eigen::Vector2d(151.2, -33.8));
  CHECK(l.passed_over == 1);
}

TEST_CASE("what is no drawing, holds no lines or is damaged is refused with the reason") {
  CHECK_THROWS_WITH(read_linework("mark,e,n\n"), Contains("no drawing that is known"));
  CHECK_THROWS_WITH(read_linework(dxf("")), Contains("no lines"));
  CHECK_THROWS_WITH(read_linework(dxf("  0\nTEXT\n  8\nA\n 10\n1\n 20\n2\n 40\n2.5\n  1\ngate\n")),
                    Contains("marks come from a control list"));
  CHECK_THROWS_AS(
      read_linework(
          R"({"type":"FeatureCollection","features":[{"type":"Feature","geometry":{"type":"LineString","coordinates":[[1,2],[3)"),
      InputError);
  // Cut off anywhere it is read in part or refused, and never worse.
  const std::string whole = dxf(line("A", 1, 2, 3, 4) + line("B", 1, 2, 3, 5));
  for (std::size_t n = 10; n < whole.size(); n += 7) try {
      read_linework(whole.substr(0, n));
    } catch (const InputError &) {
      // said
    }
  CHECK(recognise("SQLite format 3\0 and something that is no map of lines" + std::string(200, 'x')).kind ==
        FileKind::unknown);
}
