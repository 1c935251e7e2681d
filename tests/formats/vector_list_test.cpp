// Vectors and fixes of others: lists in layouts of several countries, LandXML, and what cannot be.
#include "base/error.h"
#include "formats/recognise.h"
#include "formats/vector_list.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using Catch::Matchers::Contains;

TEST_CASE("vectors by geocentric components with standard deviations or a covariance") {
  const std::string text =
      "# solved by the neighbours\nfrom,to,dx,dy,dz,sd_x_mm,sd_y_mm,sd_z_mm,status,epochs,start,frame\n"
      "A,B,-120.5001,2300.25,0.125,3,4,5,fixed,120,2026-05-12T09:00:00,ITRF2020\n"
      "A,\"C, old\",1,2,3,3,4,5,float,,,\n";
  REQUIRE(recognise(text).kind == FileKind::vector_list);
  const VectorList l = read_vector_list(text);
  REQUIRE(l.rows.size() == 2);
  CHECK(l.rows[0].line == 3);
  CHECK(*l.rows[0].d == Vec3(-120.5001, 2300.25, 0.125));
  CHECK(*l.rows[0].sd_xyz == Vec3(0.003, 0.004, 0.005));
  CHECK(l.rows[0].frame == "ITRF2020");
  CHECK(*l.rows[0].epochs == 120);
  CHECK(l.rows[1].to == "C, old");
  CHECK_FALSE(l.rows[1].epochs);
  CHECK_FALSE(l.rows[1].fix());
  const VectorList q = read_vector_list("from;to;dx;dy;dz;cov_xx;cov_xy;cov_xz;cov_yy;cov_yz;cov_zz\n"
                                        "A;B;1,5;2,5;3,5;4e-6;0;0;9e-6;1e-6;16e-6\n");
  CHECK(*q.rows[0].d == Vec3(1.5, 2.5, 3.5));
  CHECK((*q.rows[0].cov_xyz)(1, 2) == 1e-6);
}

TEST_CASE("fixes: geodetic, geocentric and grid, with their base and in feet") {
  const VectorList l = read_vector_list("Point,Base,Latitude,Longitude,Ellipsoidal height "
                                        "(ft),base_lat,base_lon,base_h,HRMS_mm,VRMS_mm,Fix type,Epochs,Purpose\n"
                                        "101,R1,40:26:46.302 N,79:58:56.903 W,1000,40.45,-79.99,300,8,14,FIXED,15,\n"
                                        "102,R1,40:26:50 N,79:58:50 W,1001,40.45,-79.99,300,8,14,single,3,check\n");
  REQUIRE(l.rows.size() == 2);
  const MeasuredRow &r = l.rows[0];
  CHECK(r.fix());
  CHECK(r.from == "R1");
  CHECK(r.to == "101");
  CHECK(r.place.geodetic->y() == Approx(-(79 + 58 / 60.0 + 56.903 / 3600)).epsilon(1e-12));
  CHECK(r.place.geodetic->z() == Approx(304.8));
  CHECK(r.base.geodetic->z() == 300);
  CHECK(*r.sd_enu == Vec3(0.008, 0.008, 0.014));
  CHECK_FALSE(r.check);
  CHECK(l.rows[1].check);
  const std::string grid =
      "mark\tbase\teast\tnorth\theight\n1\tB\t413000,123\t5129000,5\t801,25\nB\tB\t413500\t5129500\t800\n";
  REQUIRE(recognise(grid).kind == FileKind::vector_list);
  const VectorList g = read_vector_list(grid);
  CHECK(g.rows[0].place.grid->x() == Approx(413000.123));
  CHECK(g.rows[1].from == g.rows[1].to); // the base itself
  // A list of marks stays a control list, whatever else stands in it.
  CHECK(recognise("mark,e,n,height,reference\nA,413000,5129000,800,sheet 3\n").kind == FileKind::control);
}

TEST_CASE("vectors of a LandXML file with set-ups, covariance and solution") {
  const std::string text =
      "<?xml version=\"1.0\"?>\n<LandXML xmlns=\"http://www.landxml.org/schema/LandXML-1.2\" "
      "version=\"1.2\">\n<Survey>\n"
      "<GPSSetup id=\"s1\" antennaHeight=\"1.5\" stationName=\"A\"/>\n<GPSSetup id=\"s2\" stationName=\"B\"/>\n"
      "<GPSVector dX=\"10.5\" dY=\"-20\" dZ=\"30\" setupID_A=\"s1\" setupID_B=\"s2\" "
      "startTime=\"2026-05-12T09:00:00\">\n"
      "<GPSQCInfoLevel2 covarianceXX=\"1e-6\" covarianceXY=\"0\" covarianceXZ=\"0\" covarianceYY=\"2e-6\" "
      "covarianceYZ=\"0\" "
      "covarianceZZ=\"3e-6\" GPSSolnType=\"fixed\" nbrSatellites=\"9\"/>\n</GPSVector>\n"
      "<GPSVector dX=\"1\" dY=\"2\" dZ=\"3\" setupID_A=\"s2\" setupID_B=\"s1\" horizontalPrecision=\"0.01\" "
      "verticalPrecision=\"0.02\"/>\n</Survey></LandXML>\n";
  REQUIRE(recognise(text).kind == FileKind::landxml_vectors);
  const VectorList l = read_landxml_vectors(text);
  REQUIRE(l.rows.size() == 2);
  CHECK(l.rows[0].line == 6);
  CHECK(l.rows[0].from == "A");
  CHECK(l.rows[0].status == "fixed");
  CHECK((*l.rows[0].cov_xyz)(2, 2) == 3e-6);
  CHECK(*l.rows[1].sd_enu == Vec3(0.01, 0.01, 0.02));
  // In feet all of it is.
  std::string feet = text;
  feet.insert(feet.find("<Survey>"), "<Units><Imperial linearUnit=\"USSurveyFoot\"/></Units>");
  const VectorList f = read_landxml_vectors(feet);
  CHECK(f.rows[0].d->z() == Approx(30 * 1200.0 / 3937).epsilon(1e-12));
  CHECK((*f.rows[0].cov_xyz)(2, 2) == Approx(3e-6 * std::pow(1200.0 / 3937, 2)).epsilon(1e-12));
  CHECK(f.rows[1].sd_enu->z() == Approx(0.02 * 1200 / 3937).epsilon(1e-12));
  feet.replace(feet.find("USSurveyFoot"), 12, "cubit");
  CHECK_THROWS_WITH(read_landxml_vectors(feet), Contains("cubit"));
  std::string orphan = text;
  orphan.replace(orphan.find("id=\"s2\""), 7, "id=\"s9\"");
  CHECK_THROWS_WITH(read_landxml_vectors(orphan), Contains("s2") && Contains("no station name"));
  CHECK_THROWS_AS(read_landxml_vectors(text.substr(0, text.size() / 2)), InputError);
}

TEST_CASE("vectors and fixes that cannot be are refused with their line") {
  const auto vectors = [](const std::string &row) {
    return read_vector_list("from,to,dx,dy,dz,sd_x,sd_y,sd_z\nA,B,1,2,3,0.003,0.003,0.003\n" + row + "\n");
  };
  const auto refused = [&](const std::string &row, const char *why) {
    try {
      vectors(row);
      FAIL("taken: " << row);
    } catch (const InputError &e) {
      CHECK(e.line() == 3);
      CHECK_THAT(e.reason(), Contains(why));
    }
  };
  refused("A,,1,2,3,,,", "no name");
  refused("A,A,1,2,3,,,", "to itself");
  refused("A,C,1,,3,,,", "some are given");
  refused("A,C,1,two,3,,,", "not a number");
  refused("A,C,0,0,0,,,", "impossible");
  refused("A,C,1e9,0,0,,,", "impossible");
  refused("A,C,1,2,3,0,0,0", "standard deviation");
  refused("A,C,1,2,3,3,3,4000", "standard deviation");
  CHECK_THROWS_WITH(
      read_vector_list(
          "from,to,dx,dy,dz,cov_xx,cov_xy,cov_xz,cov_yy,cov_yz,cov_zz\nA,B,1,2,3,1e-6,5e-6,0,1e-6,0,1e-6\n"),
      Contains("none"));
  CHECK_THROWS_WITH(read_vector_list("mark,base,x,y,z\nA,B,1,2,3\n"), Contains("surface"));
  CHECK_THROWS_WITH(read_vector_list("from,to,dx,dy,dz\n"), Contains("no rows"));
  CHECK_THROWS_AS(read_vector_list("# nothing but words"), InputError);
  CHECK_THROWS_AS(read_vector_list(""), InputError);
}
