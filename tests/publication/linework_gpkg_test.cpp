// Drawings as GeoPackages: what one of ours holds is read back, layers in two systems are refused and not laid onto
// each other.
#include "base/text.h"
#include "formats/linework.h"
#include "publication/geopackage.h"
#include "support/sql_on.h"
#include "support/temporary_folder.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("lines of a GeoPackage are read with their system; layers in two systems are refused") {
  TemporaryFolder folder;
  const auto layer = [](const char *name) {
    GeoLayer l;
    l.name = name, l.lines = true;
    l.features.push_back({{{415000, 5128000, 0}, {415100, 5128050, 0}}, {}});
    return l;
  };
  const std::string path = folder / "site.gpkg";
  write_file(path, geopackage("EPSG:25833", {layer("road"), layer("fence")}, "2026-05-14T08:00:00.000Z"));
  const Linework l = read_linework(read_file(path));
  REQUIRE(l.lines.size() == 2);
  CHECK(l.crs == "EPSG:25833");
  CHECK_FALSE(l.geographic);
  CHECK_FALSE(l.unit_stated);
  CHECK(l.lines[0].layer == "road");
  CHECK(l.lines[1].points[1] == Eigen::Vector2d(415100, 5128050));
  CHECK_THAT(linework_words(l), Contains("2 lines on 2 layers") && Contains("in EPSG:25833"));
  sql_on(path, "UPDATE gpkg_geometry_columns SET srs_id = 4326 WHERE table_name = 'fence'");
  CHECK_THROWS_WITH(read_linework(read_file(path)),
                    Contains("different systems") && Contains("EPSG:25833") && Contains("EPSG:4326"));
  // A half of one is damaged.
  CHECK_THROWS_AS(read_linework(read_file(path).substr(0, 40000)), std::exception);
}
