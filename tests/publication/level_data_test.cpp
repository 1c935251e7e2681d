// Heights handed on: CSV, LandXML and GeoPackage, read back with general libraries.
#include "base/angle.h"
#include "publication/geopackage.h"
#include "publication/level_data.h"
#include "publication/level_report.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <pugixml.hpp>
#include <sqlite3.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {

/// First column of every row of a query, as text; null as "null".
std::vector<std::string> query(const std::string &file, const std::string &sql) {
  sqlite3 *db = nullptr;
  REQUIRE(sqlite3_open_v2(file.c_str(), &db, SQLITE_OPEN_READONLY, nullptr) == SQLITE_OK);
  sqlite3_stmt *s = nullptr;
  REQUIRE(sqlite3_prepare_v2(db, sql.c_str(), -1, &s, nullptr) == SQLITE_OK);
  std::vector<std::string> out;
  while (sqlite3_step(s) == SQLITE_ROW) {
    const auto *t = reinterpret_cast<const char *>(sqlite3_column_text(s, 0));
    out.emplace_back(t ? t : "null");
  }
  sqlite3_finalize(s);
  sqlite3_close(db);
  return out;
}

Job levelled(const std::string &path) {
  Job job = Job::create(path, demo_settings());
  for (const char *f : {"levels-1a.txt", "levels-1b.txt", "levels-2a.txt", "levels-2b.txt", "benchmarks.csv"})
    job.take({std::string(AMPLETIE_SOURCE_DIR "/demo/levels/") + f});
  // Places of two marks; the rest is known in height alone.
  job.take_bytes({{"places.csv", "mark,lat,lon,h\nK1,46.3180,13.8820,905.31\nPN1,46.3287,13.8836,528.164\n"}});
  for (const char *mark : {"HB1", "HB2"}) job.decide("hold", mark, {{"how", "height"}}, "published benchmark");
  return job;
}

} // namespace

TEST_CASE("LandXML of levelled heights: points with a place, heights without one") {
  TemporaryFolder folder;
  const Job job = levelled(folder / "a.tie");
  pugi::xml_document doc;
  REQUIRE(doc.load_string(level_heights_landxml(job).c_str()));
  const auto root = doc.child("LandXML");
  CHECK(std::string(root.attribute("version").value()) == "1.2");
  CHECK(std::string(root.child("CoordinateSystem").attribute("epsgCode").value()) == "25833");
  CHECK(std::string(root.child("Units").child("Metric").attribute("linearUnit").value()) == "meter");
  const auto &network = *job.snapshot()->levels().network;
  std::size_t points = 0, features = 0;
  for (const auto &p : root.child("CgPoints").children("CgPoint")) {
    ++points;
    const LevelNetworkMark *m = network.find(p.attribute("name").value());
    REQUIRE(m);
    double n = 0, e = 0, h = 0;
    REQUIRE(std::sscanf(p.child_value(), "%lf %lf %lf", &n, &e, &h) == 3);
    CHECK(h == Approx(m->height).margin(6e-5));
    if (m->name == "K1") { // north first; PROJ's cs2cs gives the same (checked in the tests of projections)
      const GridPoint g = Projection("EPSG:25833").project({radians(46.318), radians(13.882), 905.31});
      CHECK(n == Approx(g.north).margin(1e-3));
      CHECK(e == Approx(g.east).margin(1e-3));
    }
  }
  for (const auto &f : root.child("CgPoints").children("Feature")) {
    ++features;
    const LevelNetworkMark *m = network.find(f.attribute("name").value());
    REQUIRE(m);
    CHECK(std::stod(f.child("Property").attribute("value").value()) == Approx(m->height).margin(6e-5));
  }
  CHECK(points == 2);
  CHECK(points + features == network.marks.size());
}

TEST_CASE("GeoPackage of levels: layers, system, rows without a place") {
  TemporaryFolder folder;
  const Job job = levelled(folder / "a.tie");
  const std::string file = folder / "levels.gpkg";
  REQUIRE(write_level_data(job, file));
  CHECK(query(file, "pragma application_id") == std::vector<std::string>{"1196444487"}); // "GPKG", OGC 12-128
  CHECK(query(file, "select table_name from gpkg_contents order by 1") ==
        std::vector<std::string>{"level_lines", "levelled_marks"});
  CHECK(query(file, "select srs_id from gpkg_geometry_columns") == std::vector<std::string>{"25833", "25833"});
  const auto &network = *job.snapshot()->levels().network;
  CHECK(query(file, "select count(*) from levelled_marks") ==
        std::vector<std::string>{std::to_string(network.marks.size())});
  CHECK(query(file, "select mark from levelled_marks where place is not null order by mark") ==
        std::vector<std::string>{"K1", "PN1"});
  const auto height = query(file, "select height_m from levelled_marks where mark = 'HB1'");
  REQUIRE(height.size() == 1);
  CHECK(std::stod(height[0]) == Approx(network.find("HB1")->height).margin(1e-9));
  CHECK(query(file, "select state from levelled_marks where mark = 'HB1'") == std::vector<std::string>{"held"});
  CHECK(query(file, "select count(*) from level_lines").front() ==
        std::to_string(job.snapshot()->levels().lines.size()));
  // N1 runs through both marks with a place; what does not close has no misclosure, not a zero.
  CHECK(query(file, "select line from level_lines where place is not null") == std::vector<std::string>{"N1"});
  CHECK(query(file, "select misclosure_m from level_lines where line = 'N1'") == std::vector<std::string>{"null"});
  CHECK(query(file, "select verdict from level_lines where line = 'DAM'") == std::vector<std::string>{"closes"});
  // The same job gives the same rows.
  CHECK(query(file, "select last_change from gpkg_contents limit 1").front().substr(0, 10) ==
        job.decisions().back().time.substr(0, 10));
}

TEST_CASE("a place in a GeoPackage stands where it was put, as the standard's bytes say") {
  TemporaryFolder folder;
  const GeoLayer layer{"p",
                       "",
                       false,
                       {{"name"}, {"n", GeoField::Type::integer}},
                       {{{{1000.5, 2000.25, 3.125}}, {std::string("x"), 7L}}, {{}, {GeoValue(), GeoValue()}}}};
  write_file(folder / "p.gpkg", geopackage("EPSG:25833", {layer}, "2026-05-14T08:00:00.000Z"));
  const auto blob = query(folder / "p.gpkg", "select hex(place) from p where name = 'x'");
  REQUIRE(blob.size() == 1);
  // Header "GP", then little-endian well-known binary of a point with height (type 1001), three doubles.
  CHECK(blob[0].substr(0, 4) == "4750");
  CHECK_THAT(blob[0], Catch::Matchers::EndsWith("01E9030000"
                                                "0000000000448F40"
                                                "0000000000419F40"
                                                "0000000000000940"));
  CHECK(query(folder / "p.gpkg", "select n from p order by fid") == std::vector<std::string>{"7", "null"});
  CHECK_THROWS_WITH(geopackage("EPSG:nothing", {layer}, ""), Contains("not known"));
}

TEST_CASE("level data by the ending of the file, and nothing without levels") {
  TemporaryFolder folder;
  const Job job = levelled(folder / "a.tie");
  CHECK(write_level_data(job, folder / "h.CSV"));
  CHECK_THAT(read_file(folder / "h.CSV"), Catch::Matchers::StartsWith("mark,line,distance_m"));
  CHECK(!write_level_data(job, folder / "h.pdf"));
  CHECK(!std::filesystem::exists(folder / "h.pdf"));
  CHECK_THROWS(write_level_data(job, folder / "no/such/folder.csv"));
  const Job empty = Job::create(folder / "e.tie", demo_settings());
  for (const char *f : {"h.csv", "h.xml", "h.gpkg"}) {
    CHECK_THROWS_WITH(write_level_data(empty, folder / (std::string("e") + f)), Contains("no level books"));
    CHECK(!std::filesystem::exists(folder / (std::string("e") + f)));
  }
}
