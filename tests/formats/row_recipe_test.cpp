// Lists of vectors, fixes and stops in whatever form, through recipes.
#include "base/error.h"
#include "formats/recipe_reading.h"
#include "formats/stop_list.h"
#include "formats/vector_list.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
/// Says what the columns of a line are, as one does by pointing.
Recipe said(Recipe r, const std::string &line, char delimiter,
            std::initializer_list<std::pair<const char *, const char *>> columns) {
  std::size_t from = 0;
  for (const auto &[meaning, value] : columns) {
    const std::size_t to = std::min(line.find(delimiter, from), line.size());
    if (*meaning) r = with_meaning(std::move(r), line, from, to, meaning, value);
    from = to + 1;
  }
  return r;
}
} // namespace

TEST_CASE("a list of vectors with heads of another language is read by a recipe as the same list in known heads") {
  const std::string rows[] = {"11;12;120,5110;-33,0220;8,1040;4;5;9;FEST", "12;13;-40,0;1211,25;-3,5;6;6;11;GLEIT"};
  const std::string list = "von;nach;Ost;Nord;Auf;mO mm;mN mm;mH mm;Loesung\n" + rows[0] + "\n" + rows[1] + "\n";
  Recipe r = blank_list_recipe(list, "de", "vectors");
  CHECK(r.header_lines == 1);
  CHECK(r.delimiter == ';');
  CHECK(r.decimal_comma);
  r = said(std::move(r), rows[0], ';',
           {{"from", ""},
            {"to", ""},
            {"delta_east", ""},
            {"delta_north", ""},
            {"delta_up", ""},
            {"sd_east", "mm"},
            {"sd_north", "mm"},
            {"sd_up", "mm"},
            {"status", "fixed"}});
  const RecipeReading half = read_with(r, list);
  CHECK(half.unread == 1); // what the float is called was not said
  CHECK_THAT(half.first_unread.why, Contains("GLEIT"));
  r.codes["status"]["GLEIT"] = "float";
  r = read_recipe(write_recipe(r)); // as a file that others use
  CHECK(read_with(r, list).unread == 0);
  const VectorList mine = read_vector_list(r, list);
  const VectorList known = read_vector_list(
      "from;to;de;dn;du;sd_e [mm];sd_n [mm];sd_u [mm];status\n" +
      std::string("11;12;120,5110;-33,0220;8,1040;4;5;9;fixed\n12;13;-40,0;1211,25;-3,5;6;6;11;float\n"));
  REQUIRE(mine.rows.size() == 2);
  for (std::size_t i = 0; i < 2; ++i) {
    const MeasuredRow &a = mine.rows[i], &b = known.rows[i];
    CHECK(a.from == b.from);
    CHECK(a.to == b.to);
    CHECK(a.status == b.status);
    CHECK(a.line == b.line);
    REQUIRE(a.enu);
    CHECK(*a.enu == *b.enu);
    REQUIRE(a.sd_enu);
    CHECK((*a.sd_enu - *b.sd_enu).norm() < 1e-15);
  }
  CHECK((*mine.rows[0].sd_enu - Vec3(0.004, 0.005, 0.009)).norm() < 1e-15);
}

TEST_CASE("fixes in fixed columns, in US survey feet, with latitudes in degrees and minutes") {
  const std::string line = "P7  BASE S33d52'10.5000 E151d12'30.2500    328.08333 F";
  Recipe r;
  r.name = "fixed", r.reads = "vectors", r.layout = Recipe::Layout::fixed, r.angle_unit = "dms";
  r.lines.push_back({"fix", RecipeLine::What::record, {}, {}, {}});
  r = with_meaning(r, line, 0, 4, "to");
  r = with_meaning(r, line, 4, 9, "base");
  r = with_meaning(r, line, 9, 24, "latitude");
  r = with_meaning(r, line, 24, 40, "longitude");
  r = with_meaning(r, line, 40, line.size() - 2, "ellipsoidal_height", "us-ft");
  r = with_meaning(r, line, line.size() - 1, line.size(), "status", "fixed");
  const VectorList list = read_vector_list(r, line + "\n");
  REQUIRE(list.rows.size() == 1);
  REQUIRE(list.rows[0].place.geodetic);
  const Vec3 &g = *list.rows[0].place.geodetic;
  CHECK(g.x() == Approx(-(33 + 52 / 60. + 10.5 / 3600)).epsilon(1e-14));
  CHECK(g.y() == Approx(151 + 12 / 60. + 30.25 / 3600).epsilon(1e-14));
  CHECK(g.z() == Approx(328.08333 * 1200 / 3937).epsilon(1e-14));
  CHECK(list.rows[0].from == "BASE");
}

TEST_CASE("what a recipe makes of a list is refused with its line, as by heads") {
  const auto reading = [](const char *text, std::initializer_list<std::pair<const char *, const char *>> columns,
                          const char *kind = "vectors") {
    Recipe r = blank_list_recipe(text, "x", kind);
    const std::string all = text;
    r = said(std::move(r), all.substr(0, all.find('\n')), r.delimiter, columns);
    if (std::string(kind) == "vectors")
      read_vector_list(r, text);
    else
      read_stop_list(r, text);
  };
  CHECK_THROWS_WITH(reading("a,b,1,2,3\nc,,1,2,3\n", {{"from", ""}, {"to", ""}, {"dx", ""}, {"dy", ""}, {"dz", ""}}),
                    Contains("line 2") && Contains("no name"));
  CHECK_THROWS_WITH(reading("a,b,1,2,3\nc,d,1,,3\n", {{"from", ""}, {"to", ""}, {"dx", ""}, {"dy", ""}, {"dz", ""}}),
                    Contains("line 2") && Contains("some are given"));
  CHECK_THROWS_WITH(reading("a,1,2,3\n", {{"to", ""}, {"dx", ""}, {"dy", ""}, {"dz", ""}}), Contains("measured from"));
  CHECK_THROWS_WITH(reading("1,2,3\n", {{"dx", ""}, {"dy", ""}, {"dz", ""}}), Contains("which mark"));
  CHECK_THROWS_WITH(reading("P1;10:00:00;09:00:00;5\n", {{"name", ""}, {"start", ""}}, "stops"), Contains("no end"));
  CHECK_THROWS_WITH(reading("P1;10:99:00;10:10:00;5\n", {{"name", ""}, {"start", ""}, {"end", ""}}, "stops"),
                    Contains("line 1") && Contains("no time"));
}

TEST_CASE("a list of stops without heads: times, days and heights by pointing") {
  const std::string first = "12.05.2026|K1|10:04:05|12,5|1,8000|pole";
  const std::string text = first + "\n12.05.2026|K2|10:06:00|20|1,7500|pole\n";
  Recipe r = blank_list_recipe(text, "stops", "stops");
  CHECK(r.header_lines == 0);
  r = said(std::move(r), first, '|',
           {{"day", ""}, {"name", ""}, {"start_utc", ""}, {"seconds", ""}, {"height", ""}, {"height_to", ""}});
  const StopList list = read_stop_list(r, text);
  REQUIRE(list.rows.size() == 2);
  CHECK(list.rows[0].day == "2026-05-12");
  CHECK(list.rows[0].from == 10 * 3600 + 4 * 60 + 5);
  CHECK(list.rows[0].to - list.rows[0].from == 12.5);
  CHECK(list.rows[0].utc_offset == 0.0);
  CHECK(list.rows[1].height == 1.75);
  CHECK(list.rows[1].line == 2);
  // The same through its own heads, painted.
  const std::string heads = "name;start (UTC);seconds;remark\nK1;10:04:05;12,5;x\n";
  const Recipe own = recipe_of_stop_heads(heads, "heads");
  const StopList a = read_stop_list(heads), b = read_stop_list(own, heads);
  REQUIRE(b.rows.size() == 1);
  CHECK(a.rows[0].from == b.rows[0].from);
  CHECK(a.rows[0].to == b.rows[0].to);
  CHECK(a.rows[0].utc_offset == b.rows[0].utc_offset);
}

TEST_CASE("a list of vectors painted by its own heads is read as by them") {
  const std::string text = "to,from,dx,dy,dz,sx,sy,sz,epochs,comment\nB,A,10.5,-3.25,7,0.003,0.004,0.005,120,ok\n";
  const Recipe own = recipe_of_vector_heads(text, "heads");
  const VectorList a = read_vector_list(text), b = read_vector_list(own, text);
  REQUIRE(b.rows.size() == 1);
  CHECK(*a.rows[0].d == *b.rows[0].d);
  CHECK(*a.rows[0].sd_xyz == *b.rows[0].sd_xyz);
  CHECK(a.rows[0].epochs == b.rows[0].epochs);
  CHECK(a.rows[0].description == b.rows[0].description);
}
