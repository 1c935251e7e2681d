// SINEX solutions and position reports. Layout after the format description of SINEX 2.02 (IERS message 103); the files
// are written by hand, so are the expected figures: at latitude and longitude zero X is up, Y east and Z north.
#include "base/error.h"
#include "formats/position_report.h"
#include "formats/recognise.h"
#include "formats/sinex.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
std::string solution(const std::string &comment, const std::string &estimates, const std::string &matrix = {}) {
  return "%=SNX 2.02 SIM 26:132:00000 SIM 26:131:00000 26:132:00000 P 00006 2 S\n+FILE/COMMENT\n " + comment +
         "\n-FILE/COMMENT\n"
         "+SITE/ID\n*CODE PT __DOMES__ T _STATION DESCRIPTION__ APPROX_LON_ APPROX_LAT_ _APP_H_\n"
         " BASE  A 10001M001 P pillar at the equator    0  0  0.0   0  0  0.0   100.0\n-SITE/ID\n"
         "+SITE/ANTENNA\n BASE  A    1 P 26:131:00000 26:132:00000 TESSEL T4       NONE 00123\n-SITE/ANTENNA\n"
         "+SITE/ECCENTRICITY\n BASE  A    1 P 26:131:00000 26:132:00000 UNE   1.5070   0.0010   0.0020\n"
         "-SITE/ECCENTRICITY\n"
         "+SOLUTION/EPOCHS\n BASE  A    1 P 26:131:00000 26:132:00000 26:131:43200\n-SOLUTION/EPOCHS\n"
         "+SOLUTION/ESTIMATE\n" +
         estimates + "-SOLUTION/ESTIMATE\n" + matrix + "%ENDSNX\n";
}
std::string estimate(int index, const char *type, double value, double sd, const char *soln = "   1",
                     const char *unit = "m   ", const char *station = "BASE") {
  return fmt::format(" {:5} {:6} {:4}  A {} 26:131:43200 {} 2 {:21.14E} {:.5E}\n", index, type, station, soln, unit,
                     value, sd);
}
std::string base() {
  return estimate(1, "STAX", 6378237.0, 0.03) + estimate(2, "STAY", 0.0, 0.01) + estimate(3, "STAZ", 0.0, 0.02);
}
} // namespace

TEST_CASE("a station of a SINEX solution: place, epoch, frame, covariance, antenna") {
  const std::string text = solution("coordinates in ITRF2020 (IGS20)", base(),
                                    "+SOLUTION/MATRIX_ESTIMATE L COVA\n"
                                    "     1     1  9.00000000000000E-04\n"
                                    "     2     1  1.00000000000000E-04  1.00000000000000E-04\n"
                                    "     3     1  2.00000000000000E-04  3.00000000000000E-05  4.00000000000000E-04\n"
                                    "-SOLUTION/MATRIX_ESTIMATE L COVA\n");
  CHECK(recognise(text).kind == FileKind::sinex);
  const ControlList l = read_sinex(text);
  REQUIRE(l.rows.size() == 1);
  const ControlRow &r = l.rows[0];
  CHECK(r.mark == "BASE");
  CHECK(r.description == "pillar at the equator, 10001M001");
  CHECK(*r.xyz == Vec3(6378237.0, 0, 0));
  CHECK(r.frame == "ITRF2020");   // both names are of one frame
  CHECK(r.epoch == "2026.35753"); // noon of the 131st day: 130.5 of 365 days
  const Mat3 expected{{1e-4, 3e-5, 1e-4}, {3e-5, 4e-4, 2e-4}, {1e-4, 2e-4, 9e-4}};
  CHECK((*r.cov_enu - expected).norm() < 1e-12);
  REQUIRE(r.answer);
  CHECK(r.answer->antenna == "TESSEL T4       NONE");
  CHECK(r.answer->antenna_serial == "00123");
  CHECK(r.answer->antenna_height == 1.507);
  CHECK(r.answer->eccentricity == Eigen::Vector2d(0.002, 0.001));
  CHECK(iso(*r.answer->start) == "2026-05-11T00:00:00");
}

TEST_CASE("correlations, the upper triangle, and standard deviations alone") {
  const ControlRow corr =
      read_sinex(solution("ITRF2020", base(),
                          "+SOLUTION/MATRIX_ESTIMATE U CORR\n"
                          "     1     1  3.00000000000000E-02  5.00000000000000E-01  0.00000000000000E+00\n"
                          "     2     2  1.00000000000000E-02 -2.50000000000000E-01\n"
                          "     3     3  2.00000000000000E-02\n"
                          "-SOLUTION/MATRIX_ESTIMATE U CORR\n"))
          .rows[0];
  const Mat3 expected{{1e-4, -5e-5, 1.5e-4}, {-5e-5, 4e-4, 0}, {1.5e-4, 0, 9e-4}};
  CHECK((*corr.cov_enu - expected).norm() < 1e-12);
  const ControlRow alone = read_sinex(solution("ITRF2020", base())).rows[0];
  CHECK((*alone.sd_enu - Vec3(0.01, 0.02, 0.03)).norm() < 1e-9);
}

TEST_CASE("a frame that is not stated, or stated twice, is none") {
  CHECK(read_sinex(solution("daily solution", base())).rows[0].frame == frame_not_stated);
  CHECK(read_sinex(solution("from ITRF2014 to ITRF2020", base())).rows[0].frame == frame_not_stated);
  CHECK(read_sinex(solution("aligned to ETRF2000.", base())).rows[0].frame == "ETRF2000");
}

TEST_CASE("several solutions of a station, two points of one site, velocities") {
  const std::string twice =
      base() + estimate(4, "STAX", 6378237.5, 0.03, "   2") + estimate(5, "STAY", 0.0, 0.01, "   2") +
      estimate(6, "STAZ", 0.0, 0.02, "   2") + estimate(7, "VELX", 0.001, 1e-4, "   2", "m/y ") +
      estimate(8, "VELY", 0.002, 1e-4, "   2", "m/y ") + estimate(9, "VELZ", 0.003, 1e-4, "   2", "m/y ");
  const ControlList l = read_sinex(solution("ITRF2020", twice));
  REQUIRE(l.rows.size() == 1);
  CHECK(l.rows[0].xyz->x() == 6378237.5);
  CHECK(*l.rows[0].velocity == Vec3(0.001, 0.002, 0.003));
  CHECK(l.passed_over == 1);
}

TEST_CASE("SINEX files that cannot be right are refused with the line") {
  const std::string whole = solution("", base());
  CHECK_THROWS_WITH(read_sinex(whole.substr(0, whole.find("%ENDSNX"))), Contains("cut off"));
  CHECK_THROWS_WITH(read_sinex(whole.substr(0, 600)), Contains("line 19"));
  CHECK_THROWS_WITH(read_sinex(solution("", estimate(1, "STAX", 6378237, 0.1))),
                    Contains("line ") || Contains("some are missing"));
  CHECK_THROWS_WITH(read_sinex(solution("", estimate(1, "STAX", 6378237, 0.1, "   1", "mm  "))),
                    Contains("the unit of STAX"));
  CHECK_THROWS_WITH(
      read_sinex(solution("", estimate(1, "STAX", 637, 0.1) + estimate(2, "STAY", 0, 1) + estimate(3, "STAZ", 0, 1))),
      Contains("surface"));
  CHECK_THROWS_WITH(read_sinex(solution("", estimate(1, "LOD   ", 1, 1))), Contains("no coordinates"));
  CHECK_THROWS_WITH(
      read_sinex(solution("", base(),
                          "+SOLUTION/MATRIX_ESTIMATE L COVA\n     1     1   9.0E-04\n     2     1   9.0E-03  1.0E-04\n"
                          "     3     1  0  0  4.0E-04\n-SOLUTION/MATRIX_ESTIMATE L COVA\n")),
      Contains("negative variance") || Contains("no number"));
}

TEST_CASE("position reports") {
  const std::string text =
      "POSITION REPORT 1\n# a service\nmark: BASE\nobservations: b.rnx\nstart: 2026-05-12T08:00:00\nstop: "
      "2026-05-12T12:00:00\nantenna: TESSEL T4       NONE\nantenna height: 1.5070 m, to the reference point\n"
      "frame: IGS20 (ITRF2020)\nepoch: 2026.36\nX: 4293769.6102 m +- 0.0040\nY: 1053871.4950 m ± 0.0030\nZ: "
      "4582141.2552 m\nsd east: 0.0030 m\nsd north: 0.0040 m\nsd up: 0.0090 m\nphysical height: 466.3 m\n"
      "geoid: some grid\ngrid: zone 33\nsatellites: 21\nsolution: Float\n";
  CHECK(recognise(text).kind == FileKind::position_report);
  const ControlRow r = read_position_report(text).rows.at(0);
  CHECK(*r.xyz == Vec3(4293769.6102, 1053871.4950, 4582141.2552));
  CHECK(r.frame == "IGS20");
  CHECK(r.epoch == "2026.36000");
  CHECK(*r.sd_enu == Vec3(0.003, 0.004, 0.009));
  CHECK_FALSE(r.height); // its physical height is by another geoid
  CHECK(r.answer->physical_height == 466.3);
  CHECK(r.answer->solution == "float");
  CHECK(r.answer->satellites == 21);
  const auto without = [&](const std::string &piece, const std::string &instead = "") {
    std::string t = text;
    t.replace(t.find(piece), piece.size(), instead);
    return t;
  };
  CHECK(read_position_report(without("frame: IGS20 (ITRF2020)\n")).rows[0].frame == frame_not_stated);
  CHECK_THROWS_WITH(read_position_report(without("Z: 4582141.2552 m\n")), Contains("no X, Y, Z"));
  CHECK_THROWS_WITH(read_position_report(without("mark: BASE\n")), Contains("names no mark"));
  CHECK_THROWS_WITH(read_position_report(without("satellites: 21", "mark: B2")), Contains("twice"));
  CHECK_THROWS_WITH(read_position_report(without("1.5070 m", "high")), Contains("antenna height does not begin"));
  CHECK_THROWS_WITH(read_position_report(without("2026-05-12T08:00:00", "yesterday")), Contains("instant"));
}
