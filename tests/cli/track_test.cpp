// The demo's road through `ample`: what scripts rely on.
#include "cli/command.h"
#include "geodesy/ellipsoid.h"
#include "support/test_job.h"
#include <array>
#include <catch2/catch.hpp>
#include <pugixml.hpp>
#include <sstream>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
std::string answer(const std::string &command) {
  FILE *pipe = ::popen(command.c_str(), "r");
  REQUIRE(pipe);
  std::string out;
  for (int c; (c = std::fgetc(pipe)) != EOF;) out += static_cast<char>(c);
  ::pclose(pipe);
  return out;
}

/// What sqlite3, pugixml and another job make of the files.
void other_readers(const TemporaryFolder &folder) {
  const auto sql = [&](const std::string &query) {
    return answer("sqlite3 '" + (folder / "road.gpkg") + "' \"" + query + "\"");
  };
  const auto geo = nlohmann::json::parse(read_file(folder / "road.geojson"));
  std::vector<std::array<double, 3>> points;
  for (const auto &f : geo["features"])
    if (f["geometry"]["type"] == "Point")
      points.push_back(
          {f["geometry"]["coordinates"][0], f["geometry"]["coordinates"][1], f["geometry"]["coordinates"][2]});
  CHECK(sql("select count(*) from stops") == std::to_string(points.size()) + "\n");
  CHECK(std::stoi(sql("select count(*) from epochs where solution='fixed'")) > 500);
  CHECK(std::stoi(sql("select count(*) from track")) >= 2);
  CHECK_THAT(sql("select organization||organization_coordsys_id from gpkg_spatial_ref_sys"), Contains("EPSG25833"));
  // Heights above the ellipsoid move by centimetres between the frames, those above the sea by the geoid.
  CHECK(std::stod(sql("select h_ellipsoidal_m from stops limit 1")) == Approx(points[0][2]).margin(0.2));
  pugi::xml_document kml, land;
  REQUIRE(kml.load_file((folder / "road.kml").c_str()));
  CHECK(kml.select_nodes("//Placemark/Point").size() == points.size());
  CHECK(kml.select_nodes("//Placemark/LineString").size() >= 2);
  REQUIRE(land.load_file((folder / "road.xml").c_str()));
  const auto cg = land.select_nodes("//CgPoint");
  REQUIRE(cg.size() == points.size());
  // Lengths in the grid are those in space but for its scale and the heights.
  const auto place = [&](std::size_t i) {
    std::istringstream in(cg[i].node().text().get());
    double n = 0, e = 0, h = 0;
    in >> n >> e >> h;
    return Vec3(e, n, h);
  };
  const auto space = [&](std::size_t i) {
    return to_cartesian({points[i][1] * M_PI / 180, points[i][0] * M_PI / 180, points[i][2]});
  };
  const double grid = (place(0) - place(3)).norm(), true_length = (space(0) - space(3)).norm();
  CHECK(grid / true_length == Approx(1).margin(6e-4));
  const std::string next = folder / "next.tie";
  REQUIRE(testing::ample("new " + next + " --crs EPSG:25833 --epoch 2026-05-13", folder / "next.txt") == 0);
  CHECK(testing::ample("take " + next + " " + (folder / "road.snx"), folder / "next.txt") == 1);
  CHECK_THAT(read_file(folder / "next.txt"), Contains(std::to_string(points.size()) + " marks"));
}
} // namespace

TEST_CASE("tracks from files to their list: fields, exit codes, exports, refusals") {
  TemporaryFolder folder;
  const std::string job = folder / "road.tie", out = folder / "out.txt", road = " " AMPLETIE_SOURCE_DIR "/demo/track/";
  const auto run = [&](const std::string &arguments) { return ample(arguments, out); };
  const auto said = [&] { return read_file(out); };
  REQUIRE(run("new " + job + " --crs EPSG:25833 --vertical EPSG:5773 --epoch 2026-05-13") == 0);
  CHECK(run("solve " + job + " tracks") == 2);
  CHECK_THAT(said(), Contains("no receiver of the job moved"));
  CHECK(run("take " + job + road + "PN1-k1.rnx.gz" + road + "PN1-k2.rnx.gz" + road + "ROVER-k.rnx.gz" + road +
            "broadcast-k.rnx.gz" + road + "stops.csv " AMPLETIE_SOURCE_DIR "/demo/data/antennas.atx.gz") == 1);
  CHECK(run("solve " + job + " tracks") == 1); // the base's gap is a doubt
  CHECK_THAT(said(), Contains("track of ROVER from PN1: 680 epochs"));
  REQUIRE(run("show " + job + " tracks --json") == 1);
  const auto tracks = nlohmann::json::parse(said());
  REQUIRE(tracks.size() == 1);
  const auto &t = tracks[0];
  for (const char *field : {"id", "base", "rover", "bases", "base_x", "base_y", "base_z", "frame", "epoch", "point",
                            "fixed_share", "epochs_without_base", "epochs", "stops", "events"})
    CHECK(t.contains(field));
  CHECK(t["epochs"].size() == 680);
  CHECK(t["fixed_share"].get<double>() > 0.8);
  long fixed = 0;
  for (const auto &e : t["epochs"]) {
    const std::string state = e["solution"];
    fixed += state == "fixed";
    if (state == "none" && !e.contains("bridged"))
      CHECK(e["x"].is_null());
    else
      CHECK(std::hypot(e["x"].get<double>(), e["y"].get<double>(), e["z"].get<double>()) > 6.3e6);
  }
  CHECK(fixed == std::lround(t["fixed_share"].get<double>() * 680));
  REQUIRE(run("show " + job + " stops --json") == 1);
  CHECK(nlohmann::json::parse(said()).size() >= 8);
  REQUIRE(run("show " + job + " occupations --json") == 1);
  int moving = 0;
  for (const auto &o : nlohmann::json::parse(said())) moving += o.at("moving").get<bool>();
  CHECK(moving == 1);
  // Said of a stop; the same word for two stops is refused with both.
  CHECK(run("set " + job + " stop A2 mark=KERB height=1.9 --because again") == 1);
  CHECK(run("set " + job + " stop PS1 mark=X") == 2);
  CHECK_THAT(said(), Contains("names 2 stops"));
  CHECK(run("set " + job + " stop A1 height=tall") == 2);
  CHECK(run("leave-out " + job + " stop:A3 --because leaned") == 1);
  CHECK(run("set " + job + " stop A9 mark=X") == 2);
  // What the guide and the doubt of a list in another time say is taken.
  CHECK(run("set " + job + " source stops.csv add_seconds=1.5 --because watch") == 1);
  CHECK(run("undo " + job) == 1);
  CHECK(run("set " + job + " source stops.csv unit=ft") == 2);
  CHECK_THAT(said(), Contains("a list of stops"));
  // Written out.
  for (const char *file : {"road.csv", "road.geojson", "road.gpx", "road.kml", "road.gpkg", "road.xml", "road.snx"}) {
    INFO(file);
    CHECK(run("export " + job + " ROVER " + (folder / file)) == 1);
  }
  other_readers(folder);
  // Columns as they are asked for; the grid's are those of the issued system, and places that are none stay empty.
  CHECK(run("export " + job + " ROVER " + (folder / "own.csv") +
            " --columns time_utc,grid_north,grid_east,height,h,v_up,solution") == 1);
  {
    std::istringstream own(read_file(folder / "own.csv"));
    std::string head, names, line;
    std::getline(own, head), std::getline(own, names);
    CHECK_THAT(head, Contains("grid: EPSG:25833 at 2026.36"));
    CHECK(names == "time_utc,grid_north,grid_east,height,h,v_up,solution");
    int rows = 0, placed = 0;
    while (std::getline(own, line)) {
      ++rows;
      double north = 0, east = 0, height = 0, h = 0;
      char utc[40];
      if (std::sscanf(line.c_str(), "%39[^,],%lf,%lf,%lf,%lf", utc, &north, &east, &height, &h) != 5) {
        CHECK_THAT(line, Contains(",,,,,,none"));
        continue;
      }
      ++placed;
      CHECK(std::string(utc).ends_with("Z"));
      CHECK((north > 5.1e6 && north < 5.2e6 && east > 1e5 && east < 9e5));
      CHECK((h - height > 40 && h - height < 55)); // the geoid there
    }
    CHECK(rows == 680);
    CHECK(placed > 600);
  }
  CHECK(run("export " + job + " ROVER " + (folder / "own.csv") + " --columns time,colour") == 2);
  CHECK_THAT(said(), Contains("no column \"colour\"") && Contains("grid_east"));
  CHECK(run("export " + job + " ROVER " + (folder / "own.csv") + " --columns time,time") == 2);
  CHECK(run("export " + job + " ROVER " + (folder / "own.gpx") + " --columns time") == 2);
  CHECK_THAT(read_file(folder / "road.csv"), Contains("time,x,y,z,sd_e,sd_n,sd_u,solution,satellites"));
  const auto features = nlohmann::json::parse(read_file(folder / "road.geojson"));
  CHECK(features["type"] == "FeatureCollection");
  CHECK(features["features"].size() >= 9);
  CHECK_THAT(read_file(folder / "road.gpx"), Contains("<trkpt lat=\"46.2") && Contains("</gpx>"));
  CHECK(run("report " + job + " " + (folder / "evidence.html")) == 1);
  CHECK_THAT(read_file(folder / "evidence.html"), Contains("Tracks") && Contains("ROVER") && Contains("KERB"));
  CHECK(run("solve " + job + " turtles") == 2);
  // Solved again in one sitting: what that changed.
  CHECK(run("set " + job + " job mask=20") == 1);
  CHECK(run("solve " + job + " tracks") == 1);
  CHECK_THAT(said(), Contains("Solved again: fixed") && Contains("epochs fixed in both moved"));
}
