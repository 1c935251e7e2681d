#include "base/angle.h"
#include "base/error.h"
#include "formats/antenna_points.h"
#include "formats/antex.h"
#include "formats/control_list.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using Catch::Matchers::Contains;

TEST_CASE("control lists in any column order, delimiter and decimal sign") {
  const ControlList a = read_control_list(
      "\xEF\xBB\xBFz,mark,x,y,frame,epoch\n4582141.2553,REFA,4293769.6122,1053871.4959,ETRF2000,2010.0\n");
  REQUIRE(a.rows.size() == 1);
  CHECK(a.rows[0].xyz->z() == 4582141.2553);
  CHECK(a.rows[0].line == 2);
  const ControlList b = read_control_list(
      "# list\nName;Lat;Lon;h;sd_e;sd_n;sd_u;owner\nP1;46:17:03,5 N;13°54'00\"E;512,250;0,001;0,001;0,002;x\n");
  CHECK(b.rows[0].geodetic->x() == Approx(46 + 17 / 60.0 + 3.5 / 3600));
  CHECK(b.rows[0].geodetic->z() == 512.25);
  CHECK(b.rows[0].sd_enu->z() == 0.002);
  CHECK(b.unread_columns == std::vector<std::string>{"owner"});
}

TEST_CASE("thousands in groups are read in quoted cells") {
  const ControlList a =
      read_control_list("mark,north_ft,east_ft,height_ft\nA,\"2,345,678.90\",\"678,901.23\",100.00\n");
  CHECK(a.rows[0].grid->isApprox(Vec3(678901.23, 2345678.90, 100) * 0.3048, 1e-15));
}

TEST_CASE("control lists that cannot be right are refused") {
  CHECK_THROWS_WITH(read_control_list("mark,x,y,z\nA,1,2,3\n"), Contains("line 2") && Contains("mixed up"));
  CHECK_THROWS_WITH(read_control_list("mark,lat,lon,h\nA,13.9,46.3\n"), Contains("3 columns"));
  CHECK_THROWS_WITH(read_control_list("mark,lat,lon,h\nA,460,13.9,100\n"), Contains("beyond 90"));
  CHECK_THROWS_WITH(read_control_list("mark,lat,lon,h\nA,46,13.9,51225\n"), Contains("height of A is impossible"));
  CHECK_THROWS_WITH(read_control_list("mark,lat,lon,h\nA,46,13.9,100\nA,46,13.8,100\n"),
                    Contains("line 3") && Contains("twice"));
  CHECK_THROWS_WITH(read_control_list("mark,lat,lon,h\nA,46,,100\n"), Contains("some are given"));
  CHECK_THROWS_WITH(read_control_list("mark,lat,lon,h,vx,vy,vz\nA,46,13,100,2.1,1.2,0.4\n"), Contains("0.5 m/yr"));
  CHECK_THROWS_WITH(read_control_list("station,colour\nA,red\n"), Contains("coordinate columns"));
  CHECK_THROWS_WITH(read_control_list(""), Contains("empty"));
}

TEST_CASE("slant heights") {
  const AntennaPoint rim{"T", "rim", 0.098, 0.034, 1};
  // RULE (reference-values N): vertical = √(slant² − radius²), then the offset of the point.
  CHECK(arp_height(std::hypot(1.478 + 0.034, 0.098), true, rim) == Approx(1.478).margin(1e-12));
  CHECK(arp_height(1.5, false, rim) == Approx(1.466));
  CHECK_THROWS_AS(arp_height(0.05, true, rim), InputError);
  const auto t =
      read_antenna_points("# x\nantenna,point,radius_m,above_arp_m\nTESSEL T4       NONE,rim,0.0980,0.0340\n");
  CHECK(t.at(0).radius == 0.098);
  CHECK_THROWS_WITH(read_antenna_points("antenna,point,radius_m,above_arp_m\nX,rim,98,34\n"),
                    Contains("line 2") && Contains("impossible"));
}

TEST_CASE("antenna calibrations: sign convention and interpolation") {
  AntexFile f;
  Antenna a;
  a.type = "TESSEL T4       NONE";
  a.azimuth_step = 90;
  AntennaFrequency q;
  q.offset_neu = {0.002, -0.001, 0.06};
  for (int z = 0; z <= 90; z += 5) q.no_azimuth.push_back(0.0001 * z);
  for (int az = 0; az <= 360; az += 90) {
    auto row = q.no_azimuth;
    for (double &x : row) x += az == 90 ? 0.004 : 0;
    q.by_azimuth.push_back(row);
  }
  a.frequencies["G01"] = q;
  f.receivers.push_back(a);
  const AntexFile g = read_antex(write_antex(f));
  REQUIRE(g.receivers.size() == 1);
  const Antenna &b = g.receivers[0];
  CHECK(b.type == a.type);
  const AntennaFrequency &r = b.frequencies.at("G01");
  CHECK(r.by_azimuth.size() == 5);
  // At the zenith the offset's height shortens the measured range: ANTEX 1.4, correction = −offset · e + variation.
  CHECK(antenna_correction(b, r, 0, pi / 2) == Approx(-0.06).margin(1e-9));
  // To the north at the horizon: −north + variation at 90°.
  CHECK(antenna_correction(b, r, 0, 0) == Approx(-0.002 + 0.009).margin(1e-9));
  // East: −(−1 mm) + 9 mm + 4 mm; half-way in azimuth the grid is interpolated.
  CHECK(antenna_correction(b, r, pi / 2, 0) == Approx(0.001 + 0.013).margin(1e-9));
  const double half = antenna_correction(b, r, pi / 4, 0) + (0.002 * std::cos(pi / 4) - 0.001 * std::sin(pi / 4));
  CHECK(half == Approx(0.011).margin(1e-9));
  CHECK(antex_frequency('E', '5') == "E05");
  std::string relative = write_antex(f);
  relative.replace(relative.find("A                  "), 1, "R");
  CHECK_THROWS_WITH(read_antex(relative), Contains("absolute"));
  const std::string whole = write_antex(f);
  CHECK_THROWS_WITH(read_antex(whole.substr(0, whole.size() - 90)), Contains("ends inside"));
}
