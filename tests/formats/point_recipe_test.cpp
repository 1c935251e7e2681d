// Control lists in other people's layouts: what their columns seem to be, and what a recipe makes of them. The layouts
// are written by hand after habits of several countries (common practice), the expected values read off the text.
#include "base/error.h"
#include "formats/list_reading.h"
#include "formats/point_recipe.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
Recipe proposed(std::string_view text) {
  const auto r = proposed_points_recipe(text, "list");
  REQUIRE(r);
  return *r;
}
std::string columns(std::string_view text) { return columns_in_words(proposed(text)); }
ControlList read(std::string_view text) { return read_points(proposed(text), text); }
} // namespace

TEST_CASE("columns of a list without heads are proposed from what stands in them") {
  CHECK(columns("P1,334512.123,5123456.234,412.33,bolt\nP2,334612.123,5123556.234,413.33,pin\n") ==
        "1 mark, 2 east, 3 north, 4 physical height, 5 description");
  // The figure with seven digits is the northing, wherever it stands.
  CHECK(columns("P1;5123456,234;334512,123;412,33\nP2;5123556,234;334612,123;413,33\n") ==
        "1 mark, 2 north, 3 east, 4 physical height");
  // Eight figures: the number of the zone stands in front of the easting.
  CHECK(columns("P1 33412345.120 5123456.234 412.33\nP2 33412445.120 5123556.234 412.63\n") ==
        "1 mark, 2 east, 3 north, 4 physical height");
  CHECK(columns("101\t4293769.6122\t1053871.4959\t4582141.2553\n102\t4293770.6122\t1053971.4959\t4582131.2553\n") ==
        "1 mark, 2 x, 3 y, 4 z");
  CHECK(columns("R1,46°17'03.41207\"N,13°54'00.5\"E,512.25\nR2,46°18'03.41207\"N,13°55'00.5\"E,515.25\n") ==
        "1 mark, 2 latitude, 3 longitude, 4 ellipsoidal height");
  CHECK(columns("R1 E13:54:00.5 N46:17:03.4 512.25\nR2 E13:55:00.5 N46:18:03.4 515.25\n") ==
        "1 mark, 2 longitude, 3 latitude, 4 ellipsoidal height");
  CHECK(columns("R1,-33.8688197,151.2092955,58.21\nR2,-33.8698197,151.2192955,59.21\n") ==
        "1 mark, 2 latitude, 3 longitude, 4 ellipsoidal height");
  // Heads nobody knows are told from the lines below by having no figures.
  const Recipe r = proposed("# Netz 3\nPunkt;Rechtswert;Hochwert;Höhe\nA1;3412345,12;5423456,23;412,33\n"
                            "A2;3412346,12;5423556,23;412,43\n");
  CHECK(columns_in_words(r) == "1 mark, 2 east, 3 north, 4 physical height");
  CHECK(r.header_lines == 2);
  // The name at the end.
  CHECK(columns("334512.123,5123456.234,412.33,P1\n334612.123,5123556.234,413.33,P2\n") ==
        "1 east, 2 north, 3 physical height, 4 mark");
}

TEST_CASE("what is no list of marks is not proposed as one") {
  for (const char *text :
       {"$GPGGA,101112.00,4617.05,N,01354.01,E,1,08,1.0,512.2,M,47.0,M,,\n$GPGGA,101113.00,4617.05,N,01354.01,"
        "E,1,08,1.0,512.2,M,47.0,M,,\n",
        "BM1 1.2345 12.0\nTP1 1.0345 11.0\nTP2 0.9345 11.0\n", "Dear colleague,\nplease find the list enclosed.\n",
        "\n\n", "a\n", "334512.123 5123456.234 412.33\n334612.123 5123556.234 413.33\n", "A,B,C\nD,E,F\n",
        "{\"a\": 1000.5,\n\"b\": 2000.5}\n", "<p a=1000.5 b=2000.5/>\n", "1;2;3\n4;5;6\n",
        "x,1e999,2e999\ny,3e999,4e999\n"})
    CHECK_FALSE(proposed_points_recipe(text, "x"));
}

TEST_CASE("lists are read as their recipes say") {
  const ControlList a = read("P1;5123456,234;334512,123;412,33;bolt\nP2;5123556,234;334612,123;413,33;pin\n");
  REQUIRE(a.rows.size() == 2);
  CHECK(a.rows[0].mark == "P1");
  CHECK(*a.rows[0].grid == Vec3(334512.123, 5123456.234, 412.33));
  CHECK(*a.rows[1].height == 413.33);
  CHECK(a.rows[1].line == 2);
  CHECK(a.rows[1].description == "pin");
  const ControlList g = read("R1 E13:54:00.5 N46:17:03.4 512.25\nR2 E13:55:00.5 S46:18:03.4 515.25\n");
  CHECK(g.rows[0].geodetic->x() == Approx(46 + 17 / 60.0 + 3.4 / 3600).epsilon(1e-14));
  CHECK(g.rows[0].geodetic->y() == Approx(13 + 54 / 60.0 + 0.5 / 3600).epsilon(1e-14));
  CHECK(g.rows[1].geodetic->x() == Approx(-46 - 18 / 60.0 - 3.4 / 3600).epsilon(1e-14));
  // Hemispheres in columns of their own, packed angles, a unit of each column's own.
  const Recipe r = read_recipe(
      R"({"format": "ample-tie recipe", "version": 1, "name": "gazette", "reads": "control", "layout": "delimited",
    "delimiter": "|", "angles": "packed dms", "codes": {"latitude_side": {"N": "north", "S": "south"},
    "longitude_side": {"E": "east", "W": "west"}},
    "lines": [{"name": "mark", "fields": [{"meaning": "mark", "column": 1}, {"meaning": "latitude", "column": 2},
    {"meaning": "latitude_side", "column": 3}, {"meaning": "longitude", "column": 4}, {"meaning": "longitude_side", "column": 5},
    {"meaning": "ellipsoidal_height", "column": 6, "unit": "ft"}, {"meaning": "sd_plan", "column": 7, "unit": "mm"},
    {"meaning": "sd_up", "column": 8, "unit": "mm"}, {"meaning": "epoch", "column": 9}]}]})");
  const ControlList s = read_points(r, "T1|33.52077|S|70.40123|W|1640.42|4|9|2016.5\n");
  CHECK(s.rows[0].geodetic->x() == Approx(-33 - 52 / 60.0 - 7.7 / 3600).epsilon(1e-13));
  CHECK(s.rows[0].geodetic->y() == Approx(-70 - 40 / 60.0 - 12.3 / 3600).epsilon(1e-13));
  CHECK(s.rows[0].geodetic->z() == Approx(500.000016).epsilon(1e-12));
  CHECK(s.rows[0].sd_enu->isApprox(Vec3(0.004, 0.004, 0.009)));
  CHECK(s.rows[0].epoch == "2016.5");
}

TEST_CASE("what a recipe cannot mean is refused with line and reason") {
  const auto with = [](const char *text) {
    return read_points(proposed("P1,334512.123,5123456.234,412.33\nP2,334612.123,5123556.234,413.33\n"), text);
  };
  CHECK_THROWS_WITH(with("P1,334512.123,5123456.234,412.33\nP1,334512.124,5123456.234,412.33\n"),
                    Contains("line 2") && Contains("twice"));
  CHECK_THROWS_WITH(with("P1,334512.123,,412.33\n"), Contains("line 1") && Contains("north of P1 is missing"));
  CHECK_THROWS_WITH(with(",334512.123,5123456.234,412.33\n"), Contains("no name"));
  CHECK_THROWS_WITH(with("P1,334512.123,5123456.234,41233\n"), Contains("height of P1 is impossible"));
  CHECK_THROWS_WITH(with("# nothing\n"), Contains("holds no marks"));
  CHECK(with("P1,334512.123,5123456.234,412.33\nP1,334512.123,5123456.234,412.33\n").rows.size() == 1);
}

TEST_CASE("heads of a list are shown as the recipe that would read it without them") {
  const char *text = "# list\nName;Lat;Lon;h;sd_e;owner\nP1;46:17:03,5 N;13°54'00\"E;512,250;;x\n";
  const Recipe r = recipe_of_heads(text, "heads");
  CHECK(columns_in_words(r) == "1 mark, 2 latitude, 3 longitude, 4 ellipsoidal height, 5 sd east, 6 ignore");
  CHECK(r.header_lines == 2);
  CHECK(r.decimal_comma);
  const char *feet = "mark,Easting [ft],north_ft,Elev (ft)\nA,1000000.00,2000000.00,100.00\n";
  const ControlList a = read_control_list(feet), b = read_points(recipe_of_heads(feet, "heads"), feet);
  CHECK(a.rows[0].grid->isApprox(*b.rows[0].grid, 1e-15));
  CHECK(a.unit == 0.3048);
}

TEST_CASE("what is said of a whole list") {
  const ControlList list = read_control_list("mark,e,n,height,sd_e,sd_n,sd_u\nA,1000000,200000,100,0.01,0.02,0.03\n");
  ListReading said;
  CHECK(read_as_said(list, said).rows[0].grid == list.rows[0].grid);
  said.unit = "us-ft";
  const double us = 1200.0 / 3937.0;
  CHECK(read_as_said(list, said).rows[0].grid->isApprox(Vec3(1e6, 2e5, 100) * us, 1e-15));
  CHECK(*read_as_said(list, said).rows[0].height == Approx(100 * us).epsilon(1e-15));
  CHECK(read_as_said(list, said).rows[0].sd_enu->isApprox(Vec3(0.01, 0.02, 0.03) * us));
  // A list whose heads say feet, and which is in metres.
  ListReading metres;
  metres.unit = "m";
  CHECK(read_as_said(read_control_list("mark,e_ft,n_ft,height_ft\nA,1000000,200000,100\n"), metres)
            .rows[0]
            .grid->isApprox(Vec3(1e6, 2e5, 100), 1e-15));
  ListReading turned;
  turned.exchanged = true, turned.turned = "east", turned.add_north = 5e6;
  CHECK(read_as_said(list, turned).rows[0].grid->isApprox(Vec3(-2e5, 6e6, 100)));
  CHECK(read_as_said(list, turned).rows[0].sd_enu->isApprox(Vec3(0.02, 0.01, 0.03)));
  CHECK(turned.words() == "east and north exchanged, east turned round, +5000000.000 m in north");
  ListReading packed;
  packed.packed = true, packed.frame = "ITRF2020", packed.epoch = "2026.3", packed.sd = 0.005, packed.sd_height = 0.01;
  const ControlRow g = read_as_said(read_control_list("mark,lat,lon,h\nA,-46.17034,13.5400,100\n"), packed).rows[0];
  CHECK(g.geodetic->x() == Approx(-46 - 17 / 60.0 - 3.4 / 3600).epsilon(1e-13));
  CHECK(g.geodetic->y() == Approx(13.9).epsilon(1e-13));
  CHECK(g.frame == "ITRF2020");
  CHECK(g.sd_enu->isApprox(Vec3(0.005, 0.005, 0.01)));
  CHECK_THROWS_WITH(read_as_said(read_control_list("mark,lat,lon,h\nA,46.6103,13.5400,100\n"), packed),
                    Contains("line 2") && Contains("packed"));
  // Nothing is said of coordinates that the list has not: that would be done and do nothing.
  const ControlList space = read_control_list("mark,x,y,z\nA,4293769.6,1053871.5,4582141.3\n");
  for (const auto &[what, of] : {std::pair{&turned, "no east and north, and no latitude"}, {&packed, "no degrees"}})
    CHECK_THROWS_WITH(read_as_said(space, *what), Contains(of));
  ListReading shifted, grid;
  shifted.add_east = 100, grid.crs = "EPSG:25833";
  CHECK_THROWS_WITH(read_as_said(space, shifted), Contains("could be added to"));
  CHECK_THROWS_WITH(read_as_said(space, grid), Contains("no grid"));
  CHECK_THROWS_WITH(read_as_said(list, packed), Contains("no degrees"));
  // What a row says itself counts.
  CHECK(read_as_said(read_control_list("mark,lat,lon,h,frame\nA,46.17,13.54,100,ETRF2000\n"), packed).rows[0].frame ==
        "ETRF2000");
}

TEST_CASE("heads of another language and words between the figures") {
  CHECK(columns("\"Nr\",\"Y\",\"X\",\"H\",\"Bem.\"\n\"1001\",\"2600123,456\",\"1200456,789\",\"556,123\",\"Bolzen\"\n"
                "\"1002\",\"2600223,456\",\"1200556,789\",\"557,123\",\"\"\n") ==
        "1 mark, 2 east, 3 north, 4 physical height, 5 description");
  CHECK(columns("Point, Lat, Long, Ht\nHQ1, 33 52 10.1234 S, 151 12 30.5678 E, 40.123\nHQ2, 33 52 20.1234 S, 151 12 "
                "40.5678 E, 41.123\n") == "1 mark, 2 latitude, 3 longitude, 4 ellipsoidal height");
  CHECK(columns("CP-1 N 4872113.200 E 312004.118 EL 1022.11\nCP-2 N 4872213.200 E 312104.118 EL 1023.11\n") ==
        "1 mark, 2 ignore, 3 north, 4 ignore, 5 east, 6 ignore, 7 physical height");
  // Thousands in groups, a remark at the end, a mark that stands there twice (which reading then refuses).
  CHECK(
      columns(
          "\"P 1\",\"2,345,678.90\",\"678,901.23\",\"100.00\"\n\"P 2\",\"2,345,778.90\",\"678,911.23\",\"101.00\"\n") ==
      "1 mark, 2 north, 3 east, 4 physical height");
  CHECK(read("\"P 1\",\"2,345,678.90\",\"678,901.23\",\"100.00\"\n\"P 2\",\"2,345,778.90\",\"678,911.23\",\"101.00\"\n")
            .rows[0]
            .grid->isApprox(Vec3(678901.23, 2345678.90, 100), 1e-15));
  CHECK(columns("   101   300000.000   6250000.000    12.345  PM\n   102   300100.000   6250100.000    13.345  SSM\n   "
                "103   300200.000   "
                "6250200.000    14.345  SSM\n   104   300300.000   6250300.000    15.345  SSM\n\n  end of file\n") ==
        "1 mark, 2 east, 3 north, 4 physical height, 5 description");
  CHECK_THROWS_WITH(read("A 300000.000 6250000.000 1\nA 300000.500 6250000.000 1\nB 300010.500 6250000.000 1\n"),
                    Contains("stands in the list twice"));
  CHECK_FALSE(proposed_points_recipe("$GPGGA,101112.00,4617.05,N,01354.01,E,1,08,1.0,512.2,M,47.0,M,,\n", "x"));
  CHECK_FALSE(heads_suffice("id;X;Y;H\nK1;5700123.45;2600456.78;101.2\n"));
  // A capital H beside east and north is the height of the plan; beside latitude and longitude that of the ellipsoid.
  CHECK(read_control_list("mark,E,N,H\nA,500100,5126000,412\n").rows[0].grid == Vec3(500100, 5126000, 412));
  CHECK(read_control_list("mark,Lat,Lon,H\nA,46,13,412\n").rows[0].geodetic->z() == 412);
}
