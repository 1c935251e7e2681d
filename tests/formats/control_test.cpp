// Control lists as other people write them, and the ones that this program writes.
#include "base/error.h"
#include "base/utf8.h"
#include "formats/control_documents.h"
#include "formats/recognise.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using Catch::Matchers::Contains;

TEST_CASE("heads in the words of the trade, with units behind them") {
  const ControlList a = read_control_list("Pt;Easting;Northing;Elevation\nP1;500123,25;4700321,5;312,004\n");
  REQUIRE(a.rows.size() == 1);
  CHECK(*a.rows[0].grid == Vec3(500123.25, 4700321.5, 312.004));
  const ControlList b = read_control_list("Point ID,East [ft],North (US-ft),elev_ft,sd_e_mm,sd_n_mm,sd_u_mm\n"
                                          "P1,1000,3937,500,3,4,5\n");
  CHECK(b.rows[0].grid->x() == Approx(304.8));
  CHECK(b.rows[0].grid->y() == Approx(1200.0));
  CHECK(b.rows[0].grid->z() == Approx(152.4));
  CHECK(b.rows[0].sd_enu->y() == Approx(0.004));
  const ControlList c = read_control_list("no,e,n,z\n7,1,2,3\n");
  CHECK(c.rows[0].grid->z() == 3);
  // 1 ft = 0.3048 m, 1 US survey foot = 1200/3937 m (NIST Handbook 44).
  const ControlList d = read_control_list("Pt. No.,Northing (US Survey Feet),Easting (US Survey Feet),Elev. (metres)\n"
                                          "P1,3937,7874,5\n");
  CHECK(*d.rows[0].grid == Vec3(2400, 1200, 5));
  CHECK_THROWS_WITH(read_control_list("mark,east [chains],north,height\nA,1,2,3\n"), Contains("some are given"));
  CHECK(read_control_list("mark,height,owner\nA,1,x\n").unread_columns == std::vector<std::string>{"owner"});
}

TEST_CASE("quoted cells, encodings and packed degrees") {
  const ControlList q = read_control_list("mark,height,description\n\"pillar, north\",12.5,\"say \"\"so\"\"\"\n");
  CHECK(q.rows[0].mark == "pillar, north");
  CHECK(q.rows[0].description == "say \"so\"");
  std::string wide = "\xFF\xFE";
  for (char x : std::string("mark,height\nA,1.5\n")) wide += {x, '\0'};
  CHECK(recognise(plain_content(wide)).kind == FileKind::control);
  CHECK(read_control_list(utf8_text(wide)).rows[0].height == 1.5);
  const std::string old = "mark,height\rA,1.5\rB,2.5\r"; // carriage returns alone
  CHECK(recognise(plain_content(old)).kind == FileKind::control);
  CHECK(read_control_list(plain_content(old)).rows.size() == 2);
  const ControlList p = read_control_list("mark,lat_packed,lon_packed,h\nA,46.17034,-13.5400,100\n");
  CHECK(p.rows[0].geodetic->x() == Approx(46 + 17 / 60.0 + 3.4 / 3600).margin(1e-10));
  CHECK(p.rows[0].geodetic->y() == Approx(-13.9).margin(1e-10));
  CHECK_THROWS_WITH(read_control_list("mark,lat_packed,lon_packed,h\nA,46.6103,13.54,1\n"), Contains("not an angle"));
}

TEST_CASE("names that cannot be printed are refused with their line; double marks must agree") {
  CHECK_THROWS_WITH(read_control_list("mark,height\nA\x01,1\n"), Contains("line 2") && Contains("cannot be seen"));
  CHECK_THROWS_WITH(read_control_list("mark,height\n" + std::string(250, 'x') + ",1\n"), Contains("longer than 100"));
  CHECK(read_control_list("mark,height\nA,1\nA,1\n").rows.size() == 1);
  CHECK_THROWS_WITH(read_control_list("mark,height\nA,1\nA,1.001\n"), Contains("twice"));
}

TEST_CASE("a list that cannot be read says which words could") {
  CHECK_THROWS_WITH(read_control_list("1,500000,4700000,300\n2,500001,4700001,301\n"),
                    Contains("easting northing elevation"));
  CHECK_THAT(recognise("1 500000 4700000 300\n").reason,
             Contains("--as levels") && Contains("Files") && Contains("height alone"));
}

TEST_CASE("what is provisional in our own lists is no published value") {
  const ControlList a = read_control_list(
      "mark,adjusted_m,adjusted_sd_m,state\nA,1.5,0.001,held\nB,2.5,0.002,adjusted\nC,3.5,0.002,from zero\n");
  CHECK(a.rows.size() == 2);
  CHECK(a.rows[1].sd_height == 0.002);
  CHECK(a.passed_over == 1);
  CHECK_THROWS_WITH(read_control_list("mark,east_m,north_m,height_m,state\nA,1,2,3,provisional\n"),
                    Contains("provisional values only"));
}

TEST_CASE("points of LandXML: units, systems, heights without a place") {
  const std::string xml =
      "<?xml version=\"1.0\"?>\n<LandXML version=\"1.2\">\n<Units><Imperial linearUnit=\"USSurveyFoot\"/></Units>\n"
      "<CoordinateSystem epsgCode=\"26910\"/>\n<CgPoints>\n<CgPoint name=\"A\">3937.0 7874.0 1000.0</CgPoint>\n"
      "<CgPoint name=\"B\" desc=\"provisional\">1 2 3</CgPoint>\n"
      "<Feature code=\"height without a place\" name=\"C\"><Property label=\"height_m\" value=\"12.5\"/>"
      "<Property label=\"sd_m\" value=\"0.001\"/></Feature>\n</CgPoints>\n</LandXML>\n";
  REQUIRE(recognise(xml).kind == FileKind::landxml_points);
  const ControlList a = read_landxml_points(xml);
  REQUIRE(a.rows.size() == 2);
  CHECK(*a.rows[0].grid == Vec3(2400, 1200, 1000 * 1200.0 / 3937.0));
  CHECK(a.rows[0].crs == "EPSG:26910");
  CHECK(a.rows[0].line == 6);
  CHECK(a.rows[1].height == 12.5);
  CHECK(a.passed_over == 1);
  CHECK_THROWS_WITH(
      read_landxml_points("<LandXML><Units/><CgPoints><CgPoint name='A'>1 2 3</CgPoint></CgPoints></LandXML>"),
      Contains("no unit"));
  CHECK_THROWS_WITH(read_landxml_points("<LandXML>\n<CgPoints>\n<CgPoint"), Contains("well-formed"));
}

TEST_CASE("grids and pictures are called by their names") {
  std::string gtx(40 + 4 * 6, '\0');
  gtx[35] = 2, gtx[39] = 3;
  gtx[0] = '\x40', gtx[1] = '\x46';                       // 44° north
  gtx[16] = gtx[24] = '\x3f', gtx[17] = gtx[25] = '\xf0'; // steps of 1°
  CHECK(recognise(gtx).kind == FileKind::geoid_gtx);
  CHECK(recognise("begin_of_head ====\nmodel name : x\n").kind == FileKind::geoid_isg);
}

TEST_CASE("a list of a plan has east and north alone") {
  const ControlList l = read_control_list("mark,e,n,sd_e,sd_n\nA,1000.5,2000.25,0.01,0.01\n");
  REQUIRE(l.rows.size() == 1);
  CHECK_FALSE(l.rows[0].grid);
  REQUIRE(l.rows[0].plan);
  CHECK(*l.rows[0].plan == Eigen::Vector2d(1000.5, 2000.25));
  CHECK(l.rows[0].sd_enu->y() == 0.01);
  // A height that is missing in one row leaves it its plan; half a place is none.
  const ControlList mixed = read_control_list("mark,e,n,height\nA,1,2,3\nB,1,2,\nC,,,3\n");
  CHECK(mixed.rows[0].grid);
  CHECK(mixed.rows[1].plan);
  CHECK(mixed.rows[2].height);
  CHECK_THROWS_WITH(read_control_list("mark,e,n,height\nA,1,,3\n"), Contains("some are given"));
  // Beside a place on the Earth they say nothing new.
  CHECK_FALSE(read_control_list("mark,e,n,height,lat,lon,h\nA,1,2,,46,13,100\n").rows[0].plan);
}

TEST_CASE("X, Y and Z of a site are not taken for geocentric ones, and the heads to use are said") {
  CHECK_THROWS_WITH(read_control_list("\"Point\";\"Y\";\"X\";\"Z\"\n\"DAM\";\"5012,12\";\"7001,55\";\"612,1\"\n"),
                    Contains("headed east, north, height"));
}

TEST_CASE("a grid of shifts says what it is") {
  CHECK_THAT(recognise("NUM_OREC\x0b" + std::string(3, '\0')).reason, Contains("NTv2"));
}
