// The demo's road through `ample`: what scripts rely on.
#include "cli/command.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("tracks from files to their list: fields, exit codes, exports, refusals") {
  TemporaryFolder folder;
  const std::string job = folder / "road.tie", out = folder / "out.txt", road = " " AMPLETIE_SOURCE_DIR "/demo/track/";
  const auto run = [&](const std::string &arguments) { return ample(arguments, out); };
  const auto said = [&] { return read_file(out); };
  REQUIRE(run("new " + job + " --crs EPSG:25833 --vertical EPSG:5773 --epoch 2026-05-13") == 0);
  CHECK(run("solve " + job + " tracks") == 2);
  CHECK_THAT(said(), Contains("no receiver of the job moved"));
  CHECK(run("take " + job + road + "PN1-k1.rnx.gz" + road + "PN1-k2.rnx.gz" + road + "ROVER-k.rnx.gz" + road +
            "broadcast-k.rnx.gz" + road + "stops.csv " AMPLETIE_SOURCE_DIR "/demo/data/antennas.atx.gz") <= 1);
  CHECK(run("solve " + job + " tracks") == 1); // the base's gap is a doubt
  CHECK_THAT(said(), Contains("track of ROVER from PN1: 680 epochs"));
  REQUIRE(run("show " + job + " tracks --json") <= 1);
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
  REQUIRE(run("show " + job + " stops --json") <= 1);
  CHECK(nlohmann::json::parse(said()).size() >= 8);
  REQUIRE(run("show " + job + " occupations --json") <= 1);
  int moving = 0;
  for (const auto &o : nlohmann::json::parse(said())) moving += o.at("moving").get<bool>();
  CHECK(moving == 1);
  // Said of a stop; the same word for two stops is refused with both.
  CHECK(run("set " + job + " stop A2 mark=KERB height=1.9 --because again") <= 1);
  CHECK(run("set " + job + " stop PS1 mark=X") == 2);
  CHECK_THAT(said(), Contains("names 2 stops"));
  CHECK(run("set " + job + " stop A1 height=tall") == 2);
  CHECK(run("leave-out " + job + " stop:A3 --because leaned") <= 1);
  CHECK(run("set " + job + " stop A9 mark=X") == 2);
  // Written out.
  for (const char *file : {"road.csv", "road.geojson", "road.gpx"})
    CHECK(run("export " + job + " ROVER " + (folder / file)) <= 1);
  CHECK_THAT(read_file(folder / "road.csv"), Contains("time,x,y,z,sd_e,sd_n,sd_u,solution,satellites"));
  const auto features = nlohmann::json::parse(read_file(folder / "road.geojson"));
  CHECK(features["type"] == "FeatureCollection");
  CHECK(features["features"].size() >= 9);
  CHECK_THAT(read_file(folder / "road.gpx"), Contains("<trkpt lat=\"46.2") && Contains("</gpx>"));
  CHECK(run("report " + job + " " + (folder / "evidence.html")) <= 1);
  CHECK_THAT(read_file(folder / "evidence.html"), Contains("Tracks") && Contains("ROVER") && Contains("KERB"));
  CHECK(run("solve " + job + " turtles") == 2);
}
