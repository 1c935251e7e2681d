// A plan from the command line: said, shown, printed for the crew; with the usual mistakes.
#include "cli/command.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("marks, sessions, sights and levels are planned, and what they will reach is shown and printed") {
  TemporaryFolder folder;
  const std::string job = folder / "a.tie", out = folder / "out.txt";
  const auto run = [&](const std::string &arguments) { return ample(arguments, out); };
  const auto said = [&] { return read_file(out); };
  REQUIRE(run("new " + job + " --crs EPSG:25833 --vertical EPSG:5773 --epoch 2026-05-12") == 0);
  REQUIRE(run("take " + job +
              " " AMPLETIE_SOURCE_DIR "/demo/data/control.csv " AMPLETIE_SOURCE_DIR
              "/demo/data/broadcast.rnx.gz") == 0);
  for (const char *m : {"REFA", "REFB"}) REQUIRE(run("hold " + job + " " + m) == 0);
  CHECK(run("plan " + job + " session") == 2);
  CHECK(run("plan " + job + " picnic 1 marks=REFA,REFB") == 2);
  CHECK_THAT(said(), Contains("a mark, a session, a line or a station"));
  CHECK(run("plan " + job + " session 1 minutes=soon") == 2);
  CHECK(run("plan " + job + " session 1 start=tomorrow") == 2);
  CHECK_THAT(said(), Contains("2026-06-02T08:00"));
  CHECK(run("plan " + job + " session 1 east=5") == 2);
  REQUIRE(run("plan " + job + " session 1 marks=REFA,REFB,K7 start=2026-06-02T08:00 minutes=60") == 0);
  CHECK_THAT(said(), Contains("takes no part") && Contains("K7"));
  REQUIRE(run("plan " + job + " mark K7 east=412800 north=5122300 height=700") == 0);
  REQUIRE(run("plan " + job + " mark K8 lat=46:16:30 lon=13.88 height=640") == 0);
  REQUIRE(run("plan " + job + " station K7 targets=K8,REFA direction=1.5 distance=1 ppm=1.5") == 0);
  REQUIRE(run("set " + job + " limit asked-plan=1") == 0);
  REQUIRE(run("show " + job + " plan --json") == 0);
  const auto shown = nlohmann::json::parse(said());
  CHECK(shown.at("problem") == "");
  CHECK(shown.at("items").size() == 4);
  CHECK_THAT(shown.at("words").get<std::string>(), Contains("will NOT reach what is asked"));
  for (const auto &i : shown.at("items")) CHECK(i.at("problem") == "");
  for (const auto &m : shown.at("marks")) {
    const bool planned = m.at("name") == "K7" || m.at("name") == "K8";
    CHECK(m.at("planned") == planned);
    if (!planned) continue;
    // Over three kilometres an arc second and a half is what tells K8.
    CHECK(m.at("network_plan95_m").get<double>() < (m.at("name") == "K7" ? 0.02 : 0.1));
    CHECK(m.at("reached") == false);
  }
  REQUIRE(run("report " + job + " --plan " + (folder / "plan.html")) == 0);
  CHECK_THAT(read_file(folder / "plan.html"), Contains("Plan of measurements") &&
                                                  Contains("REFA, REFB, K7 from 2026-06-02 08:00") &&
                                                  Contains("NOT reached"));
  REQUIRE(run("plan " + job + " session 1 planned=no") == 0);
  REQUIRE(run("show " + job + " plan --json") == 0);
  CHECK(nlohmann::json::parse(said()).at("items").size() == 3);
  REQUIRE(run("show " + job + " decisions") == 0);
  CHECK_THAT(said(), Contains("planned session 1") && Contains("no longer planned"));
}
